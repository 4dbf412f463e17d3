"""The balance: from a bad start to all targets, what helps, dips and EQ of an input, targets, and the replay."""

import re
from typing import Any

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.stories.accessible import violations
from tests.stories.conftest import Server
from tests.stories.test_first_evening import lamp
from tests.stories.test_sound_check import tab_to

pytestmark = pytest.mark.browser
"""Five seconds of speech come in some ten of the demo; a busy machine takes longer."""


def strip(page: Page, name: str) -> Locator:
    return page.get_by_role("region", name=name, exact=True)


def input_of(server: Server, name: str) -> Any:
    inputs = server.ask("/api/state", "GET")["rig"]["inputs"]
    return next(one for one in inputs if one["id"] == name)


def type_in(page: Page, name: str, value: str) -> None:
    box = page.get_by_role("textbox", name=f"{name}, type a value")
    box.fill(value)
    box.press("Enter")


def test_a_bad_start_is_brought_to_all_targets(page: Page, server: Server) -> None:
    page.keyboard.press("4")
    type_in(page, "Game fader", "6")
    type_in(page, "Music fader", "-45")
    type_in(page, "Co-pilot fader", "-20")
    page.get_by_role("radio", name="30 s").click()
    expect(strip(page, "Game")).to_contain_text("too loud")
    helps = page.get_by_role("region", name="Suggestions")
    with server.hurried():
        expect(strip(page, "Music")).to_contain_text("too quiet")
        expect(strip(page, "Co-pilot")).to_contain_text("too quiet")
        expect(helps).to_contain_text(re.compile(r"Game \d+\.\d dB down"))
    expect(page.locator("[data-index]")).to_have_text(re.compile(r"0\.\d\d"))

    # Too little heard is said, and nothing moves; then it is enough.
    bring = page.get_by_role("button", name="Match all targets")
    for _ in range(20):
        bring.click()
        server.pass_time(3.0)
        if input_of(server, "game")["trim_db"] and input_of(server, "copilot")["trim_db"]:
            break
    assert input_of(server, "game")["trim_db"] < -5
    assert input_of(server, "music")["trim_db"] > 15
    expect(page.get_by_text("Undo takes it back.").last).to_be_visible()
    for name in ("Voice", "Game", "Music", "Co-pilot"):
        expect(strip(page, name)).to_contain_text("on target")
    whole = page.get_by_role("region", name="Full mix")
    expect(whole).to_contain_text(re.compile(r"−\d\d\.\d LUFS \(target −16\)"))
    page.get_by_role("radio", name="10 min").click()
    expect(
        page.get_by_text(re.compile("above your voice in|Nothing was above your voice"))
    ).to_be_visible()
    page.keyboard.press("Control+z")
    expect(strip(page, "Game")).to_contain_text("too loud")


def test_a_loud_game_makes_room_for_words(page: Page, server: Server) -> None:
    """What is suggested is done; a dip is set from what was heard, and is seen at work; the EQ takes a bell."""
    page.keyboard.press("4")
    type_in(page, "Game fader", "12")
    helps = page.get_by_role("region", name="Suggestions")
    helps.get_by_role("button", name=re.compile("^Apply: Game dips")).click()
    expect(helps).not_to_contain_text("Game dips")
    ducker = input_of(server, "game")["chain"][-1]
    assert (ducker["stage"], ducker["is_bypassed"]) == ("ducker", False)
    page.get_by_role("button", name="Details of Game").click()
    detail = page.get_by_role("region", name="Details of Game")
    expect(detail.get_by_role("button", name="Ducker is on")).to_be_visible()
    expect(detail).to_contain_text("Active")
    detail.get_by_role("button", name="Set from measured levels").click()
    expect(page.get_by_text("ms after your last word.").last).to_be_visible()
    detail.get_by_role("radio", name="EQ").click()
    bell = detail.get_by_role("button", name=re.compile("^Bell 4"))
    bell.focus()
    for _ in range(4):
        page.keyboard.press("ArrowDown")
    expect(
        detail.get_by_role("button", name=re.compile("^Bell 4.*minus 2.0 decibels"))
    ).to_be_visible()
    assert violations(page) == []


def test_targets_holds_and_the_replay_by_keyboard_alone(page: Page, server: Server) -> None:
    page.keyboard.press("4")
    tab_to(page, re.compile("^Targets:"))
    page.keyboard.press("Enter")
    tab_to(page, re.compile("^Sing along"))
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name=re.compile("^Sing along"))).to_have_attribute(
        "aria-pressed", "true"
    )
    page.get_by_role("textbox", name="Voice peaks, type a value").focus()
    page.keyboard.type("-2")
    page.keyboard.press("Enter")
    expect(page.get_by_text("cannot peak at -2 dBFS under the viewers' ceiling")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Targets: Sing along")).to_be_focused()
    tab_to(page, "Hold at target: Game")
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name="Hold at target: Game")).to_have_attribute(
        "aria-pressed", "true"
    )

    page.get_by_role("button", name="Replay the last").focus()
    page.keyboard.press("Enter")
    replay = page.get_by_role("region", name="Replay", exact=True)
    expect(replay).to_contain_text("for you only")
    expect(lamp(page, "Viewers")).to_have_text("Viewers do not hear you")
    type_in(page, "Game fader", "-30")
    figures = page.get_by_role("region", name="Replay figures")
    over_game = figures.get_by_role("row", name=re.compile("^Above Game")).get_by_role("cell")
    expect(figures).to_have_attribute("aria-busy", "false")
    was, now = (float(over_game.nth(side).inner_text().replace("−", "-")) for side in (0, 1))
    assert now - was > 15
    page.get_by_role("radio", name="As broadcast").focus()
    page.keyboard.press("Space")
    expect(page.get_by_role("radio", name="As broadcast")).to_be_checked()
    tab_to(page, "End replay")
    page.keyboard.press("Enter")
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")
    assert input_of(server, "game")["fader_db"] == -30, "what was changed meanwhile stays"
