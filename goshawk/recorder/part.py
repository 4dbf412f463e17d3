"""One folder that is being recorded into: its tracks' files, and what is written down of it."""

import shutil
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.record_settings import TrackFormat
from goshawk.core.recording.document import (
    MOST_CHANGES,
    MOST_GAPS,
    Gap,
    Mark,
    Recording,
    RigChange,
    rigs_heard,
)
from goshawk.core.recording.names import folder_name
from goshawk.core.recording.overview import peaks_of
from goshawk.core.stage import Block
from goshawk.store.recordings.folder import RunningFolder, private_folder_if_new
from goshawk.store.recordings.names import new_id
from goshawk.store.recordings.track_file import TrackFile
from goshawk.units import SAMPLE_RATE_HZ

MakeFile = Callable[[Path, int, TrackFormat], TrackFile]
MOST_NAMES = 50
N = TypeVar("N", Mark, RigChange)


class Part:
    """Writes one folder. Everything here may wait for the disk. ``start`` is its first frame, counted from the beginning of
    all that was recorded with one press."""

    def __init__(
        self, document: Recording, parent: Path, pattern: str, start: int, make: MakeFile
    ) -> None:
        """Raises OSError where nothing can be written, BadSetting for a pattern that gives no name."""
        self.start = start
        self.document = document
        private_folder_if_new(parent)
        self._folder = self._made(parent, pattern)
        self.path = self._folder.path
        self.document = self.document.model_copy(update={"title": self.path.name})
        self._files = [
            make(self.path / one.file, one.channels, document.file_format)
            for one in document.tracks
        ]
        self._row_rest = [np.zeros((0, one.channels), np.float32) for one in document.tracks]
        self.frames = 0
        self.size_bytes = 0

    def _made(self, parent: Path, pattern: str) -> RunningFolder:
        begins = self.document.started_utc.astimezone()
        for _ in range(MOST_NAMES):
            there = [one.name for one in parent.iterdir()]
            name = folder_name(pattern, self.document.rig.name, begins, there)
            document = self.document.model_copy(update={"title": name})
            try:
                return RunningFolder(parent, name, document)
            except FileExistsError:
                continue  # Somebody was quicker.
        raise FileExistsError(f"{parent} has too many folders of one name")

    def write(self, sounds: list[Block]) -> None:
        """The next frames of every track. Raises OSError."""
        for file, sound in zip(self._files, sounds, strict=True):
            file.write(sound)
        self.frames += len(sounds[0])
        self._draw(sounds, is_last=False)

    def write_silence(self, first: int, end: int) -> None:
        """Nothing, up to a frame of all that was recorded; what was written before stays. Raises OSError."""
        frames = end - max(first, self.start + self.frames)
        while frames > 0:
            count = min(frames, SAMPLE_RATE_HZ)
            self.write(
                [np.zeros((count, one.channels), np.float32) for one in self.document.tracks]
            )
            frames -= count

    def _draw(self, sounds: list[Block], *, is_last: bool) -> None:
        rests = [
            np.concatenate([rest, sound])
            for rest, sound in zip(self._row_rest, sounds, strict=True)
        ]
        whole = len(rests[0]) // HOP_FRAMES * HOP_FRAMES
        if is_last and len(rests[0]) > whole:
            whole += HOP_FRAMES
            rests = [np.pad(one, ((0, whole - len(one)), (0, 0))) for one in rests]
        if whole:
            rows = [peaks_of(np.ascontiguousarray(one[:whole])) for one in rests]
            self._folder.draw(np.stack(rows, axis=1))
        self._row_rest = [one[whole:] for one in rests]

    def note_mark(self, mark: Mark) -> None:
        """Put a mark, or another name to it."""
        others = tuple(one for one in self.document.marks if one.id != mark.id)
        self._change(marks=(*others, mark))
        self._folder.note(mark=mark.model_dump(mode="json"))

    def drop_mark(self, number: int) -> None:
        """Take a mark away."""
        self._change(marks=tuple(one for one in self.document.marks if one.id != number))
        self._folder.note(unmark=number)

    def note_gap(self, gap: Gap) -> None:
        """Say where silence stands in place of sound. One that follows the last is part of it."""
        gaps = self.document.gaps
        last = gaps[-1] if gaps else None
        if (
            last
            and (last.why, last.source) == (gap.why, gap.source)
            and last.frame + last.frames == gap.frame
        ):
            gaps, gap = gaps[:-1], last.model_copy(update={"frames": last.frames + gap.frames})
        elif len(gaps) >= MOST_GAPS:
            return
        self._change(gaps=(*gaps, gap))
        self._folder.note(gap=gap.model_dump(mode="json"))

    def note_change(self, change: RigChange) -> None:
        """Say from where on another rig was heard."""
        if len(self.document.changes) < MOST_CHANGES:
            self._change(changes=(*self.document.changes, change))
            self._folder.note(change=change.model_dump(mode="json", exclude_none=True))

    def _change(self, **update: Any) -> None:
        self.document = self.document.model_copy(update=update)

    def look(self) -> int:
        """How large it has become, and how much room the disk has. Raises OSError."""
        self.size_bytes = sum(file.path.stat().st_size for file in self._files)
        return shutil.disk_usage(self.path).free

    def flush(self) -> None:
        """Bring it to the disk. Raises OSError."""
        for file in self._files:
            file.flush()

    def finish(self, said: str = "") -> None:
        """Close all files; the document says what became of it. Raises OSError."""
        if any(len(one) for one in self._row_rest):
            empty = [np.zeros((0, one.channels), np.float32) for one in self.document.tracks]
            self._draw(empty, is_last=True)
        for file in self._files:
            file.close()
        marks = tuple(sorted(self.document.marks, key=lambda one: one.frame))
        self._change(state="whole", frames=self.frames, said=said, marks=marks)
        self._folder.finish(self.document)

    def continued(self, frames: int) -> Recording:
        """Return the document of what goes on in another folder behind so many frames of this one: the rig as it was heard there,
        and what was noted of later frames."""
        document = self.document
        heard = [rig for frame, rig in rigs_heard(document) if frame <= frames]
        return document.model_copy(
            update={
                "id": new_id(),
                "state": "running",
                "said": "",
                "frames": 0,
                "continues": document.id,
                "started_utc": document.started_utc + timedelta(seconds=frames / SAMPLE_RATE_HZ),
                "rig": heard[-1],
                "marks": tuple(_later(one, frames) for one in document.marks if one.frame > frames),
                "gaps": (),
                "changes": tuple(
                    _later(one, frames) for one in document.changes if one.frame > frames
                ),
            }
        )

    def give_up(self) -> None:
        """The disk takes nothing any more: what is there is mended when somebody opens it."""
        for file in self._files:
            file.give_up()
        self._folder.give_up()


def _later(noted: N, frames: int) -> N:
    """A mark or a change as it is noted in what begins so many frames later."""
    return noted.model_copy(update={"frame": noted.frame - frames})
