"""The whole sound check: with the stand-in by keyboard alone, with a browser's microphone by mouse, and by files."""

import json
import re
from pathlib import Path

import pytest
import soundfile
from playwright.sync_api import Locator, Page, expect

from goshawk.core.measure.take import TakeKind
from tests.cli.test_cli import goshawk
from tests.situations import takes_of
from tests.stories.accessible import violations
from tests.stories.conftest import CHROMIUM, FLAGS, Server, open_page
from tests.stories.test_first_evening import choose_device

pytestmark = pytest.mark.browser
NAMES: dict[TakeKind, str] = {
    "room": "Room",
    "low": "Quiet voice",
    "usual": "Normal voice",
    "big": "Loud voice",
}
"""A round of takes lasts a minute by itself."""


@pytest.fixture
def files(tmp_path: Path) -> dict[TakeKind, Path]:
    """Takes as a browser's fake microphone plays them: over and over, at its own rate."""
    paths = {}
    for kind, sound in takes_of("porter").items():
        paths[kind] = tmp_path / f"{kind}.wav"
        soundfile.write(paths[kind], sound, 48_000, subtype="FLOAT")
    return paths


def follows(page: Page, stage: str) -> Locator:
    """What is suggested for a stage."""
    row = page.get_by_label("Suggested settings").get_by_role("listitem")
    return row.filter(has=page.get_by_role("heading", name=stage, exact=True))


def proved(page: Page, figure: str) -> float:
    row = page.get_by_role("row", name=re.compile(f"^{figure}"))
    return float(row.get_by_role("cell").nth(1).inner_text().replace("−", "-"))


def tab_to(page: Page, name: str | re.Pattern[str], role: str = "button") -> None:
    """Go on with Tab until something is reached."""
    wanted = page.get_by_role(role, name=name).first  # type: ignore[arg-type]
    for _ in range(120):
        if wanted.evaluate("element => element === document.activeElement"):
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"{name} is not reached with Tab")


def test_with_the_stand_in_by_keyboard_alone(page: Page, server: Server) -> None:
    page.keyboard.press("2")
    tab_to(page, "Record all four")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Recording the take: Room")).to_contain_text("Stay quiet")
    expect(page.get_by_label("Recording the take: Room")).to_be_focused()
    tab_to(page, "Cancel")
    page.keyboard.press("Enter")
    expect(page.get_by_role("region", name="Suggested settings", exact=True)).to_be_focused()
    tab_to(page, "Record all four")
    page.keyboard.press("Enter")
    with server.hurried():
        expect(page.get_by_label("Recording the take: Quiet voice")).to_contain_text("Recording")
        expect(page.get_by_role("progressbar", name="Computing")).to_be_visible()
    expect(page.get_by_role("button", name="Apply all")).to_be_visible()
    expect(page.get_by_label("Measured", exact=True)).to_contain_text("It hums at 100 Hz")
    tab_to(page, "Levels", "radio")
    for view in ("Spectrum", "Proof"):
        page.keyboard.press("ArrowRight")
        expect(page.get_by_role("radio", name=view)).to_be_focused()
    page.keyboard.press("Space")
    assert abs(proved(page, "Usual peaks") + 7) < 1.5
    assert abs(proved(page, "Quiet to loud") - 10) < 2
    assert proved(page, "Cut first syllables") == 0

    tab_to(page, "Gate", "switch")
    page.keyboard.press("Space")
    expect(page.get_by_role("switch", name="Gate")).not_to_be_checked()
    expect(follows(page, "Gate")).to_contain_text("refused")
    tab_to(page, "Adjust: High-pass")
    page.keyboard.press("Enter")
    page.keyboard.press("Control+a")
    page.keyboard.type("70")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Suggested settings")).to_contain_text("adjusted")
    assert violations(page) == []

    expect(page.get_by_role("button", name="Apply all")).to_be_visible()
    page.keyboard.press("Escape")  # the figures' small area is still open
    page.get_by_role("button", name="Apply all").press("Enter")
    expect(page.get_by_text("Applied. Undo takes it back")).to_be_focused()
    page.keyboard.press("3")
    path = page.get_by_label("Level path", exact=True)
    expect(path.get_by_role("button", name=re.compile("^High-pass"))).to_contain_text("70")
    expect(path.get_by_role("button", name=re.compile("^Gate"))).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(path.get_by_role("button", name=re.compile("^Gate"))).to_have_count(1)


def test_files_on_the_screen_and_on_the_command_line_give_one_preset(
    page: Page, server: Server, files: dict[TakeKind, Path], tmp_path: Path
) -> None:
    page.keyboard.press("2")
    page.get_by_label("Sound file: Normal voice").set_input_files(Path(__file__))
    expect(page.get_by_text("cannot be read as sound")).to_be_visible()
    for kind, name in NAMES.items():
        page.get_by_label(f"Sound file: {name}").set_input_files(files[kind])
        expect(page.get_by_label(name, exact=True)).to_contain_text("dBFS")
    page.get_by_role("button", name="Apply all").click()
    page.get_by_text("Applied. Undo takes it back").wait_for()
    page.keyboard.press("3")
    page.get_by_role("button", name=re.compile("^Preset:")).click()
    page.get_by_label("Name of the preset").fill("Checked")
    page.get_by_role("button", name="Save", exact=True).click()
    with page.expect_download() as export:
        page.get_by_label("Export Checked").click()
    export.value.save_as(tmp_path / "screen.json")
    options = [part for kind in NAMES for part in (f"--{kind}", files[kind])]
    done = goshawk("soundcheck", *options, "--out", tmp_path / "line.json")
    assert done.returncode == 0, done.stderr
    chains = [
        json.loads((tmp_path / f"{name}.json").read_text())["chain"] for name in ("screen", "line")
    ]
    assert chains[0] == chains[1]

    # A louder room on another day: what has changed is said, and just that is mended.
    page.keyboard.press("Escape")
    page.keyboard.press("2")
    louder, rate_hz = soundfile.read(files["room"])
    soundfile.write(tmp_path / "louder.wav", louder * 2, rate_hz, subtype="FLOAT")
    page.get_by_label("Sound file: Room").set_input_files(tmp_path / "louder.wav")
    since = page.get_by_label("Changes since the last check")
    expect(since).to_contain_text("The room is 6 dB louder")
    since.get_by_role("button", name="Fix only this").click()
    page.get_by_text("Applied. Undo takes it back").wait_for()


TRIES = 3


def test_with_a_browsers_microphone(
    page: Page, server: Server, files: dict[TakeKind, Path]
) -> None:
    """One browser a take: each plays its file as the microphone, and is the only one that shows anything, as somebody's is.
    Two takes are given as files."""
    page.keyboard.press("2")
    for kind in ("room", "low"):
        page.get_by_label(f"Sound file: {NAMES[kind]}").set_input_files(files[kind])
        expect(page.get_by_label(NAMES[kind], exact=True)).to_contain_text("dBFS")
    page.goto("about:blank")
    engine = page.context.browser.browser_type if page.context.browser else None
    assert engine
    for kind in ("usual", "big"):
        fake = [
            "--use-fake-ui-for-media-stream",
            "--use-fake-device-for-media-stream",
            f"--use-file-for-fake-audio-capture={files[kind]}",
        ]
        browser = engine.launch(executable_path=CHROMIUM, args=[*FLAGS, *fake])
        speaker = open_page(browser, server)
        choose_device(speaker, "This browser's microphone")
        speaker.get_by_role("button", name="Open this browser's microphone").click()
        speaker.get_by_role("button", name="Close the microphone").wait_for()
        speaker.keyboard.press("2")
        card = speaker.get_by_label(NAMES[kind], exact=True)
        for _ in range(TRIES):
            speaker.get_by_role("button", name=f"Record: {NAMES[kind]}").click()
            expect(speaker.get_by_label(f"Recording the take: {NAMES[kind]}")).to_be_visible()
            # A machine that stands still time and again is said to, and the take asked for again.
            expect(card).to_contain_text(re.compile("dBFS|again and again"))
            if "dBFS" in card.inner_text():
                break
        expect(card).to_contain_text("dBFS")
        browser.close()
    page.goto(server.url)
    page.get_by_text("Level path").wait_for()
    page.keyboard.press("2")
    page.get_by_role("radio", name="Proof").click()
    assert abs(proved(page, "Usual peaks") + 7) < 1.5
    assert abs(proved(page, "Quiet to loud") - 10) < 2
