"""A drive that does not answer holds up who asked for it, and nobody else."""

import asyncio
import threading
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import ClassVar

import pytest
from msgspec.structs import replace

from goshawk import drives
from goshawk.bus import Bus
from goshawk.core.recording.document import Recording
from goshawk.core.rig import Rig
from goshawk.drives import MOST_AT_ONCE, MOST_PLACES, MOST_WAITING, named, on_drive
from goshawk.errors import DriveSilent, NotFound
from goshawk.recorder import messages
from goshawk.recorder.client import RecorderClient
from goshawk.recorder.wanted import Recorded
from goshawk.store.recordings.folder import write_document
from goshawk.store.recordings.shelf import Shelf
from goshawk.web import record_desk
from goshawk.web.application import Application
from goshawk.web.events import Notified, StateChanged
from goshawk.web.kept_recordings import KeptRecordings
from tests.waiting import PATIENCE_S, until
from tests.web.conftest import application

__all__ = ["application"]


@pytest.fixture
def answers() -> Iterator[threading.Event]:
    event = threading.Event()
    yield event
    event.set()


async def again(what: str) -> None:
    """Ask until it answers."""
    while True:
        try:
            return await on_drive(lambda: None, what)
        except DriveSilent:
            await asyncio.sleep(0.01)


def test_it_is_waited_for_so_long_and_asked_no_more_until_it_answers(
    answers: threading.Event,
) -> None:
    asked: list[str] = []

    async def story() -> None:
        with pytest.raises(
            DriveSilent, match=r"The folder /far does not answer\. Look at its drive"
        ):
            await on_drive(answers.wait, "The folder /far", 0.01)
        with pytest.raises(DriveSilent):
            await on_drive(lambda: asked.append("far"), "The folder /far", None)
        assert await on_drive(lambda: "here", "The folder /near") == "here"
        # What could not even begin is given up, and not done behind anybody's back.
        waits = [on_drive(answers.wait, "The folder /away", 0.05) for _ in range(MOST_AT_ONCE)]
        queued = on_drive(lambda: asked.append("away"), "The folder /away", 0.05)
        silent = await asyncio.gather(*waits, queued, return_exceptions=True)
        assert [type(one) for one in silent] == [DriveSilent] * (MOST_AT_ONCE + 1)
        # Nor do many places hold up one more.
        for n in range(2 * MOST_PLACES):
            with pytest.raises(DriveSilent):
                await on_drive(answers.wait, f"The folder /{n}", 0.0)
        assert await on_drive(lambda: "here", "The folder /near") == "here"
        answers.set()
        for name in ("far", "away", "0"):
            await again(f"The folder /{name}")

    asyncio.run(story())
    assert asked == []


def recording_in(folder: Path, recording_id: str) -> None:
    """A recording without tracks."""
    path = folder / recording_id
    path.mkdir(parents=True)
    began = datetime(2026, 11, 30, 20, 0, tzinfo=UTC)
    made = Recording(id=recording_id, title=recording_id, started_utc=began, tracks=(), rig=Rig())
    write_document(path, made.model_copy(update={"state": "whole"}))


def test_a_folder_that_does_not_answer_keeps_only_its_own_from_being_seen_and_changed(
    application: Application,
    answers: threading.Event,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(drives, "LOOKS_AGAIN_S", 0.0)
    here, far = tmp_path / "here", tmp_path / "far"
    recording_in(here, "near1")
    recording_in(far, "far1")
    bus, told = Bus(), []
    bus.subscribe(StateChanged, told.append)
    kept = KeptRecordings(Shelf(lambda: [here, far]), application.supervisor, bus)
    first = kept.changes

    async def ids() -> list[str]:
        return sorted(one.id for one in await kept.listed())

    async def story() -> None:
        assert await ids() == ["far1", "near1"]
        with pytest.raises(DriveSilent):
            await on_drive(answers.wait, named(far), 0.01)
        for _ in range(2):
            assert await ids() == ["near1"]
        assert (kept.silent, len(told), kept.changes) == ([str(far)], 1, first)
        # What lies elsewhere is renamed, deleted and brought back meanwhile.
        await kept.at("near1", lambda shelf: shelf.change("near1", note="heard"))
        await kept.at("near1", lambda shelf: shelf.delete("near1"))
        await kept.restore("near1")
        assert (await kept.load("near1"))[1].note == "heard"
        for asked in (kept.load("far1"), kept.restore("far2"), kept.load("unknown")):
            with pytest.raises(DriveSilent, match=f"{far} does not answer"):
                await asked
        answers.set()
        await until(lambda: kept.changes > first)
        assert (kept.silent, len(told), kept.changes) == ([], 2, first + 1)
        assert await ids() == ["far1", "near1"]
        with pytest.raises(NotFound, match="not there any more"):
            await kept.load("unknown")
        with pytest.raises(NotFound, match="cannot be brought back"):
            await kept.restore("far2")

    asyncio.run(story())


def test_what_the_drive_says_itself_is_passed_on() -> None:
    def refuse() -> None:
        raise TimeoutError("the other end is gone")

    async def story() -> None:
        for _ in range(2):
            with pytest.raises(TimeoutError, match="the other end is gone"):
                await on_drive(refuse, "The folder /far")

    asyncio.run(story())


def test_settings_are_kept_while_the_drive_of_recordings_does_not_answer(
    application: Application, answers: threading.Event, monkeypatch: pytest.MonkeyPatch
) -> None:
    def find(recording_id: str) -> None:
        answers.wait()
        raise NotFound("That recording is not there any more. Choose another.")

    monkeypatch.setattr(application.record.kept.shelf, "find", find)
    monkeypatch.setattr(
        application.record.kept.shelf, "folder_of", lambda recording_id: Path("/far")
    )

    async def story() -> list[object]:
        asks = [
            asyncio.create_task(application.record.heard_piece("gone", "was", "", 0.0, 1.0))
            for _ in range(MOST_WAITING + 8)
        ]
        await asyncio.sleep(0)
        async with asyncio.timeout(PATIENCE_S):
            await application.changes.set_setting("inputs.voice.is_muted", True)
        assert application.desk.rig.inputs[0].is_muted
        assert not any(one.done() for one in asks[:MOST_WAITING])
        answers.set()
        return [type(one) for one in await asyncio.gather(*asks, return_exceptions=True)]

    found = asyncio.run(story())
    assert found == [NotFound] * MOST_WAITING + [DriveSilent] * 8


class Begun(RecorderClient):
    """One whose process is never there, as if it waited for its drive."""

    begun: ClassVar[list[Recorded]] = []

    def start(self) -> None:
        recorded = self._wanted.begin().recorded
        assert recorded
        self.begun.append(recorded)
        self._running = asyncio.create_task(asyncio.Event().wait())  # type: ignore[arg-type]


def test_a_recording_whose_drive_takes_nothing_goes_on_in_the_programs_own_folder(
    application: Application,
    answers: threading.Event,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(record_desk, "RecorderClient", Begun)
    takes: list[Path] = []

    def take_a_little(folder: Path) -> None:
        takes.append(folder)
        if len(takes) > 3:
            answers.wait()

    monkeypatch.setattr(record_desk, "_take_a_little", take_a_little)
    monkeypatch.setattr(record_desk, "STARTS_S", 0.0)
    monkeypatch.setattr(record_desk, "TAKES_S", 0.05)
    monkeypatch.setattr(Begun, "begun", [])
    said: list[str] = []
    application.bus.subscribe(Notified, lambda one: said.append(one.text))

    async def story() -> None:
        far = str(tmp_path / "far")
        await application.changes.set_setting("recording.folder", far)
        await application.record.start()
        await until(lambda: len(said) == 2)
        own = Begun.begun[0].rescue_folder
        assert [one.folder for one in Begun.begun] == [far, own]
        # While it answers, only the computer is slow: it is waited for.
        assert takes == [Path(far)] * 4 + [Path(own)]
        assert said[0] == (
            f"The folder {far} does not answer. Look at its drive. It is recorded in {own} from now on."
        )
        assert said[1].endswith("Nothing is recorded as long as it does not.")
        assert application.record.state.stage == "starting"
        # Stopped before it could begin: nothing is waited for.
        await application.record.stop()
        await until(lambda: application.record.state.stage == "off")
        assert said[2].startswith("Nothing was recorded: it had not begun")

    asyncio.run(story())


def test_after_a_lost_recorder_its_marks_stay_with_its_part_and_new_ones_can_be_named(
    application: Application, monkeypatch: pytest.MonkeyPatch
) -> None:
    """They stood on the new recording, where naming one failed."""
    monkeypatch.setattr(record_desk, "RecorderClient", Begun)
    monkeypatch.setattr(Begun, "begun", [])
    application.engine.frame_now = 48_000  # type: ignore[misc]

    async def story() -> None:
        record = application.record
        application.engine.apply(application.desk.rig)
        await record.start()
        count = len(record._document.tracks)  # type: ignore[union-attr]
        status = messages.Status(
            id="abcd", title="", folder="", first_frame=0, frames=48_000, size_bytes=0, left_s=0.0,
            peaks=[0.0] * count, highest=[0.0] * count, lost_frames=0, clipped=[0] * count, is_late=False,
        )  # fmt: skip
        record._on_said(status)
        await record.mark("before")
        assert [one.name for one in record.state.marks] == ["before"]
        application.engine.frame_now = 480_000  # type: ignore[misc]
        assert record._recorded
        record._recorded = replace(record._recorded, first_frame=240_000)
        assert await record._on_lost()
        assert record.state.marks == []
        after = await record.mark("after")
        record.name_mark(after.id, "named")
        assert [(one.name, one.frame) for one in record.state.marks] == [("named", 240_000)]
        wanted = record._recorded.marks
        assert [one.name for one in wanted] == ["before", "named"], "each part takes its own"
        await record._client.give_up()  # type: ignore[union-attr]

    asyncio.run(story())
