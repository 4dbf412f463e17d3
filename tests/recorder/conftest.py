"""A recording made in this process: the loop plays, the session writes, no clock is waited for."""

from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest
import soundfile
from msgspec.structs import replace

from goshawk.core.graph.stations import recorded_as
from goshawk.core.record_settings import TrackFormat
from goshawk.core.recording.document import Recording
from goshawk.core.recording.names import with_files
from goshawk.core.recording.tracks import chosen_tracks
from goshawk.core.rig import Rig
from goshawk.core.stage import Block
from goshawk.engine.plan import Plan
from goshawk.recorder import messages
from goshawk.recorder.part import MakeFile
from goshawk.recorder.session import Session
from goshawk.recorder.wanted import Recorded, WantedMark
from goshawk.store.recordings.folder import load_document
from goshawk.store.recordings.track_file import TrackFile
from tests.playing import Playing


class Evening:
    """A rig that plays and is recorded."""

    def __init__(
        self,
        folder: Path,
        rig: Rig | None = None,
        file_format: TrackFormat = "flac",
        make: MakeFile = TrackFile,
        waits: bool = True,
        frames: int = 0,
        first_frame: int | None = None,
    ) -> None:
        self.rig = rig or Rig()
        self.folder, self.rescue = folder, folder.parent / "own"
        self.said: list[messages.FromRecorder] = []
        self.tracks = with_files(chosen_tracks(self.rig), file_format)
        points = tuple(recorded_as(one.source) for one in self.tracks)
        self.plan = Plan(number=1, rig=self.rig, points=points)
        self.playing = Playing(self.plan)
        document = Recording(
            id="abcd",
            title="",
            started_utc=datetime.now(UTC),
            file_format=file_format,
            tracks=self.tracks,
            rig=self.rig,
        )
        self.recorded = Recorded(
            document=document.model_dump_json().encode(),
            folder=str(folder),
            rescue_folder=str(self.rescue),
            pattern="{date} {rig}",
            rig_name=self.rig.name,
            first_frame=first_frame,
            frames=frames,
        )
        self.session = Session(
            self.playing.memory, self.recorded, self.said.append, make, waits=waits
        )
        self.session.heard(messages.RigOfPlan(1, b""))

    def mark(self, number: int, name: str) -> None:
        """Put a mark at this moment, or give it another name."""
        others = [one for one in self.recorded.marks if one.id != number]
        mark = WantedMark(number, self.session.listening.now, name)
        self.recorded = replace(self.recorded, marks=(*others, mark))
        self.session.follow(self.recorded)

    def change(self, rig: Rig) -> None:
        self.plan = self.plan.model_copy(update={"number": self.plan.number + 1, "rig": rig})
        self.session.heard(messages.RigOfPlan(self.plan.number, rig.model_dump_json().encode()))
        self.playing.obey(self.plan)

    def pass_by(self, seconds: float) -> None:
        for _ in range(round(seconds * 10)):
            self.playing.pass_by(0.1)
            self.turn()

    def turn(self) -> None:
        while self.session.turn():
            pass

    def finish(self) -> Path:
        self.session.end()
        for _ in range(60):
            if self.session.is_at_end:
                break
            self.playing.pass_by(0.05)
            self.turn()
        finished = self.session.close()
        return Path(finished.folder)

    @property
    def sentences(self) -> list[str]:
        return [one.text for one in self.said if isinstance(one, messages.Told)]


def tracks_in(folder: Path) -> dict[str, Block]:
    """Every track of a recording by its source, shape (frames, channels)."""
    document = load_document(folder)
    return {
        one.source: soundfile.read(folder / one.file, dtype="float32", always_2d=True)[0]
        for one in document.tracks
    }


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    return tmp_path / "music"


def steps_apart(one: Block, other: Block) -> float:
    """How far two sounds are apart, in steps of 24 bits."""
    return float(np.abs(one - other).max() * (1 << 23))
