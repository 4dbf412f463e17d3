"""What a hand meets: drags that end where they began, clicks that move nothing, messages, narrow windows, and trouble."""

import re
import sqlite3
from itertools import combinations
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, expect

from goshawk.store.database import database_path
from tests.server.running import Server
from tests.stories.accessible import violations
from tests.stories.test_first_evening import eventually, lamp, notch, open_stage, setting
from tools.kill_and_look import child_of

pytestmark = pytest.mark.browser


def middle(locator: Locator) -> tuple[float, float]:
    box = locator.bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def value_of(locator: Locator) -> float:
    return float(locator.get_attribute("aria-valuenow") or "nan")


def test_a_drag_ends_where_it_is_let_go_and_a_click_moves_nothing(
    page: Page, server: Server
) -> None:
    open_stage(page, "Gate")
    undo = page.get_by_role("button", name="Undo")
    slider = setting(page, "Range")
    x, y = middle(slider)
    page.mouse.move(x, y)
    page.mouse.down()
    for to in (x + 60, x + 30, x):
        page.mouse.move(to, y, steps=4)
    page.mouse.up()
    # It ended where it began: what was tried on the way is over, and what comes later is shown.
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    chain = server.ask("/api/state", "GET")["rig"]["inputs"][0]["chain"]
    kept = next(slot for slot in chain if slot["id"] == "gate")["settings"]["range_db"]
    assert value_of(slider) == pytest.approx(kept)
    server.change("inputs.voice.chain.gate.settings.range_db", 31.0)
    expect(slider).to_have_attribute("aria-valuetext", "31 decibels")
    server.begin_anew()
    expect(undo).to_be_disabled()

    # A notch moves by what it is dragged, wherever it is gripped.
    opens = notch(page, "Open threshold")
    before = value_of(opens)
    x, y = middle(opens)
    page.mouse.click(x + 20, y - 7)
    page.wait_for_timeout(200)
    assert value_of(opens) == before
    page.mouse.move(x + 20, y - 7)
    page.mouse.down()
    page.mouse.move(x + 20, y - 7 - 24, steps=4)
    page.mouse.up()
    expect(undo).to_be_enabled()
    moved = value_of(opens) - before
    assert 6 < moved < 11
    # Two clicks lead back to its default, in one step.
    x, y = middle(opens)
    page.mouse.dblclick(x, y)
    expect(opens).to_have_attribute("aria-valuenow", "-37")
    undo.click()
    expect(opens).not_to_have_attribute("aria-valuenow", "-37")
    undo.click()
    expect(undo).to_be_disabled()


def test_a_page_that_nobody_sees_stands_still_and_goes_on_where_the_sound_is(page: Page) -> None:
    """A browser does not hide a page without windows: the page is told that it is hidden, as the browser would tell it."""
    tick = page.get_by_label("Level path").locator("div[aria-hidden] > span").first
    clearance = page.get_by_title(re.compile("Delay from the microphone"))

    def moves() -> bool:
        """Whether the microphone's tick goes up and down, as talk does."""
        places = set()
        for _ in range(12):
            places.add(tick.evaluate("one => one.style.transform + one.style.opacity"))
            page.wait_for_timeout(150)
        return len(places) > 2

    def become(state: str) -> None:
        page.evaluate(
            """state => {
              Object.defineProperty(document, "visibilityState", { value: state, configurable: true });
              document.dispatchEvent(new Event("visibilitychange"));
            }""",
            state,
        )

    eventually(page, moves)
    become("hidden")
    page.wait_for_timeout(1500)
    assert not moves()
    expect(lamp(page, "Viewers")).to_be_visible()
    become("visible")
    eventually(page, moves)
    expect(clearance).to_contain_text("ms")


def test_a_message_moves_nothing_under_the_hand(page: Page) -> None:
    page.keyboard.press("1")
    add = page.get_by_role("button", name="Add input")
    place = middle(add)
    add.click()
    page.get_by_role("menuitem", name="Other").click()
    page.get_by_role("button", name="Remove Input", exact=True).click()
    message = page.get_by_text("Input was removed. Undo brings it back.")
    message.wait_for()
    assert middle(add) == place
    assert under_messages(page) == []
    # However much is said, also where buttons stand highest.
    page.keyboard.press("6")
    expect(page.get_by_role("heading", name="Watch")).to_be_visible()
    page.get_by_role("log").evaluate(
        "(log) => { for (let n = 0; n < 5; n++) log.append(log.lastElementChild.cloneNode(true)); }"
    )
    assert page.get_by_role("log").get_by_text("Input was removed").count() == 6
    assert under_messages(page) == []


def under_messages(page: Page) -> list[str]:
    """What is to be pressed, and lies under what is said."""
    said = page.get_by_role("log").bounding_box()
    assert said
    found = []
    for button in page.get_by_role("main").get_by_role("button").all():
        place = button.bounding_box()
        if place and intersects(said, place):
            found.append(button.inner_text())
    return found


def intersects(a: dict[str, float], b: dict[str, float]) -> bool:  # type: ignore[type-arg]
    return (
        a["x"] < b["x"] + b["width"]
        and b["x"] < a["x"] + a["width"]
        and a["y"] < b["y"] + b["height"]
        and b["y"] < a["y"] + a["height"]
    )


def test_at_its_narrowest_names_stay_apart_and_switches_in_one_line(page: Page) -> None:
    page.set_viewport_size({"width": 1024, "height": 700})
    page.keyboard.press("3")
    expect(page.get_by_text("HPF", exact=True)).to_be_visible()
    stations = page.get_by_label("Level path").locator("button[aria-pressed]")
    # All at one moment: what is shown there moves.
    found = stations.locator("span:not(.sr-only):not(:has(span))").evaluate_all(
        """(all) => all.filter((one) => one.checkVisibility() && one.textContent).map((one) => {
            const { x, y, width, height } = one.getBoundingClientRect();
            return { x, y, width, height, text: one.textContent };
        })"""
    )
    assert len(found) > 20
    crossing = [
        (one["text"], other["text"])
        for one, other in combinations(found, 2)
        if intersects(one, other)
    ]
    assert crossing == []
    for task, label in (("1", "Sections of Wiring"), ("4", "Measured over")):
        page.keyboard.press(task)
        radios = page.get_by_label(label, exact=True).get_by_role("radio")
        expect(radios.last).to_be_visible()
        tops = radios.evaluate_all("(all) => all.map((one) => one.getBoundingClientRect().y)")
        assert len(tops) >= 3
        assert len(set(tops)) == 1, label


def test_what_is_not_heard_and_what_is_not_saved_is_said(page: Page, server: Server) -> None:
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")
    engine = child_of(server, "engine")
    engine.suspend()
    page.keyboard.press("m")
    expect(page.get_by_text("not audible yet")).to_be_visible()
    engine.resume()
    expect(page.get_by_text("not audible yet")).to_be_hidden()
    expect(lamp(page, "Viewers")).to_have_text("Viewers do not hear you")
    page.keyboard.press("m")
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")

    other = sqlite3.connect(database_path(server.data_dir), isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    page.keyboard.press("m")
    expect(lamp(page, "Viewers")).to_have_text("Viewers do not hear you")
    expect(page.get_by_text("not saved")).to_be_visible()
    expect(page.get_by_role("log")).to_contain_text("could not be saved")
    other.execute("ROLLBACK")
    other.close()
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    expect(page.get_by_role("log")).to_contain_text("is saved again")
    assert server.ask("/api/state", "GET")["rig"]["inputs"][0]["is_muted"]


def test_keys_are_listed_from_what_they_do_and_can_be_others(page: Page) -> None:
    tasks = page.get_by_role("navigation", name="Tasks").get_by_role("button").all()
    names = [task.inner_text().split("\n")[0].strip() for task in tasks]
    page.get_by_role("button", name="Keys").click()
    dialog = page.get_by_role("dialog", name="Keys")
    for number, name in enumerate(names, 1):
        expect(
            dialog.get_by_role("button", name=f"Open {name}: {number}. Choose another key")
        ).to_be_visible()
    # Another key for mute, by keyboard: it is taken from what had it.
    mute = dialog.get_by_role("button", name=re.compile("^Mute or unmute your voice"))
    mute.focus()
    page.keyboard.press("Enter")
    expect(mute).to_have_text("press a key")
    page.keyboard.press("Escape")
    expect(mute).to_have_text("M")
    page.keyboard.press("Enter")
    page.keyboard.press("k")
    expect(mute).to_have_text("K")
    expect(dialog.get_by_role("button", name=re.compile("^Add a mark"))).to_have_text("none")
    page.keyboard.press("Escape")
    for number, name in enumerate(names, 1):
        page.keyboard.press(str(number))
        expect(page.get_by_role("main", name=name)).to_be_visible()
    page.keyboard.press("m")
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")
    page.keyboard.press("k")
    expect(lamp(page, "Viewers")).to_have_text("Viewers do not hear you")
    page.reload()
    expect(lamp(page, "Viewers")).to_have_text("Viewers do not hear you")
    page.keyboard.press("k")
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")
    page.get_by_role("button", name="Keys").click()
    dialog.get_by_role("button", name="Reset keys").click()
    expect(mute).to_have_text("M")


CONTROLLER = """
    const input = { name: "Eight faders", onmidimessage: null };
    navigator.requestMIDIAccess = async () => ({ inputs: new Map([["one", input]]), onstatechange: null });
    window.sendMidi = (...data) => input.onmidimessage({ data: new Uint8Array(data) });
"""


def test_a_controller_moves_what_it_has_learned(page: Page, server: Server) -> None:
    page.add_init_script(CONTROLLER)
    page.reload()
    page.get_by_role("button", name="Keys").click()
    box = page.get_by_label("MIDI", exact=True)
    box.get_by_role("button", name="Use MIDI").click()
    expect(box).to_contain_text("Eight faders")
    for goal, message in (
        ("Fader of Game", "0xB0, 7, 20"),
        (re.compile("^Mute or unmute your voice"), "0x90, 36, 127"),
    ):
        box.get_by_role("combobox", name="Function of the control").click()
        page.get_by_role("option", name=goal).click()
        box.get_by_role("button", name="Learn").click()
        page.evaluate(f"sendMidi({message})")
    expect(box.get_by_label("MIDI assignments")).to_contain_text("note 1 36")
    page.evaluate("sendMidi(0x80, 36, 0)")
    page.keyboard.press("Escape")

    def game_db() -> float:
        rig = server.ask("/api/state", "GET")["rig"]
        return next(float(one["fader_db"]) for one in rig["inputs"] if one["id"] == "game")

    page.evaluate("sendMidi(0xB0, 7, 0)")
    eventually(page, lambda: game_db() < -30.0)
    page.evaluate("sendMidi(0xB0, 7, 127)")
    eventually(page, lambda: game_db() > 0.0)
    page.evaluate("sendMidi(0x90, 36, 100)")
    expect(lamp(page, "Viewers")).to_have_text("Viewers do not hear you")
    page.evaluate("sendMidi(0x80, 36, 0)")
    page.evaluate("sendMidi(0x90, 36, 100)")
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")
    assert server.ask("/api/state", "GET")["rig"]["midi"] == [
        "control 1 7: inputs.game.fader_db",
        "note 1 36: mute",
    ]


def test_the_guide_opens_at_what_is_shown_and_is_searched(page: Page) -> None:
    open_stage(page, "Compressor")
    page.get_by_role("button", name="Guide: this stage").wait_for()
    page.keyboard.press("?")
    guide = page.get_by_role("dialog", name="Guide")
    expect(guide.get_by_role("heading", name="Compressor", exact=True)).to_be_focused()
    guide.get_by_role("searchbox", name="Search the guide").fill("howl")
    guide.get_by_role("button", name=re.compile("^What Goshawk may tell you")).click()
    expect(guide.get_by_role("heading", name="What Goshawk may tell you")).to_be_focused()
    guide.get_by_role("link", name="Lips").first.click()
    expect(guide.get_by_role("heading", name="Lips")).to_be_focused()
    assert violations(page) == []
    page.keyboard.press("Escape")
    expect(guide).to_have_count(0)


@pytest.mark.parametrize("size", [(1280, 800), (1024, 700), (640, 400)], ids=str)
def test_everything_can_be_reached_and_hit_on_any_screen(page: Page, size: tuple[int, int]) -> None:
    """The last is a screen of 1280 x 800 at a zoom of 200 %."""
    page.set_viewport_size({"width": size[0], "height": size[1]})
    look = (Path(__file__).parent / "targets.js").read_text()
    tasks = page.get_by_role("navigation", name="Tasks").get_by_role("button")
    for n in range(tasks.count()):
        tasks.nth(n).click()
        expect(tasks.nth(n)).to_have_attribute("aria-current", "page")
        page.wait_for_timeout(400)  # pictures have come
        found = page.evaluate(look)
        assert found["count"] > 20
        assert (found["small"], found["lost"]) == ([], []), tasks.nth(n).text_content()


def test_the_keyboard_goes_on_where_it_has_arrived_and_a_setting_says_what_it_does(
    page: Page,
) -> None:
    page.keyboard.press("1")
    expect(page.get_by_role("main", name="Wiring")).to_be_focused()
    row = page.get_by_role("button", name=re.compile("^Voice .*name, role"))
    row.focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("region", name="Input Voice")).to_be_focused()
    page.keyboard.press("Escape")
    expect(row).to_be_focused()
    open_stage(page, "Gate")
    slider = setting(page, "Range")
    slider.focus()
    page.keyboard.press("F1")
    told = page.get_by_role("dialog", name="Help on Range")
    expect(told).to_contain_text("Attenuation while the gate is closed")
    expect(told).to_contain_text(
        re.compile(r"Now 18 dB: makes pauses clearly quieter.*From 6 to 80 dB")
    )
    page.keyboard.press("Escape")
    expect(slider).to_be_focused()
    page.keyboard.press("End")
    page.keyboard.press("F1")
    expect(told).to_contain_text("Now 80 dB: makes pauses silent")
    told.get_by_role("button", name="Open in the guide").click()
    expect(page.get_by_role("heading", name="Gate", exact=True).last).to_be_visible()
