"""Writes what is heard, in a thread of its own that may wait for the disk as long as it has to: what comes meanwhile waits, up
to a limit, and beyond it becomes a gap of the right length."""

import logging
import shutil
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np

from goshawk.core.recording.aligning import MissingFrames, joined, missing_in_all
from goshawk.core.recording.document import MOST_MARKS, Gap, GapReason, Mark, Recording, RigChange
from goshawk.core.stage import Block
from goshawk.errors import BadSetting
from goshawk.recorder.listening import HeardPiece
from goshawk.recorder.part import MakeFile, Part
from goshawk.store.recordings.folder import private_folder_if_new
from goshawk.store.recordings.mending import whole_frames
from goshawk.store.recordings.track_file import FLAC_BLOCK_FRAMES, TrackFile
from goshawk.units import SAMPLE_RATE_HZ

log = logging.getLogger(__name__)

MOST_WAITING_FRAMES = 12 * SAMPLE_RATE_HZ
"""So long the disk may take nothing without a loss."""

MOST_WAITING_NOTES = 4000
TAIL_FRAMES = SAMPLE_RATE_HZ
"""So much of what was written last is kept in memory: more than any file holds back."""

MOST_FAILURES = 5
"""So often a recording goes on in another folder."""

SAFE_REST_BYTES = 64 << 20
"""So much is left on a disk, for what else needs it."""

TELLS_BEFORE_S = 600.0
LOOKS_EVERY_S, FLUSHES_EVERY_S = 1.0, 5.0
FULL_SCALE = 0.9999
_JOINED_AT_MOST = 64


@dataclass(frozen=True)
class Gone:
    """Frames that were not kept: the disk was too slow."""

    frame: int
    frames: int


Note = Mark | RigChange | int
"""A mark, a change, or the number of a mark that is taken away."""


class Writing:
    """Owns the folder that is written now, and the next one if its disk fails. ``tell`` takes sentences and may be called from
    the thread."""

    def __init__(
        self,
        document: Recording,
        folder: Path,
        rescue: Path,
        pattern: str,
        tell: Callable[[str, str], None],
        make: MakeFile = TrackFile,
        *,
        waits: bool = False,
    ) -> None:
        """``waits``: nothing is ever lost to a slow disk; whoever gives waits instead (for a hurried clock)."""
        self._document, self._folder, self._rescue = document, folder, rescue
        self._pattern, self._tell, self._make = pattern, tell, make
        self._waits = waits
        self._jobs: deque[HeardPiece | Gone | Note] = deque()
        self._changed = threading.Condition()
        self._waiting_frames = 0
        self._dropped: Gone | None = None
        self._is_ending = False
        self._thread = threading.Thread(target=self._run, name="writing", daemon=True)
        tracks = len(document.tracks)
        self.part: Part | None = None
        self._tail: deque[HeardPiece | Gone] = deque()
        """What was written last: a part that breaks off may have lost some of it."""
        self._failures = 0
        self.peaks, self.highest = np.zeros(tracks), np.zeros(tracks)
        self.clipped = np.zeros(tracks, np.int64)
        self.lost_frames = 0
        self.free_bytes: int | None = None
        self.is_full = False
        """Whether the disk has no more room: time to end."""
        self.is_lost = False
        """Whether nothing can be written anywhere any more."""
        self.past_bytes = 0
        self._is_told_of_room = self._is_told_of_slowness = False

    def start(self) -> None:
        """Begin to write."""
        self._thread.start()

    @property
    def is_late(self) -> bool:
        """Whether much waits for the disk."""
        return self._waiting_frames > 2 * SAMPLE_RATE_HZ

    @property
    def is_done(self) -> bool:
        """Whether the thread has ended."""
        return not self._thread.is_alive()

    def give(self, piece: HeardPiece) -> None:
        """The next frames."""
        with self._changed:
            if self._waits:
                self._changed.wait_for(lambda: self._waiting_frames <= MOST_WAITING_FRAMES // 4)
            is_room = self._waiting_frames + piece.frames <= MOST_WAITING_FRAMES
            if self._dropped is not None:
                # One long gap, not many short ones.
                is_room = self._waiting_frames <= MOST_WAITING_FRAMES // 2
            if not is_room:
                start = piece.frame if self._dropped is None else self._dropped.frame
                self._dropped = Gone(start, piece.frame + piece.frames - start)
                return
            self._end_gap()
            self._jobs.append(piece)
            self._waiting_frames += piece.frames
            self._changed.notify_all()

    def _end_gap(self) -> None:
        if self._dropped is not None:
            self._jobs.append(self._dropped)
            self._dropped = None

    def note(self, what: Note) -> None:
        """Write something down, in its turn."""
        with self._changed:
            if len(self._jobs) < MOST_WAITING_NOTES:
                self._jobs.append(what)
                self._changed.notify_all()

    def end(self, timeout_s: float | None = None) -> None:
        """Write what waits, close all, and return when that is done."""
        with self._changed:
            self._end_gap()
            self._is_ending = True
            self._changed.notify_all()
        self._thread.join(timeout_s)

    def take_peaks(self) -> list[float]:
        """The highest of each track since the last call."""
        with self._changed:
            peaks, self.peaks = self.peaks, np.zeros_like(self.peaks)
        return [round(one, 5) for one in peaks.tolist()]

    # --- in the thread ----------------------------------------------------------------------------

    def _run(self) -> None:
        try:
            self._write_all()
        except Exception:
            log.exception("writing broke off")
            self.is_lost = True
            self._tell("The recording broke off. What is there is kept.", "trouble")
            if self.part:
                self.part.give_up()

    def _write_all(self) -> None:
        self._open(self._document, self._folder, 0)
        looked_at = flushed_at = time.monotonic()
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._jobs or self._is_ending, LOOKS_EVERY_S)
                job = self._jobs.popleft() if self._jobs else None
                if job is None and self._is_ending:
                    break
            if job is not None and self.part is not None:
                self._try(partial(self._do, job), job)
            with self._changed:
                if isinstance(job, HeardPiece):
                    self._waiting_frames -= job.frames
                self._changed.notify_all()
            now = time.monotonic()
            if now - looked_at > LOOKS_EVERY_S:
                looked_at = now
                self._try(self._look)
            if now - flushed_at > FLUSHES_EVERY_S:
                flushed_at = now
                self._try(lambda: self.part.flush() if self.part else None)
        if self.part:
            said = self._said()
            part = self.part
            self._try(lambda: part.finish(said))

    def _said(self) -> str:
        assert self.part
        silent = sum(one.frames for one in self.part.document.gaps if one.why != "realigned")
        if not silent:
            return ""
        return f"{silent / SAMPLE_RATE_HZ:.1f} s are missing, and stand as silence."

    def _open(self, document: Recording, folder: Path, start: int) -> None:
        """Begin a folder; where that cannot be, in Goshawk's own."""
        for parent in dict.fromkeys((folder, self._rescue)):
            try:
                self.part = Part(document, parent, self._pattern, start, self._make)
                self.free_bytes = self.part.look()
            except (OSError, BadSetting) as error:
                why = getattr(error, "strerror", None) or str(error)
                if isinstance(error, BadSetting):
                    self._pattern = "{date} {time}"
                self._tell(
                    f"Nothing can be recorded in {parent} ({why}). "
                    + (
                        f"It is recorded in {self._rescue}."
                        if parent != self._rescue
                        else "Choose another folder."
                    ),
                    "trouble",
                )
                continue
            return
        self.part = None
        self.is_lost = True

    def _try(self, work: Callable[[], None], job: HeardPiece | Gone | Note | None = None) -> None:
        """Where the disk fails, what is there is given up to be mended, and it goes on in another folder, with all that this one has
        lost and with the ``job`` that failed."""
        try:
            work()
        except OSError as error:
            part = self.part
            if part is None:
                return
            log.warning("%s could not be written", part.path, exc_info=error)
            part.give_up()
            self._tell(
                f"{part.path} takes nothing more ({error.strerror or error}). "
                "It goes on in Goshawk's own folder.",
                "trouble",
            )
            # What cannot be read there may be whole but for what a file holds back.
            frames = whole_frames(part.path, part.document) or part.frames - FLAC_BLOCK_FRAMES
            self._go_on(part, max(0, min(frames, part.frames)), job)

    def _go_on(self, part: Part, frames: int, job: HeardPiece | Gone | Note | None = None) -> None:
        """Go on in Goshawk's own folder behind so many frames of a part."""
        self.past_bytes += part.size_bytes
        self._failures += 1
        if self._failures > MOST_FAILURES:
            self.part, self.is_lost = None, True
            self._tell("Nothing can be written any more. The recording has ended.", "trouble")
            return
        tail = [*self._tail, *([job] if isinstance(job, HeardPiece | Gone) else [])]
        start = max(part.start + frames, tail[0].frame if tail else 0)
        self._open(part.continued(start - part.start), self._rescue, start)
        self._tail.clear()
        for one in tail:
            if self.part is None:
                return
            if (rest := _rest(one, start)) is not None:
                self._try(partial(self._do, rest), rest)
        if job is not None and not isinstance(job, HeardPiece | Gone):
            self._try(partial(self._do, job), job)

    def _do(self, job: HeardPiece | Gone | Note) -> None:
        part = self.part
        assert part
        match job:
            case HeardPiece():
                self._write(part, job)
                self._keep(job)
            case Gone(frame, frames):
                part.write_silence(part.start + part.frames, frame + frames)
                self.lost_frames += frames
                self._keep(job)
                self._note_gap(part, frame, frames, "slow_disk")
                self._tell(
                    f"The disk was too slow: {frames / SAMPLE_RATE_HZ:.1f} s of the recording are silent.",
                    "trouble",
                )
            case Mark():
                if len(part.document.marks) < MOST_MARKS:
                    mark = job.model_copy(update={"frame": max(0, job.frame - part.start)})
                    part.note_mark(mark)
            case RigChange():
                part.note_change(job.model_copy(update={"frame": max(0, job.frame - part.start)}))
            case int():
                part.drop_mark(job)

    def _keep(self, written: HeardPiece | Gone) -> None:
        self._tail.append(written)
        while len(self._tail) > 1 and written.frame - self._tail[0].frame > TAIL_FRAMES:
            self._tail.popleft()

    def _write(self, part: Part, piece: HeardPiece) -> None:
        part.write(piece.sounds)
        self._measure(piece.sounds)
        for one, why in _reasons(piece):
            self._note_gap(part, one.frame, one.frames, why, one.source)
            if why != "realigned":
                self.lost_frames += one.frames

    def _note_gap(
        self, part: Part, frame: int, frames: int, why: GapReason, source: str = ""
    ) -> None:
        part.note_gap(Gap(frame=max(0, frame - part.start), frames=frames, why=why, source=source))

    def _measure(self, sounds: list[Block]) -> None:
        peaks = np.array([float(np.abs(one).max(initial=0.0)) for one in sounds])
        with self._changed:
            np.maximum(self.peaks, peaks, out=self.peaks)
            np.maximum(self.highest, peaks, out=self.highest)
            self.clipped += peaks >= FULL_SCALE

    def _look(self) -> None:
        part = self.part
        if part is None:
            return
        self.free_bytes = part.look()
        left_s = self.left_s
        if self.free_bytes < SAFE_REST_BYTES:
            if self._has_other_room(part):
                part.finish(
                    "The disk is full but for a safe rest: it goes on in Goshawk's own folder."
                )
                self._tell(
                    f"The disk of {part.path.parent} is full but for a safe rest. The recording goes on in {self._rescue}.",
                    "trouble",
                )
                self._tail.clear()
                self._go_on(part, part.frames)
            elif not self.is_full:
                self._tell(
                    "The disk is full but for a safe rest: the recording was ended and is whole.",
                    "trouble",
                )
                self.is_full = True
        elif left_s < TELLS_BEFORE_S and not self._is_told_of_room:
            self._is_told_of_room = True
            self._tell(
                f"The disk takes {left_s / 60.0:.0f} minutes more of this recording. Make room.",
                "trouble",
            )

    def _has_other_room(self, part: Part) -> bool:
        """Whether Goshawk's own folder lies on another disk, with room."""
        if part.path.parent == self._rescue:
            return False
        try:
            private_folder_if_new(self._rescue)
            return shutil.disk_usage(self._rescue).free > 2 * SAFE_REST_BYTES
        except OSError:
            return False

    @property
    def left_s(self) -> float:
        """So long the disk still takes it, at what it has taken so far."""
        part = self.part
        if part is None or self.free_bytes is None:
            return 0.0
        channels = sum(one.channels for one in part.document.tracks)
        per_s = 3.0 * channels * SAMPLE_RATE_HZ * 0.6
        if part.frames > 10 * SAMPLE_RATE_HZ and part.size_bytes:
            per_s = part.size_bytes / (part.frames / SAMPLE_RATE_HZ)
        return max(0.0, (self.free_bytes - SAFE_REST_BYTES) / per_s)


def _rest(one: HeardPiece | Gone, start: int) -> HeardPiece | Gone | None:
    """What of a piece, or of a gap, begins at a frame or later; None if nothing does."""
    skip = max(0, start - one.frame)
    if skip >= one.frames:
        return None
    if isinstance(one, Gone):
        return Gone(one.frame + skip, one.frames - skip)
    missing = [
        MissingFrames(
            lost.source, max(lost.frame, start), lost.frame + lost.frames - max(lost.frame, start)
        )
        for lost in one.missing
        if lost.frame + lost.frames > start
    ]
    return HeardPiece(
        one.frame + skip,
        [sound[skip:] for sound in one.sounds],
        missing,
        one.is_new_session,
        one.joined,
    )


def _reasons(piece: HeardPiece) -> list[tuple[MissingFrames, GapReason]]:
    """Why frames of a piece are missing. What all tracks miss is one gap; what one track misses alone was never made: its way
    became shorter."""
    by_source: dict[str, list[MissingFrames]] = {}
    for one in piece.missing:
        by_source.setdefault(one.source, []).append(one)
    if len(by_source) == len(piece.sounds) and (everywhere := missing_in_all(by_source.values())):
        return [(one, "recorder" if one.frame < piece.joined else "engine") for one in everywhere]
    return [
        (one, "realigned")
        for silences in by_source.values()
        for one in joined(silences, _JOINED_AT_MOST)
    ]
