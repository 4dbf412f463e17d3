"""Brings what several readers find into line: every track gets every frame once, and silence where a frame cannot be had."""

from collections import Counter
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from goshawk.core.stage import Block


@dataclass(frozen=True)
class MissingFrames:
    """Frames of one track that nobody could give."""

    source: str
    frame: int
    frames: int


class Aligner:
    """Holds the newest sound of one track until it is asked for. Frames are counted as they were at the devices."""

    def __init__(self, source: str, channels: int) -> None:
        self.source, self.channels = source, channels
        self._pieces: list[tuple[int, Block]] = []

    def push(self, frame: int, samples: Block) -> None:
        """A piece that begins at ``frame``, shape (frames, 2), after all that were given before."""
        self._pieces.append((frame, samples))

    def take(self, start: int, end: int) -> tuple[Block, list[MissingFrames]]:
        """Frames ``start`` to ``end``, of shape (frames, channels), and where nothing was found. What is asked for must
        follow what was asked for before; of frames that came twice the first are kept."""
        out = np.zeros((end - start, 2), np.float32)
        missing: list[MissingFrames] = []
        at = start
        kept: list[tuple[int, Block]] = []
        for frame, samples in self._pieces:
            first, last = max(frame, at), min(frame + len(samples), end)
            if last > first:
                if first > at:
                    missing.append(MissingFrames(self.source, at, first - at))
                out[first - start : last - start] = samples[first - frame : last - frame]
                at = last
            if frame + len(samples) > end:
                kept.append((frame, samples))
        self._pieces = kept
        if at < end:
            missing.append(MissingFrames(self.source, at, end - at))
        if self.channels == 1:
            # Both are the same but while an input changes from one channel to two.
            out = (out[:, :1] + out[:, 1:]) * np.float32(0.5)
        return out, missing


def missing_in_all(tracks: Collection[Collection[MissingFrames]]) -> list[MissingFrames]:
    """Where every one of the tracks is silent, oldest first; those of each follow each other."""
    edges: Counter[int] = Counter()
    for silences in tracks:
        for one in silences:
            edges[one.frame] += 1
            edges[one.frame + one.frames] -= 1
    found: list[MissingFrames] = []
    silent = 0
    for frame, after in pairwise([*sorted(edges), 0]):
        silent += edges[frame]
        if silent == len(tracks) > 0:
            found.append(MissingFrames("", frame, after - frame))
    return found


def joined(found: Iterable[MissingFrames], most: int) -> list[MissingFrames]:
    """Silences of one track that follow each other as one, at most ``most`` of them."""
    out: list[MissingFrames] = []
    for one in found:
        last = out[-1] if out else None
        if last and last.source == one.source and last.frame + last.frames == one.frame:
            out[-1] = MissingFrames(one.source, last.frame, last.frames + one.frames)
        elif len(out) < most:
            out.append(one)
    return out
