"""Broadcasts alone: clocks that jump, a disk that takes nothing, an observer that is lost, an evening that was cut."""

import asyncio
import json
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from goshawk.bus import Bus
from goshawk.core.rig import Rig, changed
from goshawk.core.rules.health.event import Event
from goshawk.core.watch.report import Anchor, Evening, SettingsChange, changes_in_words
from goshawk.core.watch.second import BroadcastHistory, Second
from goshawk.errors import BadInput, StoreUnusable
from goshawk.observer import requests
from goshawk.observer.client import ObserverGone
from goshawk.observer.wanted import OnAir, Resumed
from goshawk.page_messages.recording import RecordFacts, RecordingState
from goshawk.recorder.wanted import WantedMark
from goshawk.store.evenings import evenings
from goshawk.timeline.memory import TEST_CLOCK
from goshawk.web import broadcast, broadcasts
from goshawk.web.broadcasts import Broadcasts
from goshawk.web.colors import DAYLIGHT
from goshawk.web.evening_store import EveningStore
from goshawk.web.events import MarksChanged, Notified, RecordingShown, RigSet
from goshawk.web.notices import Notices
from goshawk.web.report_page import page_of, rows_of


class Now(datetime):
    """A clock on the wall that a test sets."""

    ahead = timedelta()

    @classmethod
    def now(cls, tz: Any = None) -> Any:
        return datetime.now(tz) + cls.ahead


class Desk:
    """The broadcasts alone: the rig, the engine, the recorder and the observer's document as far as they need them."""

    def __init__(self, folder: Path) -> None:
        self.said: list[str] = []
        self.aloud: list[str] = []
        self.wanted: list[OnAir | None] = []
        self.resumed: Resumed | None = None
        facts = RecordFacts(
            folder="", default_folder="", preview="", preview_trouble="", free_s=None, offered=[],
            chosen=[], changes=0, silent=[],
        )  # fmt: skip
        self.state, self.facts, self.set = RecordingState(), facts, Rig()
        self.frame_now = 0
        self.bus = Bus()
        self.bus.subscribe(Notified, lambda one: self.said.append(one.text))
        other: Any = self
        notices = Notices(self.bus)
        self.desk = Broadcasts(EveningStore(folder), other, other, other, other, self.bus, notices)

    def say_aloud(self, name: str, gain: float) -> None:
        self.aloud.append(name)

    def be_on_air(self, on_air: OnAir | None) -> None:
        self.wanted.append(on_air)

    def record(self, recording_id: str = "", first_frame: int = 0) -> None:
        """A recording is under way, or none."""
        self.state = RecordingState()
        if recording_id:
            self.state = RecordingState(stage="running", id=recording_id, first_frame=first_frame)
        self.bus.publish(RecordingShown(self.state))

    def second(self, number: int, *events: Event, aloud: str = "") -> None:
        packed = json.dumps({"number": number, "values": {"speech": 0.5, "viewers": 1.0}}).encode()
        told = [one.model_dump_json().encode() for one in events]
        self.hear(number + 1.0, packed, told, aloud=aloud)

    def hear(self, at_s: float, *what: Any, **more: Any) -> None:
        """What the observer says of the broadcast at a second of it."""
        current = self.desk.current
        self.frame_now = (current.began_frame if current else 0) + round(at_s * 48_000)
        self.bus.publish(requests.Watched(self.desk.state.evening, at_s, *what, **more))


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> type[Now]:
    for module in (broadcast, broadcasts):
        monkeypatch.setattr(module, "datetime", Now)
    Now.ahead = timedelta()
    return Now


def event(number: int = 1) -> Event:
    return Event(
        number=number, rule="clips", subject="", title="Clips", text="", help="", began_s=1.0, told_s=1.0
    )  # fmt: skip


async def flushed(desk: Desk) -> None:
    await desk.desk._flush()


def test_a_clock_that_jumps_is_an_event_and_moves_nothing(tmp_path: Path, clock: type[Now]) -> None:
    async def evening() -> None:
        desk = Desk(tmp_path)
        await desk.desk.open()
        desk.desk.go_on_air()
        with pytest.raises(BadInput, match="already"):
            desk.desk.go_on_air()
        # The sound's time is what it is: here it runs with the computer's.
        desk.hear(0.05)
        clock.ahead = timedelta(
            hours=-1
        )  # the end of summer time, on a computer that keeps none in UTC
        desk.hear(0.1)
        clock.ahead = timedelta(minutes=12)  # asleep
        desk.hear(0.15)
        titles = [one.text for one in desk.desk.state.events]
        assert titles == [
            "The computer slept, or its clock was set back by 60 min.",
            "The computer slept, or its clock was set on by 72 min.",
        ]
        assert desk.desk.state.told is None, "it is over"
        desk.second(3)
        await desk.desk.go_off_air()
        assert desk.desk.state.stage == "off"
        (kept,) = await desk.desk.listed()
        found, _ = await desk.desk.load(kept.id)
        assert [one.at_s for one in found.anchors][:3] == [0.0, 0.1, 0.15]
        await desk.desk.close()

    asyncio.run(evening())


def test_a_disk_that_takes_nothing_is_told_and_what_waited_is_kept_later(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async def evening() -> None:
        desk = Desk(tmp_path)
        await desk.desk.open()
        desk.desk.go_on_air()
        write = evenings.write

        def full(*given: Any) -> None:
            raise StoreUnusable(
                "The evening could not be kept (the disk is full). It is tried again."
            )

        monkeypatch.setattr(evenings, "write", full)
        for n in range(70):
            desk.second(n, *([event()] if n == 3 else []))
        with pytest.raises(StoreUnusable):
            await flushed(desk)
        monkeypatch.setattr(evenings, "write", write)
        await flushed(desk)
        identity = desk.desk.state.evening
        found, history, _ = await desk.desk._store.do(lambda db: evenings.read(db, identity))
        assert history.seconds == 70
        assert [one.title for one in found.events] == ["Clips"]
        await desk.desk.close()

    asyncio.run(evening())


def test_what_lasts_ends_with_the_observer_and_is_watched_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(TEST_CLOCK, "on")  # seconds pass faster here than on any clock

    async def evening() -> None:
        desk = Desk(tmp_path)
        await desk.desk.open()
        assert desk.wanted == []
        desk.desk.go_on_air()
        assert desk.wanted == [OnAir(desk.desk.state.evening, 0)]
        desk.second(5, event(), aloud="clips")
        assert desk.aloud == ["clips"]
        assert desk.desk.state.told
        desk.desk.know(1)
        assert desk.desk.state.told is None
        desk.second(6, event())  # the observer may not have heard of it yet
        assert desk.desk.state.told is None
        desk.bus.publish(RigSet(Rig(), changed(Rig(), "is_on_break", True)))
        desk.bus.publish(ObserverGone())
        (one,) = desk.desk.state.events
        assert one.ended_s == 7.0
        assert desk.resumed
        assert desk.resumed.last_event == 1
        assert desk.wanted[-1] == OnAir(desk.desk.state.evening, 0, dismissed=(1,))
        await desk.desk.go_off_air()
        (kept,) = await desk.desk.listed()
        found, _ = await desk.desk.load(kept.id)
        assert [list(one.settings) for one in found.changes] == [["is_on_break"]]
        await desk.desk.close()

    asyncio.run(evening())


def test_an_ended_broadcast_is_watched_no_more_and_what_comes_late_of_it_is_dropped(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The observer once watched on for ever; a late second of two hours stretched the next broadcast to two hours."""
    monkeypatch.setenv(TEST_CLOCK, "on")

    async def story() -> None:
        desk = Desk(tmp_path)
        await desk.desk.open()
        desk.desk.go_on_air()
        first = desk.desk.state.evening
        desk.second(7200)
        await desk.desk.go_off_air()
        assert desk.wanted[-1] is None
        desk.desk.go_on_air()
        late = json.dumps({"number": 7201, "values": {"speech": 0.5}}).encode()
        desk.bus.publish(requests.Watched(first, 7202.0, late))
        desk.second(2)
        await desk.desk.go_off_air()
        (kept, _) = await desk.desk.listed()
        assert kept.seconds == 3.0
        await desk.desk.close()

    asyncio.run(story())


def test_marks_and_recordings_are_the_broadcasts_whatever_becomes_of_a_recording(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Stopped before the broadcast's end, a recording took its marks with it; only the last one was known afterwards."""
    monkeypatch.setenv(TEST_CLOCK, "on")

    async def story() -> None:
        desk = Desk(tmp_path)
        desk.frame_now = 480_000  # The timeline began ten seconds before.
        await desk.desk.open()
        desk.desk.go_on_air()
        desk.record("aaaa", 480_000 - 48_000)
        desk.second(0)
        first = (WantedMark(1, 480_000 + 24_000, "early"), WantedMark(2, 480_000 + 48_000, "wrong"))
        desk.bus.publish(MarksChanged(1, first))
        desk.bus.publish(MarksChanged(1, first[:1]))
        desk.record()  # It was stopped.
        desk.second(1)
        desk.record("bbbb", 480_000 + 96_000)
        desk.second(2)
        desk.bus.publish(MarksChanged(2, (WantedMark(3, 480_000 + 120_000, "late"),)))
        desk.record()
        await desk.desk.go_off_air()
        (kept,) = await desk.desk.listed()
        found, _ = await desk.desk.load(kept.id)
        assert [(one.name, one.frame) for one in found.marks] == [
            ("early", 24_000),
            ("late", 120_000),
        ]
        assert [(one.id, one.at_s) for one in found.recordings] == [("aaaa", -1.0), ("bbbb", 2.0)]
        assert found.recording == "bbbb"
        await desk.desk.close()

    asyncio.run(story())


def test_an_evening_that_was_cut_goes_on_soon_and_is_closed_later(
    tmp_path: Path, clock: type[Now]
) -> None:
    async def cut() -> str:
        desk = Desk(tmp_path)
        await desk.desk.open()
        desk.desk.go_on_air()
        for n in range(20):
            desk.second(n, *([event()] if n == 3 else []))
        await desk.desk.close()
        return desk.desk.state.evening

    async def soon(identity: str) -> None:
        clock.ahead = timedelta(minutes=5)
        desk = Desk(tmp_path)
        await desk.desk.open()
        assert desk.desk.state.stage == "on_air"
        again, known = desk.wanted[-1], desk.resumed
        assert again
        assert known
        assert (again.id, known.broadcast, known.last_event) == (identity, identity, 1)
        assert 290.0 < -again.began_frame / 48_000 < 330.0
        assert [one.title for one in desk.desk.state.events] == ["Clips", "Goshawk was away"]
        await desk.desk.close()

    async def later() -> None:
        clock.ahead = timedelta(hours=9)
        desk = Desk(tmp_path)
        await desk.desk.open()
        assert desk.desk.state.stage == "off"
        (kept,) = await desk.desk.listed()
        assert (kept.was_cut, kept.is_over, kept.events) == (True, True, 2)
        assert any("Its report is made" in text for text in desk.said)
        found, _ = await desk.desk.load(kept.id)
        assert found.advice
        await desk.desk.remove(kept.id)
        assert await desk.desk.listed() == []
        await desk.desk.close()

    identity = asyncio.run(cut())
    asyncio.run(soon(identity))
    asyncio.run(later())


def test_a_database_that_cannot_be_opened_is_told_and_one_may_be_on_air_all_the_same(
    tmp_path: Path,
) -> None:
    (tmp_path / "evenings.db").mkdir()

    async def evening() -> None:
        desk = Desk(tmp_path)
        await desk.desk.open()
        assert any("cannot be used" in text for text in desk.said)
        desk.desk.go_on_air()
        desk.second(1)
        with pytest.raises(StoreUnusable):
            await flushed(desk)
        with pytest.raises(StoreUnusable):
            await desk.desk.listed()
        await desk.desk.go_off_air()
        assert desk.desk.state.stage == "off"
        await desk.desk.close()

    asyncio.run(evening())


def test_a_report_tells_the_computers_time_also_after_it_slept_and_changes_by_their_names() -> None:
    """CSV and page went on from the beginning; what was changed was told by its path."""
    began = datetime(2026, 11, 24, 20, 0, tzinfo=UTC)
    anchors = [Anchor(at_s=0.0, utc=began), Anchor(at_s=2.0, utc=began + timedelta(hours=2))]
    history = BroadcastHistory()
    for number in range(4):
        history.put(Second(number=number, values={"speech": 0.5}))
    changes = [SettingsChange(at_s=3.0, settings={"inputs.voice.is_muted": True})]
    evening = Evening(
        id="a1b2c3", title="Late", started_utc=began, seconds=4.0, rig=Rig(), anchors=anchors, changes=changes
    )  # fmt: skip
    rows = list(rows_of(evening, history))
    assert [row[1][11:19] for row in rows[1:]] == ["20:00:00", "20:00:01", "22:00:00", "22:00:01"]
    page = page_of(evening, history)
    started, ended = (evening.utc_at(at_s).astimezone() for at_s in (0.0, 4.0))
    assert f"from {started:%Y-%m-%d %H:%M} to {ended:%H:%M}" in page
    assert "Voice muted" in page
    assert "inputs.voice" not in page
    assert f"background: {DAYLIGHT['ground']}" in page
    assert changes_in_words(evening)[0].utc == began + timedelta(hours=2, seconds=1)
