"""A chain is built from empty in the order of the job, tuned on a loop, compared, kept, and passed on."""

import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect

from tests.cli.test_cli import goshawk
from tests.stories.accessible import violations
from tests.stories.conftest import Server
from tests.stories.test_first_evening import (
    eventually,
    lamp,
    live,
    number_in,
    open_stage,
    setting,
)

pytestmark = pytest.mark.browser
JOB = [
    "Trim",
    "High-pass",
    "Suppressor",
    "Gate",
    "EQ",
    "De-esser",
    "Compressor",
    "Leveller",
    "Limiter",
]


def button(page: Page, name: str) -> None:
    page.get_by_role("button", name=name, exact=True).click()


def stations(page: Page) -> list[str]:
    """The names on the level path, between the microphone and the viewers."""
    found = page.get_by_label("Level path").locator("button[aria-pressed]").all()
    return [one.locator("span").first.inner_text() for one in found][1:-1]


def take_everything_out(page: Page) -> None:
    for name in JOB:
        open_stage(page, name)
        button(page, f"Remove {name}")
        expect(page.get_by_label("Level path").get_by_text(name, exact=True)).to_have_count(0)


def test_a_chain_is_built_tuned_compared_kept_and_passed_on(
    page: Page, server: Server, tmp_path: Path
) -> None:
    take_everything_out(page)
    expect(page.get_by_text("This chain has no stages")).to_be_visible()
    for name in JOB:
        page.get_by_role("button", name="Add stage").click()
        page.get_by_role("menuitem", name=name, exact=True).click()
        expect(page.get_by_label("Level path").get_by_text(name, exact=True)).to_be_visible()
        open_stage(page, name)
    assert stations(page) == JOB

    # Tuned on a loop, which goes to nobody else.
    server.pass_time(6.0)
    button(page, "Loop the last")
    expect(page.get_by_label("Loop", exact=True)).to_contain_text("loop")
    expect(lamp(page, "Viewers")).to_contain_text("do not hear you")
    eventually(page, lambda: live(page, "compressor") > -60)
    page.get_by_label("Loop", exact=True).get_by_role("button", name="Save as B").click()
    open_stage(page, "Compressor")
    setting(page, "Makeup gain").focus()
    page.keyboard.press("End")
    heard = page.get_by_label("Hear the loop through")
    for name in ("Raw", "Chain B", "Chain A", "Chain B"):
        heard.get_by_role("radio", name=name).click()
        expect(heard.get_by_role("radio", name=name)).to_be_checked()
    gain = page.get_by_title("All versions are matched in loudness")
    eventually(page, lambda: number_in(gain) > 5)  # B has 6 dB of makeup, A now 30, and a ceiling
    button(page, "End loop")
    expect(lamp(page, "Viewers")).to_contain_text("hear you")

    # Kept, exported, imported: the same sound.
    page.get_by_role("button", name=re.compile("^Preset:")).click()
    page.get_by_label("Name of the preset").fill("From empty")
    page.get_by_label("Description").fill("A story.")
    button(page, "Save")
    expect(page.get_by_role("button", name="Preset: From empty")).to_be_visible()
    with page.expect_download() as export:
        page.get_by_label("Export From empty").click()
    first = tmp_path / "first.json"
    export.value.save_as(first)
    page.get_by_label("Preset file").set_input_files(first)
    expect(page.get_by_label("Export From empty")).to_have_count(2)
    with page.expect_download() as export:
        page.get_by_label("Export From empty").last.click()
    second = tmp_path / "second.json"
    export.value.save_as(second)
    assert len(json.loads(first.read_text())["chain"]) == len(JOB)
    voice = Path("goshawk/devices/sounds/voice_murmur.flac")
    sounds = []
    for preset in (first, second):
        done = goshawk("render", voice, tmp_path / "out.wav", "--preset", preset)
        assert done.returncode == 0, done.stderr
        sounds.append(soundfile.read(tmp_path / "out.wav")[0])
    np.testing.assert_array_equal(*sounds)
    assert np.abs(sounds[0]).max() > 0.1


def test_the_room_is_learned_and_refused_while_somebody_speaks(page: Page, server: Server) -> None:
    server.change("inputs.voice.device", "laptop")  # whoever talks there is not asked to be quiet
    page.keyboard.press("3")
    open_stage(page, "Suppressor")
    button(page, "Learn noise profile")
    expect(page.get_by_role("status", name="Learning the room")).to_contain_text("Stay quiet")
    with server.hurried():
        expect(page.get_by_text("Something was heard that is not the room")).to_be_visible()
    server.change("inputs.voice.device", "attic")
    button(page, "Learn noise profile")
    with server.hurried():
        expect(page.get_by_text("Noise profile learned")).to_be_visible()
    expect(page.locator("[data-figure='suppressor']")).to_contain_text("room −")
    button(page, "Forget profile")
    expect(page.get_by_role("button", name="Learn noise profile")).to_be_visible()
    # What each knowledge takes is heard alone, until it is pressed again.
    hear = page.get_by_role("combobox", name="Monitor")
    for name, said in (
        ("all", "removed"),
        ("by noise profile", "removed by noise profile"),
        ("by voice model", "removed by voice model"),
    ):
        one = page.get_by_role("button", name=name, exact=True)
        one.click()
        expect(hear).to_contain_text(f"Suppressor: {said}")
        expect(one).to_have_attribute("aria-pressed", "true")
        expect(page.get_by_text("ms buffered")).to_be_visible()
        one.click()
        expect(one).to_have_attribute("aria-pressed", "false")
        expect(hear).to_contain_text("You")


def test_stages_are_moved_by_keyboard_and_every_panel_is_clean(page: Page) -> None:
    page.keyboard.press("3")
    path = page.get_by_label("Level path")
    path.get_by_role("button", name=re.compile("^EQ")).focus()
    page.keyboard.press("Alt+ArrowRight")
    expect(path.locator("button[aria-pressed] > span:first-child").nth(5)).to_have_text("De-esser")
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Add stage").click()
    page.get_by_role("menuitem", name="Three bands").click()
    for name in ("Suppressor", "De-esser", "Three bands", "Leveller", "Gate"):
        open_stage(page, name)
        expect(page.get_by_role("heading", name=name)).to_be_visible()
        assert violations(page) == [], name


def test_every_input_has_a_chain_by_mouse_and_by_keyboard(page: Page, server: Server) -> None:
    """A guest's voice with a chain of its own, a game with a compressor, a music that waits 120 ms."""
    page.keyboard.press("1")
    page.get_by_role("button", name="Add input").click()
    page.get_by_role("menuitem", name="Voice", exact=True).click()
    page.get_by_role("button", name="Open chain").click()
    expect(page.get_by_role("combobox", name="Chain of")).to_contain_text("Voice 2")
    assert stations(page) == JOB, "a new voice has the stages of the job"
    page.get_by_role("button", name=re.compile("^Preset:")).click()
    page.get_by_role("button", name=re.compile("^Talk alone")).click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Preset: Talk alone")).to_be_visible()

    # The game, by keyboard alone.
    chooser = page.get_by_role("combobox", name="Chain of")
    chooser.focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("option", name="Game")).to_be_visible()
    page.keyboard.type("Game")
    expect(page.get_by_role("option", name="Game")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_text("Level path of Game")).to_be_visible()
    page.get_by_role("button", name="Add stage").focus()
    page.keyboard.press("Enter")
    page.get_by_role("menuitem", name="Compressor").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Compressor")).to_be_visible()
    assert stations(page) == ["EQ", "Compressor", "Ducker"]
    setting(page, "Threshold").focus()
    for _ in range(2):
        page.keyboard.press("PageDown")
    server.pass_time(3.0)
    eventually(page, lambda: number_in(page.locator("[data-figure='compressor_3']")) < 0)
    eventually(page, lambda: live(page, "compressor_3") > -60)

    page.keyboard.press("4")
    page.get_by_role("button", name="Details of Music").click()
    detail = page.get_by_role("region", name="Details of Music")
    detail.get_by_role("radio", name="Delay").click()
    detail.get_by_role("textbox", name="Music delay").fill("120")
    page.keyboard.press("Enter")

    def inputs() -> list[Any]:
        found: list[Any] = server.ask("/api/state", "GET")["rig"]["inputs"]
        return found

    def is_late() -> bool:
        return [one["name"] for one in inputs() if one["delay_ms"] == 120.0] == ["Music"]

    eventually(page, is_late)
    game = next(one for one in inputs() if one["id"] == "game")
    assert [slot["stage"] for slot in game["chain"]] == ["eq", "compressor", "ducker"]
    main = next(one for one in inputs() if one["id"] == "voice")
    before = server.ask("/api/schema", "GET")["defaults"]["inputs"][0]
    assert main["chain"] == before["chain"], "the main voice's chain stays as it was"
    page.keyboard.press("3")
    assert violations(page) == []
