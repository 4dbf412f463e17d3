"""The newest seconds of one sound, by its frame numbers."""

import numpy as np

from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ

LONGEST_GAP_S = 2.0
"""What is missing for longer is not filled: what was before is forgotten."""


class SoundKeeper:
    """Keeps the last ``seconds`` of what is pushed, shape (frames, 2). A gap is silence, and ``whole_from`` says where
    the last one ended: nothing is spliced."""

    def __init__(self, seconds: float) -> None:
        self._most = round(seconds * SAMPLE_RATE_HZ)
        self._ring = np.zeros((0, 2), np.float32)
        self.forget()

    def forget(self) -> None:
        """Begin anew."""
        self.start = self.end = self.whole_from = 0
        self._has_begun = False
        self.gaps: list[tuple[int, int]] = []
        """Where silence stands for what is missing: first frame and the one behind the last."""

    @property
    def frames(self) -> int:
        """How many are kept, gaps included."""
        return self.end - self.start

    @property
    def whole_frames(self) -> int:
        """How many are kept since the last gap."""
        return self.end - self.whole_from

    def push(self, frame: int, piece: Block) -> None:
        """Keep more, shape (frames, 1 or 2); ``frame`` is the first one's number."""
        if not len(self._ring):
            self._ring = np.zeros((self._most, 2), np.float32)
        missing = frame - self.end
        if self._has_begun and -len(piece) < missing < 0:
            # The way here has become longer: what comes again has its number, and is there already.
            frame, piece, missing = self.end, piece[-missing:], 0
        if not (self._has_begun and 0 <= missing <= LONGEST_GAP_S * SAMPLE_RATE_HZ):
            self._has_begun = True
            self.start = self.end = self.whole_from = frame
            self.gaps = []
        elif missing:
            self._write(self.end, np.zeros((missing, 2), np.float32))
            self.gaps.append((self.end, frame))
            self.whole_from = frame
        if len(piece) > self._most:
            frame, piece = frame + len(piece) - self._most, piece[-self._most :]
        self._write(frame, piece)
        self.end = frame + len(piece)
        self.start = max(self.start, self.end - self._most)
        self.whole_from = max(self.whole_from, self.start)
        if self.gaps and self.gaps[0][1] <= self.start:
            self.gaps.pop(0)

    def _write(self, frame: int, piece: Block) -> None:
        at = frame % self._most
        until_end = min(len(piece), self._most - at)
        self._ring[at : at + until_end] = piece[:until_end]
        self._ring[: len(piece) - until_end] = piece[until_end:]

    def cut(self, start: int, end: int) -> Block:
        """Frames ``start`` to ``end``, shape (end - start, 2), as a copy; silence where none is kept."""
        out = np.zeros((max(0, end - start), 2), np.float32)
        first, last = max(start, self.start), min(end, self.end)
        if first < last:
            at = first % self._most
            until_end = min(last - first, self._most - at)
            there = out[first - start : last - start]
            there[:until_end] = self._ring[at : at + until_end]
            there[until_end:] = self._ring[: last - first - until_end]
        return out

    def newest(self, frames: int) -> Block:
        """The last ``frames``, or what there is since the last gap."""
        return self.cut(max(self.whole_from, self.end - frames), self.end)
