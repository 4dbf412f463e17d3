"""What a screen reader says, walking through every task: by a virtual one, in the real page."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.server.running import Server

pytestmark = pytest.mark.browser

READER = (
    Path(__file__).parents[2]
    / "frontend/node_modules/@guidepup/virtual-screen-reader/lib/esm/index.browser.js"
)
WALK = """async (most) => {
    await reader.start({ container: document.querySelector("main") });
    for (let n = 0; n < most; n += 1) {
        await reader.next();
        if ((await reader.lastSpokenPhrase()).startsWith("end of main")) break;
    }
    const said = await reader.spokenPhraseLog();
    await reader.stop();
    return said;
}"""
TAKE_LOG = """async () => {
    const said = await reader.spokenPhraseLog();
    await reader.clearSpokenPhraseLog();
    return said;
}"""
OPERATED = r"(button|slider|textbox|combobox|radio|switch|checkbox|link|searchbox|spinbutton)"
NAMELESS = re.compile(
    rf"^{OPERATED}(, (not )?(pressed|checked|expanded|disabled)|, (has|position|orientated|max|min|current|no) .*)*$"
)
PARTS = {
    "Wiring": ["radiogroup, Sections of Wiring", "table, Level of each input", "row", "button, Voice to Viewers"],
    "Sound check": ["button, Record all four", "region, Room", "region, Quiet voice", "region, Normal voice", "region, Loud voice"],
    "Chain": ["combobox, Chain of", "region, Loop", "heading, Gate", "button, Bypass", "slider, Open threshold", "slider, Close threshold"],
    "Balance": ["region, Inputs", "region, Voice", "slider, Voice fader", "region, Game", "button, Match target: Game"],
    "Record": ["region, Recording", "button, Record", "list, Tracks to record", "region, Recordings", "region, Playback"],
    "Watch": ["button, Go live", "region, Checklist", "list", "listitem"],
}  # fmt: skip
"""What is said of each task, in this order, among other things."""


def with_reader(page: Page) -> None:
    page.route(
        "**/reader.js",
        lambda route: route.fulfill(body=READER.read_text(), content_type="text/javascript"),
    )
    page.evaluate("async () => { window.reader = (await import('/reader.js')).virtual; }")


def test_every_task_is_said_in_its_order_and_all_that_is_operated_has_a_name(
    page: Page, server: Server
) -> None:
    with_reader(page)
    server.pass_time(12.0)
    tasks = page.get_by_role("navigation", name="Tasks").get_by_role("button")
    for n, (task, parts) in enumerate(PARTS.items()):
        tasks.nth(n).click()
        page.get_by_role("main", name=task).get_by_role("button").first.wait_for()
        if task == "Watch":
            page.get_by_role("main").get_by_role("listitem").first.wait_for()
        page.wait_for_timeout(400)
        said: list[str] = page.evaluate(WALK, 600)
        assert said[0] == f"main, {task}"
        assert any(one.startswith("heading") for one in said[:24]), task
        assert said[-1] == f"end of main, {task}"
        rest = iter(said)
        for part in parts:
            assert any(one.startswith(part) for one in rest), f"{task}: {part}"
        assert [one for one in said if NAMELESS.match(one)] == [], task
        # A slider says its value, not the place of its thumb; no name is said twice.
        assert [one for one in said if re.search(r"value -?\d+\.\d{4,}", one)] == []
        assert [one for one in said if re.match(r"^\w+, ([^,]+), \1(,|$)", one)] == []


def test_a_change_is_said_once_and_what_flickers_is_not(page: Page, server: Server) -> None:
    with_reader(page)
    server.pass_time(12.0)
    page.wait_for_timeout(2000)
    page.evaluate("() => reader.start({ container: document.body })")
    page.evaluate(TAKE_LOG)
    # Pauses between words: what reaches viewers comes and goes, and that is no news.
    server.pass_time(12.0)
    page.wait_for_timeout(2000)
    assert page.evaluate(TAKE_LOG) == []
    page.keyboard.press("m")
    server.pass_time(2.0)
    page.wait_for_timeout(2500)
    said: list[str] = page.evaluate(TAKE_LOG)
    assert said[0] == "assertive: Your voice is muted for everyone"
    assert [one.split(",")[0] for one in said[1:]] == ["polite: Viewers: do not hear you"]
    # Off and on again within a moment: what the lamps come to is what they were, and nothing is said of it.
    mute = page.get_by_label("Tasks and monitor").get_by_role("button", name="Muted")
    for is_muted in (False, True):
        page.keyboard.press("m")
        expect(mute).to_have_count(int(is_muted))
    server.pass_time(2.0)
    page.wait_for_timeout(2500)
    said = page.evaluate(TAKE_LOG)
    assert [one for one in said if one.startswith("polite")] == []
