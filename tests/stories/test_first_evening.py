"""A new user's first evening, in the real interface: mouse, keyboard and sound."""

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Browser, Locator, Page, expect

from tests.stories.accessible import violations
from tests.stories.conftest import Server, open_page
from tests.waiting import SHOWN_MS

pytestmark = pytest.mark.browser


def number_in(locator: Locator) -> float:
    """The first number of an element's text; NaN while there is none."""
    match = re.search(r"[−-]?\d+(\.\d+)?", locator.inner_text())
    return float(match[0].replace("−", "-")) if match else float("nan")


def eventually(page: Page, is_so: Callable[[], bool]) -> None:
    for _ in range(SHOWN_MS // 100):
        if is_so():
            return
        page.wait_for_timeout(100)
    assert is_so()


def live(page: Page, meter: str) -> float:
    """The level that a station of the path shows now."""
    return number_in(page.locator(f"[data-live='{meter}']"))


def open_stage(page: Page, name: str) -> None:
    page.get_by_label("Level path").get_by_text(name, exact=True).click()


def lamp(page: Page, feed: str) -> Locator:
    """The lamp that says whether one listener hears the microphone."""
    return page.get_by_label("Who hears the microphone").get_by_role(
        "button", name=re.compile(f"^{feed} ")
    )


def choose_device(page: Page, device: str) -> None:
    """Open the voice's input in Wiring, and choose where it comes from."""
    page.keyboard.press("1")
    page.get_by_role("button", name=re.compile("^Voice .*name, role")).click()
    page.get_by_role("radio", name=re.compile(device)).click()


def notch(page: Page, name: str) -> Locator:
    return page.get_by_role("slider", name=f"{name}, on the level path")


def setting(page: Page, name: str) -> Locator:
    return page.get_by_role("slider", name=name, exact=True)


@pytest.mark.quick
def test_listen_set_the_gate_and_see_what_it_costs(page: Page) -> None:
    page.get_by_role("button", name="Listen", exact=True).click()
    expect(page.get_by_role("button", name="Listening")).to_be_visible()
    eventually(page, lambda: number_in(page.get_by_text("ms buffered")) > 10)
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")

    # The notch is dragged over the speech: a finding says what it costs, and mends it.
    open_stage(page, "Gate")
    opens = notch(page, "Open threshold")
    box = opens.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 75, steps=6)
    page.mouse.up()
    expect(opens).not_to_have_attribute("aria-valuetext", re.compile("37"))
    findings = page.get_by_label("Problems")
    expect(findings).to_contain_text("A quarter of your speech")
    findings.get_by_role("button").click()
    expect(findings).to_be_hidden()

    # Bypassed, it says so everywhere; undo brings all of it back, step by step.
    page.get_by_role("button", name="Bypass", exact=True).click()
    expect(page.locator("[data-figure=gate]")).to_have_text("bypassed")
    for _ in range(3):
        page.get_by_role("button", name="Undo").click()
    expect(opens).to_have_attribute("aria-valuetext", "minus 37.0 decibels full scale")
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()


def test_the_compressor_shows_its_work_and_the_ceiling_holds(page: Page) -> None:
    open_stage(page, "Compressor")
    figure = page.locator("[data-figure=compressor]")
    eventually(page, lambda: number_in(figure) < -2)
    for name, value in (("Threshold", "-40"), ("Ratio", "10")):
        page.get_by_role("textbox", name=f"{name}, type a value").fill(value)
        page.keyboard.press("Enter")
    eventually(page, lambda: number_in(figure) < -15)
    expect(setting(page, "Ratio")).to_have_attribute("aria-valuetext", "10.0 to one")

    open_stage(page, "Limiter")
    page.get_by_role("textbox", name="Ceiling, type a value").fill("-24")
    page.keyboard.press("Enter")
    # In a pause nothing is above it anyway: it is heard when the limiter has something to hold.
    eventually(page, lambda: number_in(page.locator("[data-figure=limiter]")) < -2)
    page.wait_for_timeout(500)
    for _ in range(10):
        assert not live(page, "limiter") > -24, "of silence there is no figure"
        page.wait_for_timeout(100)


def test_the_browsers_microphone_reads_its_level_and_six_db_more_after_the_trim(
    speaking_page: Page,
) -> None:
    page = speaking_page
    choose_device(page, "This browser's microphone")
    page.get_by_text("automatic gain are off").wait_for()
    page.get_by_role("button", name="Open this browser's microphone").click()
    eventually(page, lambda: abs(live(page, "microphone") + 20) < 0.5)
    page.keyboard.press("3")
    open_stage(page, "Trim")
    page.get_by_role("textbox", name="Gain, type a value").fill("6")
    page.keyboard.press("Enter")
    eventually(page, lambda: abs(live(page, "trim") + 14) < 0.5)
    assert abs(live(page, "microphone") + 20) < 0.5

    # The page goes away: the sound goes on without it, and another window says what is missing.
    page.keyboard.press("1")
    page.get_by_role("button", name="Close the microphone").click()
    page.get_by_text("▲ no signal yet").wait_for()


def test_a_refused_or_unplugged_microphone_is_said_with_what_to_do(speaking_page: Page) -> None:
    page = speaking_page
    choose_device(page, "This browser's microphone")
    opens = page.get_by_role("button", name="Open this browser's microphone")
    page.evaluate("""() => {
        const real = navigator.mediaDevices.getUserMedia.bind(navigator.mediaDevices);
        const answers = ["NotAllowedError", "NotFoundError"];
        navigator.mediaDevices.getUserMedia = async (wanted) => {
            const refused = answers.shift();
            if (refused) throw new DOMException("", refused);
            return (window.given = await real(wanted));
        };
    }""")
    for sentence in ("Allow it next to the page's address", "Plug one in"):
        opens.click()
        page.get_by_text(sentence).wait_for()
    opens.click()
    eventually(page, lambda: page.evaluate("!!window.given"))  # another device may be as loud
    eventually(page, lambda: abs(live(page, "microphone") + 20) < 0.5)
    page.evaluate("given.getAudioTracks()[0].dispatchEvent(new Event('ended'))")
    page.get_by_text("was unplugged. Plug it in, then open it again").wait_for()
    page.get_by_text("▲ no signal yet").wait_for()
    expect(opens).to_be_visible()


def test_a_sound_file_is_the_microphone(page: Page, tmp_path: Path) -> None:
    path = tmp_path / "phrase.flac"
    t = np.arange(16_000 * 3) / 16_000
    soundfile.write(path, 0.0316 * np.sin(2 * np.pi * 500 * t), 16_000)
    (tmp_path / "bad.wav").write_text("no sound")
    choose_device(page, "Sound file")
    page.get_by_label("Sound file", exact=True).set_input_files(tmp_path / "bad.wav")
    page.get_by_text("bad.wav cannot be read as sound").wait_for()
    page.get_by_role("button", name="Dismiss this message").click()
    page.get_by_label("Sound file", exact=True).set_input_files(path)
    expect(page.get_by_role("list", name="Sound files")).to_contain_text("3.0 s")
    eventually(page, lambda: abs(live(page, "microphone") + 30) < 0.5)
    page.get_by_role("button", name="Remove phrase.flac").click()
    page.get_by_text("was removed. Choose another").wait_for()
    page.get_by_text("no file chosen").wait_for()


def test_the_stand_in_and_the_balance(page: Page) -> None:
    page.keyboard.press("4")
    over_game = page.get_by_role("region", name="Game", exact=True)
    eventually(
        page, lambda: "dB" in over_game.inner_text() and "waiting" not in over_game.inner_text()
    )
    page.get_by_role("textbox", name="Game fader, type a value").fill("6")
    page.keyboard.press("Enter")
    expect(over_game).to_contain_text("too loud")
    page.get_by_role("button", name="Mute Voice").click()
    expect(lamp(page, "Viewers")).to_have_text("Viewers do not hear you")
    page.get_by_role("button", name="Mute Voice").click()
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")

    page.keyboard.press("1")
    page.get_by_role("radio", name="Devices").click()
    page.get_by_role("radio", name="be silent").click()
    eventually(page, lambda: live(page, "microphone") < -45)
    page.get_by_role("radio", name="laugh out loud").click()
    eventually(page, lambda: live(page, "microphone") > -12)


def test_the_preamp_is_set_by_the_advice(page: Page, server: Server) -> None:
    page.keyboard.press("1")
    page.get_by_role("radio", name="Devices").click()
    page.get_by_role("textbox", name="Preamp, type a value").fill("20")
    page.keyboard.press("Enter")
    page.get_by_role("radio", name="Microphone gain").click()
    # Each change of the gain begins a new measurement: old peaks must not steer the advice.
    page.get_by_text("Talk as you do on air, for some").wait_for()
    with server.hurried():
        page.get_by_text(re.compile("Turn the preamp up by")).wait_for()
    page.get_by_role("button", name=re.compile("Preamp at")).click()
    page.get_by_text("Talk as you do on air, for some").wait_for()
    with server.hurried():
        page.get_by_text("a good level").wait_for()
    # The guided minute shows how far it is, and can be stopped.
    page.get_by_role("button", name="Start").click()
    page.get_by_role("progressbar", name="Speech heard").wait_for()
    eventually(page, lambda: number_in(page.get_by_text("s of speech", exact=False).last) >= 1)
    page.get_by_role("button", name="Stop").click()
    page.get_by_role("button", name="Start").wait_for()


def test_everything_is_as_it_was_left_after_a_kill(
    page: Page, server: Server, browser: Browser
) -> None:
    """Two windows agree; the server is killed and started again; both come back by themselves."""
    other = open_page(browser, server)
    open_stage(page, "Gate")
    page.get_by_role("textbox", name="Range, type a value").fill("33")
    page.keyboard.press("Enter")
    open_stage(other, "Gate")
    expect(setting(other, "Range")).to_have_attribute("aria-valuetext", "33 decibels")
    server.kill()
    expect(page.get_by_text("No connection to Goshawk")).to_be_visible()
    server.start()
    for window in (page, other):
        expect(window.get_by_text("No connection to Goshawk")).to_be_hidden()
        expect(setting(window, "Range")).to_have_attribute("aria-valuetext", "33 decibels")
    other.close()


def test_a_chain_is_built_and_the_eq_is_set_on_its_curve(page: Page) -> None:
    """Stages come, move and go by buttons; a bell is dragged, then moved by keys; a bold boost is said."""
    open_stage(page, "EQ")
    point = page.get_by_role("button", name=re.compile("^Bell 3 at"))
    box = point.bounding_box()
    assert box
    x, y = box["x"] + 12, box["y"] + 12
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y - 50, steps=5)
    page.mouse.up()
    expect(point).to_have_accessible_name(re.compile(r"1\.\dk hertz, 8\.\d decibels"))
    findings = page.get_by_label("Problems")
    expect(findings).to_contain_text("The EQ lifts a band boldly")
    for _ in range(8):
        page.keyboard.press("ArrowDown")
    expect(point).to_have_accessible_name(re.compile(r"hertz, 4\.\d decibels"))
    expect(findings).to_be_hidden()
    page.get_by_role("textbox", name="Q, type a value").fill("4")
    page.keyboard.press("Enter")
    page.get_by_text("0.4 octaves wide").wait_for()

    path = page.get_by_label("Level path")
    page.get_by_role("button", name="Copy EQ").click()
    expect(path.get_by_text("EQ", exact=True)).to_have_count(2)
    open_stage(page, "High-pass")
    for _ in range(2):
        page.get_by_role("button", name="Move High-pass later").click()
    expect(findings).to_contain_text("The high-pass comes after the gate")
    for _ in range(2):
        page.get_by_role("button", name="Move High-pass earlier").click()
    expect(findings).to_be_hidden()
    open_stage(page, "Compressor")
    page.get_by_role("button", name="Remove Compressor").click()
    expect(path.get_by_text("Compressor", exact=True)).to_be_hidden()
    open_stage(page, "Trim")
    page.get_by_role("button", name="Add stage").click()
    page.get_by_role("menuitem", name="Gate").click()
    expect(path.get_by_text("Gate", exact=True)).to_have_count(2)
    for _ in range(3):
        page.get_by_role("button", name="Undo").click()
    expect(path.get_by_text("Compressor", exact=True)).to_be_visible()


def test_by_keyboard_alone(page: Page) -> None:
    """No mouse: open a stage, move a threshold coarsely and finely, bypass, undo, hear the levels."""
    page.get_by_label("Level path").get_by_role("button", name="Gate").focus()
    page.keyboard.press("Enter")
    opens = notch(page, "Open threshold")
    for _ in range(60):
        page.keyboard.press("Tab")
        if opens.evaluate("element => element === document.activeElement"):
            break
    expect(opens).to_be_focused()
    page.keyboard.press("PageUp")
    expect(opens).to_have_attribute("aria-valuenow", "-36")
    page.keyboard.press("Shift+ArrowDown")
    expect(opens).to_have_attribute("aria-valuenow", "-36.01")
    page.keyboard.press("Delete")
    expect(opens).to_have_attribute("aria-valuenow", "-37")
    page.keyboard.press("b")
    expect(page.get_by_role("button", name="Bypassed", exact=True)).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="Bypass", exact=True)).to_be_visible()
    page.keyboard.press("Control+Shift+Z")
    expect(page.get_by_role("button", name="Bypassed", exact=True)).to_be_visible()
    page.keyboard.press("l")
    spoken = page.get_by_label("Spoken")
    expect(spoken).to_contain_text("Viewers: hear you")
    page.keyboard.press("4")
    expect(page.get_by_role("heading", name="Balance")).to_be_visible()


@pytest.mark.parametrize("theme", [pytest.param("dusk", marks=pytest.mark.quick), "daylight"])
def test_axe_finds_nothing_on_any_view(page: Page, theme: str) -> None:
    if theme == "daylight":
        page.get_by_role("button", name="Use the light theme").click()
    views = (
        "Trim", "High-pass", "Gate", "EQ", "Compressor", "Limiter", "Balance", "Record 5", "Watch 6", "Sound check", "Wiring", "Voice .*name, role",
        "Game to Viewers", "Outputs", "Viewers ?: device, level", "Devices", "Microphone gain", "Delay", "Addresses", "Keys",
    )  # fmt: skip
    for view in views:
        if view in ("Outputs", "Devices", "Microphone gain", "Delay", "Addresses"):
            page.keyboard.press("Escape")
            page.get_by_role("radio", name=view, exact=True).click()
        elif view in ("Trim", "High-pass", "Gate", "EQ", "Compressor", "Limiter"):
            open_stage(page, view)
        else:
            page.get_by_role("button", name=re.compile(f"^{view}")).first.click()
        page.wait_for_timeout(150)
        assert violations(page, colours=theme == "daylight") == [], view
