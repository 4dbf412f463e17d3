"""Wiring in the real interface: by mouse, by keyboard alone, and by the accessibility tree alone."""

import json
import re
import urllib.request
from contextlib import suppress
from typing import Any

import pytest
from playwright.sync_api import Page, TimeoutError, expect

from tests.stories.conftest import Server
from tests.stories.test_first_evening import eventually, lamp

pytestmark = pytest.mark.browser


def set_up(server: Server, **settings: Any) -> None:
    """Make the rig wrong, as a user may find it."""
    for path, value in settings.items():
        body = json.dumps({"path": path.replace("__", "."), "value": value}).encode()
        request = urllib.request.Request(
            f"{server.url}/api/rig",
            body,
            {"Content-Type": "application/json", "Origin": server.url},
            method="PATCH",
        )
        urllib.request.urlopen(request).close()


def voice(server: Server) -> dict[str, Any]:
    with urllib.request.urlopen(f"{server.url}/api/state") as reply:
        state = json.load(reply)
    found: dict[str, Any] = next(i for i in state["rig"]["inputs"] if i["id"] == "voice")
    return found


WRONG = {
    "inputs__voice__device": "laptop",
    "inputs__voice__channels": "stereo",
    "inputs__copilot__sends__call__is_heard": True,
}


def is_right(page: Page, server: Server) -> None:
    """The microphone, its left channel, a mix-minus for the call, and viewers alone not hearing it."""
    eventually(page, lambda: voice(server)["sends"]["viewers"]["is_heard"] is False)
    assert (voice(server)["device"], voice(server)["channels"]) == ("attic", "left")
    expect(lamp(page, "Viewers")).to_have_text("Viewers do not hear you")
    expect(lamp(page, "Call")).to_have_text("Call hears you")
    expect(page.get_by_role("button", name="Co-pilot to Call: not heard")).to_be_visible()


def press_until_focused(page: Page, role: str, name: str, *, key: str = "Tab") -> None:
    """Walk with the keyboard until the focus is there."""
    wanted = page.get_by_role(role, name=re.compile(name)).first  # type: ignore[arg-type]
    for _ in range(90):
        if wanted.evaluate("element => element === document.activeElement"):
            return
        page.keyboard.press(key)
        # Arrows move the focus in a task of their own: the next key would be pressed where the focus no longer is.
        page.evaluate("() => new Promise((done) => setTimeout(done, 0))")
    raise AssertionError(f"the keyboard does not reach {name}")


def test_by_keyboard_alone(page: Page, server: Server) -> None:
    set_up(server, **WRONG)
    page.keyboard.press("1")
    press_until_focused(page, "button", "^Voice .*name, role")
    page.keyboard.press("Enter")
    press_until_focused(page, "radio", "^Laptop microphone")
    press_until_focused(page, "radio", "^Attic interface", key="ArrowUp")
    page.keyboard.press("Space")
    press_until_focused(page, "radio", "^stereo")
    press_until_focused(page, "radio", "^left", key="ArrowLeft")
    page.keyboard.press("Space")
    eventually(page, lambda: voice(server)["channels"] == "left")
    press_until_focused(page, "button", "^Close")
    page.keyboard.press("Enter")
    # The finding about the call has its button.
    press_until_focused(page, "button", "^Take Co-pilot off Call")
    page.keyboard.press("Enter")
    press_until_focused(page, "button", "^Voice to Viewers")
    page.keyboard.press("Enter")
    press_until_focused(page, "switch", "^Heard")
    page.keyboard.press("Space")
    page.keyboard.press("Escape")
    is_right(page, server)


def test_by_the_accessibility_tree_alone(page: Page, server: Server) -> None:
    """Only roles and names, as a screen reader has them."""
    set_up(server, **WRONG)
    page.get_by_role("navigation", name="Tasks").get_by_role("button", name="Wiring").click()
    page.get_by_role("button", name=re.compile("^Voice .*name, role, device and channels")).click()
    panel = page.get_by_role("region", name="Input Voice")
    panel.get_by_role("radiogroup", name="Device").get_by_role(
        "radio", name=re.compile("Attic interface")
    ).click()
    # The level of each device is there to be read before one is chosen.
    eventually(
        page,
        lambda: (
            panel.get_by_role("meter", name="Attic interface, left").get_attribute("aria-valuetext")
            != "silent"
        ),
    )
    panel.get_by_role("radiogroup", name="Channels").get_by_role("radio", name="left").click()
    page.get_by_role("button", name=re.compile("Co-pilot to Call: 0.0 dB")).click()
    page.get_by_role("dialog", name="Co-pilot to Call").get_by_role("switch", name="Heard").click()
    page.keyboard.press("Escape")
    page.get_by_role("group", name="Who hears the microphone").get_by_role(
        "button", name=re.compile("^Viewers")
    ).click()
    is_right(page, server)


@pytest.mark.quick
def test_inputs_are_named_ordered_and_removed(page: Page) -> None:
    page.keyboard.press("1")
    page.get_by_role("button", name="Add input").click()
    page.get_by_role("menuitem", name="Other").click()
    # It is opened at once: a device is what it wants next.
    name = page.get_by_role("textbox", name="Name of the input")
    for refused, sentence in (("game", "Choose another name"), ("x" * 200, "40 characters")):
        name.fill(refused)
        page.keyboard.press("Enter")
        page.get_by_text(sentence).wait_for()
        expect(name).to_have_value("Input")
    name.fill("Bells")
    page.keyboard.press("Enter")
    page.get_by_role("button", name=re.compile("^Bells .*name, role")).wait_for()
    for _ in range(4):
        page.get_by_role("button", name="Move up").click()
    first = page.get_by_role("table").get_by_role("rowheader").first
    expect(first).to_contain_text("Bells")
    page.get_by_role("button", name="Remove Bells").click()
    page.get_by_text("Bells was removed. Undo brings it back.").wait_for()
    expect(first).to_contain_text("Voice")
    page.get_by_role("button", name="Undo").click()
    expect(first).to_contain_text("Bells")


def test_silence_for_everyone_for_a_cough_and_for_a_break(page: Page) -> None:
    eventually(page, lambda: "hear you" in lamp(page, "Viewers").inner_text())
    page.keyboard.down("c")
    expect(lamp(page, "Call")).to_have_text("Call does not hear you")
    page.keyboard.up("c")
    expect(lamp(page, "Call")).to_have_text(re.compile("Call (hears|would hear) you"))
    page.keyboard.press("p")
    expect(lamp(page, "Viewers")).to_have_text("Viewers do not hear you")
    expect(lamp(page, "Call")).to_have_text("Call hears you")
    page.keyboard.press("p")
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")
    page.keyboard.press("m")
    for feed in ("Viewers", "Call", "Archive"):
        expect(lamp(page, feed)).to_have_text(re.compile("not"))
    page.keyboard.press("m")
    expect(lamp(page, "Archive")).to_have_text("Archive records you")


def test_hearing_as_another_changes_nothing_and_one_key_leads_back(page: Page) -> None:
    choice = page.get_by_role("combobox", name="Monitor")
    expect(choice).to_have_text("You")
    page.get_by_role("button", name="Listen", exact=True).click()
    for other in ("Viewers", "Game solo"):
        choice.click()
        page.get_by_role("option", name=other).click()
        expect(choice).to_have_text(other)
        eventually(
            page, lambda: "ms buffered" in page.get_by_label("Tasks and monitor").inner_text()
        )
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")
    page.locator("body").focus()
    page.keyboard.press("y")
    expect(choice).to_have_text("You")
    # An input that is removed cannot be heard alone any more.
    choice.click()
    page.get_by_role("option", name="Game solo").click()
    page.keyboard.press("1")
    page.get_by_role("button", name=re.compile("^Game .*name, role")).click()
    page.get_by_role("button", name="Remove Game").click()
    expect(choice).to_have_text("You")


def test_an_unplugged_device_is_kept_and_the_delay_is_measured(page: Page) -> None:
    page.keyboard.press("1")
    page.get_by_role("radio", name="Devices").click()
    page.get_by_role("button", name="Lanternlock").click()
    page.get_by_role("button", name="Unplug").click()
    findings = page.get_by_role("region", name="Problems")
    expect(findings).to_contain_text("Lanternlock is unplugged. Plug it in")
    page.get_by_role("radio", name="Who hears what").click()
    page.get_by_role("region", name="Game: no sound").get_by_role("button", name="Ignore").click()
    expect(findings).to_contain_text("1 ignored")
    page.get_by_role("radio", name="Devices").click()
    page.get_by_role("button", name="Plug in again").click()
    expect(findings).to_be_hidden()

    page.get_by_role("radio", name="Delay", exact=True).click()
    ledger = page.get_by_role("region", name="Delay from the microphone to Viewers")
    ledger.get_by_role("button", name="Send a click").click()
    expect(ledger).to_contain_text(re.compile(r"37\.5 ms measured 37\.[45]"))
    page.get_by_role("button", name="Find the smallest stable size").click()
    page.get_by_role("progressbar", name="Search").wait_for()
    page.get_by_role("button", name="Stop", exact=True).click()
    page.get_by_text("The buffer is unchanged").wait_for()


def test_another_program_is_given_an_address_and_it_is_taken_back(
    page: Page, server: Server
) -> None:
    """By keyboard; the bare page then plays in a window of its own, until it may not."""
    page.keyboard.press("1")
    press_until_focused(page, "radio", "^Who hears what")
    press_until_focused(page, "radio", "^Addresses", key="ArrowRight")
    page.keyboard.press("Space")
    press_until_focused(page, "textbox", "^Name of the program")
    page.keyboard.type("Second screen")
    page.keyboard.press("Enter")
    address = page.get_by_role("textbox", name="Address", exact=True)
    expect(address).to_have_value(re.compile(r"/listen/viewers\?token=.{20}"))
    page.get_by_role("radio", name="WAV").click()
    expect(address).to_have_value(re.compile(r"/api/feeds/viewers/stream\.wav\?token="))
    page.get_by_role("radio", name="Page").click()

    bare = page.context.new_page()
    bare.goto(f"{server.url}/listen/viewers?token=wrong")
    expect(bare.get_by_role("status")).to_contain_text("needs a valid token")
    bare.goto(address.input_value())
    play = bare.get_by_role("button", name="Play")
    expect(bare.get_by_role("status")).to_have_text(re.compile("playing|only after a click"))
    with suppress(TimeoutError):  # a browser that may play by itself may only just begin to
        if play.is_visible():
            play.click(timeout=5_000)
    expect(bare.get_by_role("status")).to_have_text("playing")
    eventually(
        bare,
        lambda: bare.get_by_role("meter", name="Level").get_attribute("aria-valuetext") != "silent",
    )
    row = page.get_by_role("table", name="Addresses").get_by_role("row", name="Second screen")
    expect(row).to_contain_text("listening")
    page.get_by_role("button", name="Revoke: Second screen").click()
    expect(page.get_by_text("No addresses yet")).to_be_visible()
    expect(bare.get_by_role("status")).to_contain_text("needs a valid token")
    bare.close()
