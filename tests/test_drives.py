"""A drive that does not answer holds up who asked for it, and nobody else."""

import asyncio
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import ClassVar

import pytest

from goshawk import drives
from goshawk.drives import MOST_AT_ONCE, MOST_PLACES, MOST_WAITING, RECORDINGS, on_drive
from goshawk.errors import DriveSilent, NotFound
from goshawk.recorder import messages
from goshawk.recorder.client import RecorderClient
from goshawk.web import record_desk
from goshawk.web.studio import Studio
from tests.waiting import until
from tests.web.conftest import studio

__all__ = ["studio"]


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


def test_the_list_is_asked_for_again_when_its_drive_has_answered(
    studio: Studio, answers: threading.Event, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(drives, "LOOKS_AGAIN_S", 0.0)

    async def story() -> None:
        with pytest.raises(DriveSilent):
            await on_drive(answers.wait, RECORDINGS, 0.01)
        for _ in range(2):
            with pytest.raises(DriveSilent, match="A folder with recordings does not answer"):
                await studio.record.listed()
        before = studio.record.facts.changes
        answers.set()
        await until(lambda: studio.record.facts.changes != before)
        assert studio.record.facts.changes == before + 1
        assert await studio.record.listed() == []

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
    studio: Studio, answers: threading.Event, monkeypatch: pytest.MonkeyPatch
) -> None:
    def find(recording_id: str) -> None:
        answers.wait()
        raise NotFound("That recording is not there any more. Choose another.")

    monkeypatch.setattr(studio.record.shelf, "find", find)

    async def story() -> list[object]:
        asks = [
            asyncio.create_task(studio.record.heard_piece("gone", "was", "", 0.0, 1.0))
            for _ in range(MOST_WAITING + 8)
        ]
        await asyncio.sleep(0)
        await asyncio.wait_for(studio.changes.set_setting("inputs.voice.is_muted", True), 20.0)
        assert studio.rig.inputs[0].is_muted
        assert not any(one.done() for one in asks[:MOST_WAITING])
        answers.set()
        return [type(one) for one in await asyncio.gather(*asks, return_exceptions=True)]

    found = asyncio.run(story())
    assert found == [NotFound] * MOST_WAITING + [DriveSilent] * 8


class Begun(RecorderClient):
    """One whose process is never there, as if it waited for its drive."""

    begun: ClassVar[list[messages.Begin]] = []

    def start(self, begin: messages.Begin) -> None:
        self.begun.append(begin)
        self._running = asyncio.create_task(asyncio.Event().wait())  # type: ignore[arg-type]


def test_a_recording_whose_drive_takes_nothing_goes_on_in_the_programs_own_folder(
    studio: Studio, answers: threading.Event, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
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
    monkeypatch.setattr(studio.record, "_notify", lambda text, level: said.append(text))

    async def story() -> None:
        far = str(tmp_path / "far")
        await studio.changes.set_setting("recording.folder", far)
        await studio.record.start()
        await until(lambda: len(said) == 2)
        own = Begun.begun[0].rescue_folder
        assert [one.folder for one in Begun.begun] == [far, own]
        # While it answers, only the computer is slow: it is waited for.
        assert takes == [Path(far)] * 4 + [Path(own)]
        assert said[0] == (
            f"The folder {far} does not answer. Look at its drive. It is recorded in {own} from now on."
        )
        assert said[1].endswith("Nothing is recorded as long as it does not.")
        assert studio.record.state.stage == "starting"
        # Stopped before it could begin: nothing is waited for.
        await studio.record.stop()
        await until(lambda: studio.record.state.stage == "off")
        assert said[2].startswith("Nothing was recorded: it had not begun")

    asyncio.run(story())
