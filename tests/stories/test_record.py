"""An evening is kept, listened to and used, in the real interface: by mouse, by keyboard alone, and after a crash."""

import re
import zipfile
from contextlib import suppress
from pathlib import Path

import psutil
import pytest
from playwright.sync_api import Locator, Page, expect

from tests.server.running import Server
from tests.stories.test_first_evening import eventually
from tests.stories.test_sound_check import tab_to
from tests.waiting import wait_for
from tools.kill_recordings import running

pytestmark = pytest.mark.browser


def kept(page: Page) -> Locator:
    return page.get_by_label("Recordings").get_by_role("listitem")


def place(page: Page) -> float:
    """Where the player stands, in seconds."""
    return float(page.get_by_label("Playback position").get_attribute("aria-valuenow") or "nan")


def test_record_mark_stop_listen_use_and_hand_over(
    page: Page, server: Server, tmp_path: Path
) -> None:
    page.get_by_role("button", name=re.compile("^Record 5")).click()
    expect(page.get_by_label("Recordings")).to_contain_text("No recordings yet")
    page.get_by_role("button", name="Tracks…").click()
    page.get_by_role("checkbox", name="Call", exact=False).last.click()
    name = page.get_by_label("Name (")
    name.fill("{date} the lock")
    name.press("Enter")
    expect(page.get_by_text(re.compile(r"Next: \d{4}-\d\d-\d\d the lock"))).to_be_visible()
    page.keyboard.press("Escape")

    page.get_by_role("button", name="Record", exact=True).click()
    wait_for("sound", lambda: running(server))
    server.pass_time(9.0)
    page.get_by_role("button", name="Add mark").click()
    page.get_by_role("button", name="1 mark…").click()
    page.get_by_label(re.compile("Name of the mark at 0:00:[01]")).fill("the bell")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    server.pass_time(16.0)
    # It outlives its page.
    page.reload()
    page.get_by_text("Level path").wait_for()
    page.keyboard.press("5")
    expect(page.get_by_label("Waveforms of 7 tracks", exact=False)).to_be_visible()
    peaks = page.get_by_label("Peak hold, dBFS").get_by_role("listitem")
    expect(peaks).to_have_count(7)
    expect(peaks.first).to_contain_text(re.compile(r"−\d"))
    page.get_by_role("button", name="Stop recording").click()

    (row,) = [kept(page)]
    expect(row).to_contain_text("the lock")
    row.get_by_role("button").first.click()
    back = page.get_by_role("region", name="Playback", exact=True)
    expect(back).to_contain_text(re.compile(r"Loudness\s*−\d\d"))
    back.get_by_role("button", name="1 mark…").click()
    expect(page.get_by_label(re.compile("Name of the mark at"))).to_have_value("the bell")
    page.keyboard.press("Escape")
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    for way, said in (("raw", "came"), ("as broadcast", "was"), ("current chain", "now")):
        back.get_by_role("radio", name=way).click()
        before = place(page)
        back.get_by_role("button", name="Play", exact=True).click()
        eventually(page, lambda before=before: place(page) > before)  # type: ignore[misc]
        back.get_by_role("button", name="Pause").click()
        assert any(f"/listen?way={said}" in one for one in asked)

    # A piece is drawn on the waveform; it becomes a take.
    box = page.get_by_label("Playback position").bounding_box()
    assert box
    y = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + box["width"] * 0.1, y)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.9, y, steps=5)
    page.mouse.up()
    expect(back.get_by_text(re.compile(r"0:00:0\d to 0:00:2\d"))).to_be_visible()

    back.get_by_role("button", name="Export…").click()
    page.get_by_role("radio", name="WAV").click()
    page.get_by_role("button", name="Export", exact=True).click()
    with page.expect_download() as download:
        page.get_by_role("link", name="download as zip").click()
    download.value.save_as(tmp_path / "handed.zip")
    names = zipfile.ZipFile(tmp_path / "handed.zip").namelist()
    assert sum(one.endswith(".wav") for one in names) == 7
    page.keyboard.press("Escape")

    back.get_by_role("button", name="Use in…").click()
    page.get_by_role("button", name="normal voice").click()
    expect(page.get_by_text("The selection is now a take.")).to_be_visible()
    expect(page.get_by_role("heading", name="Sound check")).to_be_visible()
    assert "usual" in server.ask("/api/sound-check", "GET")["takes"]


def test_by_keyboard_alone_after_a_crash_in_the_middle(page: Page, server: Server) -> None:
    page.keyboard.press("5")
    page.keyboard.press("r")
    expect(page.get_by_role("button", name="Stop recording")).to_be_visible()
    before = wait_for("sound", lambda: running(server))
    server.pass_time(12.0)
    page.keyboard.press("k")
    expect(page.get_by_role("button", name="1 mark…")).to_be_visible()
    # A power cut: nobody tidies up.
    for one in reversed(server.processes()):
        with suppress(psutil.NoSuchProcess):
            one.kill()
    server.kill()
    server.start()
    expect(page.get_by_role("button", name="Record", exact=True)).to_be_enabled()
    expect(kept(page)).to_contain_text("interrupted, repaired")

    tab_to(page, re.compile(r"attic|Attic|\d{4}-", re.IGNORECASE))
    page.keyboard.press("Enter")
    back = page.get_by_role("region", name="Playback", exact=True)
    expect(back).to_contain_text("broke off and was mended")
    tab_to(page, "Playback position", "slider")
    page.keyboard.press("PageUp")
    page.keyboard.press("Home")
    page.keyboard.press("Enter")
    eventually(page, lambda: place(page) > 1)
    page.keyboard.press("Space")
    tab_to(page, "To here")
    page.keyboard.press("Enter")
    expect(back.get_by_text(re.compile(r"0:00:00 to 0:00:\d\d"))).to_be_visible()
    assert abs(server.ask(f"/api/recordings/{before['id']}", "GET")["seconds"] - 12.0) < 4.0
    # Started and stopped once more, named, deleted and brought back.
    page.keyboard.press("r")
    wait_for("sound", lambda: running(server))
    page.keyboard.press("Shift+R")
    expect(kept(page)).to_have_count(2)
    tab_to(page, re.compile("^Delete"))
    page.keyboard.press("Enter")
    expect(kept(page)).to_have_count(1)
    tab_to(page, "Restore")
    page.keyboard.press("Enter")
    expect(kept(page)).to_have_count(2)
