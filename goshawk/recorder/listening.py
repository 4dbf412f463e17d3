"""Takes the tracks' sound out of the shared memory, piece by piece and all alike, for whoever writes it."""

from dataclasses import dataclass

from goshawk.core.graph.stations import recorded_as
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.recording.aligning import Aligner, MissingFrames
from goshawk.core.recording.document import Track
from goshawk.core.stage import Block
from goshawk.timeline.memory import FRAMES, SESSION, Memory
from goshawk.timeline.sound import PlansReader, SoundReader
from goshawk.units import SAMPLE_RATE_HZ

PIECE_FRAMES = 10 * HOP_FRAMES
"""A tenth of a second is written at once."""

LONGEST_PIECE_FRAMES = SAMPLE_RATE_HZ
WAITS_FRAMES = 3 * SAMPLE_RATE_HZ
"""A track whose sound is not there so long after the others begins with silence."""


@dataclass(frozen=True)
class HeardPiece:
    """Some frames of all tracks, each of shape (frames, channels), counted from the recording's beginning."""

    frame: int
    sounds: list[Block]
    missing: list[MissingFrames]
    is_new_session: bool
    """Whether another audio process had begun meanwhile."""
    joined: int = 0
    """What is missing before this frame, the recorder was not there to take."""

    @property
    def frames(self) -> int:
        return len(self.sounds[0])


class Listening:
    """The readers of all tracks. Nothing is waited for here."""

    def __init__(
        self, memory: Memory, tracks: tuple[Track, ...], first_frame: int | None = None
    ) -> None:
        """``first_frame`` is where on the timeline it begins; None: with what comes."""
        self._memory, self._first_frame = memory, first_frame
        self._readers = [
            SoundReader(memory, recorded_as(one.source), first_frame) for one in tracks
        ]
        self._aligners = [Aligner(one.source, one.channels) for one in tracks]
        self._plans = PlansReader(memory)
        self._first: list[int | None] = [None for _ in tracks]
        self._asked_at = self.now
        self._session = int(memory.head[SESSION])
        self.start: int | None = None
        """The first frame on the timeline; None until all tracks are there."""
        self.joined = 0
        """Before this frame of the recording nobody was there to take the sound."""
        self.written = 0
        """So many frames have been given out."""
        self._end: int | None = None

    @property
    def now(self) -> int:
        """The frame that comes next on the timeline."""
        return int(self._memory.head[FRAMES])

    @property
    def place(self) -> int:
        """Where in the recording this moment is."""
        return 0 if self.start is None else max(0, self.now - self.start)

    def end_now(self) -> None:
        """Nothing from this moment on."""
        self.end_at(self.place)

    def end_at(self, frames: int) -> None:
        """Not more than so many frames."""
        self._end = frames if self._end is None else min(frames, self._end)

    @property
    def is_at_end(self) -> bool:
        """Whether all that was wanted has been given out."""
        return self._end is not None and self.written >= self._end

    def hear(self) -> HeardPiece | None:
        """What is there of all tracks; None until it is worth a piece."""
        now, late = self.now, 0
        for n, reader in enumerate(self._readers):
            for piece in reader.read():
                self._aligners[n].push(piece.frame, piece.samples)
                if self._first[n] is None:
                    self._first[n] = piece.frame
            late = max(late, reader.late_frames)
        if self.start is None and not self._begin(now):
            return None
        assert self.start is not None
        there = now - late - self.start
        if self._end is not None:
            there = min(there, self._end)
        # Whole pieces, so that all files can be cut alike; the rest only at the end.
        if there < self.written + PIECE_FRAMES and there != self._end:
            return None
        end = min(there, self.written + LONGEST_PIECE_FRAMES)
        if end != self._end:
            end -= (end - self.written) % PIECE_FRAMES
        return self._take(end) if end > self.written else None

    def rest(self) -> HeardPiece | None:
        """What is wanted still, whether it is there or not: the audio process may be gone."""
        assert self._end is not None
        end = min(self._end, self.written + LONGEST_PIECE_FRAMES)
        return self._take(end) if end > self.written and self.start is not None else None

    def _begin(self, now: int) -> bool:
        firsts = [one for one in self._first if one is not None]
        is_waiting = len(firsts) < len(self._first) and now - self._asked_at < WAITS_FRAMES
        if not firsts or is_waiting:
            return False
        self.start = max(0, *firsts)
        if self._first_frame is not None:
            self.joined = max(0, min(firsts) - self._first_frame)
            self.start = self._first_frame
        return True

    def _take(self, end: int) -> HeardPiece:
        assert self.start is not None
        first = self.written
        sounds: list[Block] = []
        missing: list[MissingFrames] = []
        for aligner in self._aligners:
            sound, silences = aligner.take(self.start + first, self.start + end)
            sounds.append(sound)
            missing += [
                MissingFrames(one.source, one.frame - self.start, one.frames) for one in silences
            ]
        session = int(self._memory.head[SESSION])
        is_new, self._session = session != self._session, session
        self.written = end
        return HeardPiece(first, sounds, missing, is_new, self.joined)

    def plans(self) -> list[tuple[int, int]]:
        """The plans that were taken since the last call: number, and the frame on the timeline from which on."""
        return self._plans.read()
