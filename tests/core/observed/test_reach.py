"""Whom a microphone reaches: measured, over one second of the timeline, however often readings come."""

import pytest

from goshawk.core.observed.reach import ReachMeter, VoicesNow
from goshawk.core.observed.time_window import TimeWindow
from goshawk.core.routing import FEEDS
from goshawk.units import SAMPLE_RATE_HZ

OPEN, SHUT = [1.0] * 4, [0.0] * 4
SPEECH, SILENCE = [0.3] * 4, [0.0] * 4
ALL_LEAVE = [True] * 4


def voices(
    gains: list[float],
    arrived: list[float],
    *,
    leaves: list[bool] = ALL_LEAVE,
    replays: bool = False,
) -> VoicesNow:
    return VoicesNow(gains, arrived, leaves, replays)


@pytest.mark.parametrize("a_second", [8, 30])
def test_a_voice_is_heard_for_one_second_after_its_last_sound_however_often_readings_come(
    a_second: int,
) -> None:
    meter, frames = ReachMeter(), SAMPLE_RATE_HZ // a_second
    assert meter.of("viewers") == "unknown", "nothing was measured yet"
    meter.push(0, voices(OPEN, SPEECH))
    for number in range(1, a_second):
        meter.push(number * frames, voices(OPEN, SILENCE))
        assert meter.of("viewers") == "hears", number
    meter.push((a_second + 1) * frames, voices(OPEN, SILENCE))
    assert meter.of("viewers") == "open"


def test_what_is_shut_is_shut_at_once_and_opens_with_what_arrives() -> None:
    meter = ReachMeter()
    meter.push(0, voices(OPEN, SPEECH))
    meter.push(100, voices([0.0, 1.0, 1.0, 1.0], SILENCE))
    assert meter.all() == dict(zip(FEEDS, ["closed", "hears", "hears", "hears"], strict=True))
    meter.push(200, voices(OPEN, SPEECH, replays=True))
    assert meter.all() == dict(zip(FEEDS, ["closed", "hears", "closed", "closed"], strict=True))


def test_nobody_at_a_feeds_end_hears_nothing_but_the_archive_keeps_it() -> None:
    meter = ReachMeter()
    meter.push(0, voices(OPEN, SPEECH, leaves=[False] * 4))
    assert meter.all() == dict(zip(FEEDS, ["open", "open", "open", "hears"], strict=True))


def test_a_window_is_in_time_and_begins_anew_with_the_timeline() -> None:
    window: TimeWindow[str] = TimeWindow(100)
    for frame, value in ((0, "a"), (60, "b"), (100, "c"), (101, "d")):
        window.push(frame, value)
    assert list(window) == ["b", "c", "d"]
    window.pass_to(1000)
    assert list(window) == ["d"], "the newest is kept"
    window.push(50, "e")
    assert list(window) == ["e"], "frames that go back are another timeline"
