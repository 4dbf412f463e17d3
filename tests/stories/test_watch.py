"""Before going on air, on air and after, in the real interface: a newcomer's path, an evening by mouse, and by keyboard alone."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.server.running import Server
from tests.stories.accessible import violations
from tests.stories.test_first_evening import choose_device
from tests.stories.test_sound_check import tab_to
from tests.waiting import wait_for

pytestmark = pytest.mark.browser


def test_a_newcomer_goes_on_air_from_an_empty_rig_in_the_order_of_the_page(
    page: Page, server: Server
) -> None:
    server.empty_rig()
    server.change("inputs.game.trim_db", 10.0)
    server.change("is_on_break", True)
    page.get_by_role("button", name=re.compile("^Watch 6")).click()
    before = page.get_by_label("Checklist")
    lines = before.get_by_role("listitem")
    expect(lines.first).to_contain_text("No microphone yet")
    expect(lines).to_have_text(
        [re.compile(word) for word in (
            "microphone", "sound check", "Viewers", "call", "Speak a sentence", "full mix", "Delay|behind video", "keeps up|late", "[Dd]isk|Recording",
        )]
    )  # fmt: skip
    # The first line leads to where a microphone is chosen.
    before.get_by_role("button", name="Wiring …").first.click()
    expect(page.get_by_role("heading", name="Wiring")).to_be_visible()
    choose_device(page, "Attic interface")
    page.keyboard.press("Escape")
    page.keyboard.press("6")
    expect(lines.first).to_contain_text(re.compile("Your microphone (is connected|works)"))
    # The second is the sound check, which may be made another time (a story before this one may have left one).
    expect(lines.nth(1)).to_contain_text(re.compile("sound check"))
    page.keyboard.press("2")
    expect(page.get_by_role("heading", name="Sound check")).to_be_visible()
    page.keyboard.press("6")
    # The third to where the voice leaves.
    expect(before.get_by_text("Viewers has no output")).to_be_visible()
    before.get_by_role("button", name="Wiring …").first.click()
    page.get_by_role("radio", name="Outputs").click()
    page.get_by_role("button", name="Add output").click()
    page.get_by_role("menuitem", name="Viewers").click()
    page.get_by_role("combobox", name="Destination").click()
    page.get_by_role("option", name=re.compile("Broadcast encoder")).click()
    server.change("inputs.game.device", "game")
    page.keyboard.press("6")
    server.pass_time(14.0)
    expect(before.get_by_text("Viewers do not hear you")).to_be_visible()
    # One press mends it, or leads to its task.
    before.get_by_role("button", name="Let viewers hear me").click()
    expect(before.get_by_text("Viewers hear the right inputs")).to_be_visible()
    server.pass_time(12.0)
    expect(before.get_by_text(re.compile(r"Game is \d+\.\d dB too close"))).to_be_visible()
    before.get_by_role("button", name="Match target").first.click()
    server.pass_time(12.0)
    expect(before.get_by_text(re.compile(r"Game is 1\d"))).to_have_count(0)
    assert violations(page) == []
    page.get_by_role("button", name="Choose…").click()
    page.get_by_role("switch", name=re.compile("^The mix limiter works hard")).click()
    page.keyboard.press("Escape")
    expect(page.get_by_text("14 alerts on")).to_be_visible()
    # What is open is said, and keeps nobody from it.
    page.get_by_role("button", name=re.compile("^Go live")).first.click()
    expect(page.get_by_text("live for")).to_be_visible()


FAULTS: tuple[tuple[str, dict[str, object], float], ...] = (
    ("The delay has grown", {"feeds.viewers.delay_ms": 300.0}, 15.0),
    ("The call hears itself", {"inputs.copilot.sends.call.is_heard": True}, 15.0),
)
"""Besides the break: what is wrong, by which settings, and how long that is to be seen."""


def test_an_evening_is_watched_told_large_and_reported(page: Page, server: Server) -> None:
    page.keyboard.press("6")
    page.get_by_role("button", name="Go live and record").click()
    expect(page.get_by_text("live for")).to_be_visible()
    wait_for("a recording", lambda: server.ask("/api/recordings/current", "GET")["seconds"])
    server.pass_time(25.0)
    page.get_by_role("button", name="Add mark").click()
    page.keyboard.press("p")  # a break
    server.pass_time(12.0)
    # Told large over every task, on the lamp, and in the window's title.
    page.keyboard.press("4")
    alert = page.get_by_role("alert").filter(has_text="You talk, but viewers do not hear you")
    expect(alert).to_be_visible()
    expect(page).to_have_title(re.compile("^▲ You talk"))
    lamps = page.get_by_label("Who hears the microphone")
    expect(lamps.get_by_role("button", name="Viewers do not hear you")).to_contain_text("▲")
    alert.get_by_role("button", name="Dismiss").click()
    expect(alert).to_have_count(0)
    page.keyboard.press("6")
    expect(page.get_by_label("Events", exact=True)).to_contain_text("your mark")
    # The small window shows and does the same.
    small = page.context.new_page()
    small.set_viewport_size({"width": 460, "height": 120})
    small.goto(f"{server.url}/small")
    expect(small.get_by_text(re.compile(r"^live \d"))).to_be_visible()
    assert violations(small) == []
    small.get_by_role("button", name="On break").click()
    expect(small.get_by_role("button", name="Break", exact=True)).to_be_visible()
    overflow = "document.documentElement.scrollHeight - document.documentElement.clientHeight"
    assert small.evaluate(overflow) <= 0
    small.close()
    server.pass_time(15.0)
    expect(page.get_by_role("img", name=re.compile("^Above Game: .* dB now"))).to_be_visible()
    assert violations(page) == []
    # Two more faults, one after the other: each is told while it lasts.
    moments = page.get_by_label("Events", exact=True)
    for title, changes, lasts_s in FAULTS:
        for path, value in changes.items():
            server.change(path, value)
        server.pass_time(lasts_s)
        expect(moments).to_contain_text(title)
        for _ in changes:
            page.keyboard.press("Control+z")
        server.pass_time(14.0)
    # A moment is heard again, in this page alone.
    with page.expect_request(re.compile(r"/recordings/[^/]+/listen\?way=came")):
        unheard = moments.get_by_role("button").filter(has_text="You talk, but viewers do not")
        unheard.first.click()
    page.get_by_role("button", name="Stop playback").click()
    page.get_by_role("button", name="End broadcast").click()
    expect(page.get_by_label("Next time")).to_be_visible()
    expect(page.get_by_text(re.compile("Heard by viewers"))).to_be_visible()
    expect(page.get_by_label("Changes during the broadcast")).to_contain_text("Break on")
    for title in ("You talk, but viewers do not hear you", *(title for title, _, _ in FAULTS)):
        expect(moments).to_contain_text(title)
    assert violations(page) == []
    page.get_by_role("button", name="Save report…").click()
    with page.context.expect_page() as opened:
        page.get_by_role("link", name="One page to read or print").click()
    kept = opened.value
    expect(kept.get_by_role("heading", name="Events", exact=True)).to_be_visible()
    assert violations(kept) == []
    kept.close()


def test_by_keyboard_alone_over_a_restart(page: Page, server: Server) -> None:
    server.change("watch.records", False)
    page.keyboard.press("6")
    tab_to(page, "Go live")
    page.keyboard.press("Enter")
    expect(page.get_by_text("live for")).to_be_visible()
    # What was pressed is gone: the keyboard goes on at the title of what has come instead.
    expect(page.get_by_role("heading", name="Watch")).to_be_focused()
    server.pass_time(20.0)
    page.keyboard.press("m")
    server.pass_time(14.0)
    # Nothing is recorded: what was said is heard again from the last minutes.
    tab_to(page, re.compile(r"^\d.*You talk, but viewers and the call do not hear you"))
    with page.expect_response(re.compile(r"/watch/listen\?way=came")) as heard:
        page.keyboard.press("Enter")
    assert heard.value.ok
    tab_to(page, "Let viewers and the call hear me")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Mute", exact=True).first).to_be_visible()

    def is_on_disk() -> bool:
        evening = server.evening_on_disk()
        moments = evening.events if evening else []
        return any(one.rule == "talk_unheard" and one.ended_s is not None for one in moments)

    wait_for("what was found on the disk", is_on_disk)
    server.kill()
    server.start()
    expect(page.get_by_text("live for")).to_be_visible()
    expect(page.get_by_label("Events", exact=True)).to_contain_text("Goshawk was away")
    server.pass_time(5.0)
    tab_to(page, "End broadcast")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Next time")).to_contain_text("You talked once")
    expect(page.get_by_role("heading", level=2)).to_be_focused()
    tab_to(page, re.compile("^Back"))
    page.keyboard.press("Enter")
    expect(page.get_by_label("Broadcasts").get_by_role("listitem")).to_have_count(1)
    tab_to(page, re.compile(r"\w+ \d+ 0:0\d:"))
    page.keyboard.press("Enter")
    tab_to(page, "Delete")
    page.keyboard.press("Enter")
    expect(page.get_by_text("No broadcasts yet.")).to_be_visible()
    tab_to(page, "Restore")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Broadcasts").get_by_role("listitem")).to_have_count(1)
