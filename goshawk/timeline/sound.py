"""Sound in shared memory: the newest second of each, written by one process, read by many at their own pace."""

import time
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.stage import Block
from goshawk.core.steps import Integers, Step
from goshawk.timeline.memory import (
    BEFORE_SINCE,
    FIRST_AT,
    FRAMES,
    GAPS,
    LATE,
    LATE_BEFORE,
    LATE_SINCE,
    NAMES,
    NEXT_AT,
    PASSED_OVER,
    PLANNED,
    PLANS,
    RING_FRAMES,
    SESSION,
    SLOTS,
    WRITTEN_NS,
    Memory,
)
from goshawk.units import SAMPLE_RATE_HZ

_MASK = RING_FRAMES - 1
MARGIN_FRAMES = 4096
"""What is this near to being written over is not read any more."""


@kernel
def _write(block: Block, ring: Block, slot: Integers, at: Integers, late: float) -> None:
    """``at`` holds the number of the block's first frame, ``slot`` what is known of the sound."""
    frame, frames, last = at[0], block.shape[0], block.shape[1] - 1
    if slot[NEXT_AT] != frame:
        slot[FIRST_AT] = frame  # A block was not written: what was before is not gone on with.
    if slot[LATE] != int(late):
        slot[LATE_BEFORE], slot[BEFORE_SINCE] = slot[LATE], slot[LATE_SINCE]
        slot[LATE_SINCE] = frame
        slot[LATE] = int(late)
    start = frame & _MASK
    until_end = min(frames, RING_FRAMES - start)
    for n in range(until_end):
        ring[start + n, 0], ring[start + n, 1] = block[n, 0], block[n, last]
    for n in range(until_end, frames):
        ring[n - until_end, 0], ring[n - until_end, 1] = block[n, 0], block[n, last]
    slot[NEXT_AT] = frame + frames


class SoundWriter:
    """The one writer. A session begins where time has come to: the frames that nobody made are missing, not moved."""

    def __init__(self, memory: Memory) -> None:
        head = memory.head
        self._memory = memory
        if head[SESSION]:
            passed_ns = time.monotonic_ns() - int(head[WRITTEN_NS])
            passed = max(1, passed_ns * SAMPLE_RATE_HZ // 1_000_000_000)
            # Hops lie at the same places in every session.
            start = -(-(int(head[FRAMES]) + passed) // HOP_FRAMES) * HOP_FRAMES
        else:
            start = 0
        self._at = np.array([start])
        self.version = 0
        """Another one whenever other sounds are offered."""
        self._rows: dict[str, int] = {}
        memory.names[:] = b""
        head[NAMES] += 1
        head[FRAMES] = start
        head[SESSION] += 1

    @property
    def frame(self) -> int:
        """The next one's number."""
        return int(self._at[0])

    def offer(self, names: Collection[str]) -> None:
        """From now on these sounds are written; others are given up. More than SLOTS are not: the last go without."""
        names = list(names)[:SLOTS]
        if self._rows.keys() == set(names):
            return
        memory = self._memory
        self.version += 1
        for name in [name for name in self._rows if name not in names]:
            memory.names[self._rows.pop(name)] = b""
        free = iter(sorted(set(range(SLOTS)) - set(self._rows.values())))
        for name in names:
            if name not in self._rows:
                row = self._rows[name] = next(free)
                memory.slots[row] = (self.frame, self.frame, 0, self.frame, 0, self.frame)
                memory.names[row] = name.encode()
        memory.head[NAMES] += 1

    @property
    def names(self) -> Collection[str]:
        """What is offered."""
        return self._rows.keys()

    def write(self, name: str, block: Block, late_frames: int) -> None:
        """The next block of one sound, shape (frames, 1 or 2), whose sound is ``late_frames`` later here than at its
        device."""
        self.step(name, late_frames).run(np.ascontiguousarray(block))

    def step(self, name: str, late_frames: int) -> Step:
        """Writes the next block of one sound, as ``write`` does."""
        memory, row = self._memory, self._rows[name]
        return Step(_write, memory.sound[row], memory.slots[row], self._at, float(late_frames))

    def plan(self, number: int) -> None:
        """From the next frame on, this plan is heard."""
        head = self._memory.head
        self._memory.plans[int(head[PLANNED]) % PLANS] = (number, self.frame)
        head[PLANNED] += 1

    def pass_over(self, frames: int) -> None:
        """So many frames are missing: nobody made them. What was made before can still be read."""
        memory, at = self._memory, self.frame
        memory.gaps[int(memory.head[PASSED_OVER]) % GAPS] = (at, at + frames)
        memory.head[PASSED_OVER] += 1
        next_at = memory.slots[:, NEXT_AT]
        next_at[next_at == at] += frames
        self._at[0] += frames

    def finish(self, frames: int) -> None:
        """A block of every sound is written."""
        self._at[0] += frames
        self._memory.head[FRAMES] = self.frame
        self._memory.head[WRITTEN_NS] = time.monotonic_ns()


def _cut(ring: Block, first: int, end: int) -> Block:
    """A copy of some frames."""
    start, count = first & _MASK, end - first
    until_end = min(count, RING_FRAMES - start)
    return np.concatenate([ring[start : start + until_end], ring[: count - until_end]])


@dataclass(frozen=True)
class Piece:
    """Some frames of a sound that follow each other: ``at`` is when the first was there, ``frame`` when it was at its
    device, so that the same sound has the same number everywhere. Of shape (frames, 2)."""

    at: int
    frame: int
    samples: Block


class SoundReader:
    """One reader of one sound, with its place. ``losses`` counts how often something was written over before it was
    read, ``lost_frames`` how much in all."""

    def __init__(self, memory: Memory, name: str, since: int | None = None) -> None:
        """``since`` is a frame of the timeline from which on what the memory still holds is wanted; None: what comes."""
        self._memory = memory
        self._since = since
        self.name = name
        self._encoded = name.encode()
        self._row: int | None = None
        self._seen_names = -1
        self._at: int | None = None
        self.losses = self.lost_frames = 0

    def _find(self) -> None:
        names = int(self._memory.head[NAMES])
        if names == self._seen_names:
            return
        self._seen_names = names
        found = np.flatnonzero(self._memory.names == self._encoded)
        row = int(found[0]) if len(found) else None
        if row != self._row:
            self._row, self._at = row, None

    @property
    def late_frames(self) -> int:
        """By how much the sound is later here than at its device, or was before: what is older has been read."""
        if self._row is None:
            return 0
        slot = self._memory.slots[self._row]
        return max(int(slot[LATE]), int(slot[LATE_BEFORE]))

    def read(self) -> list[Piece]:
        """All that is new, oldest first; a gap lies between two pieces whose numbers do not follow. Nothing while the
        sound is not offered."""
        self._find()
        if self._row is None:
            return []
        slot, ring = self._memory.slots[self._row], self._memory.sound[self._row]
        next_at, first_at = int(slot[NEXT_AT]), int(slot[FIRST_AT])
        late, since = int(slot[LATE]), int(slot[LATE_SINCE])
        before, before_since = int(slot[LATE_BEFORE]), int(slot[BEFORE_SINCE])
        # What has been written over is gone, and of what came before two changes the number is not known any more.
        not_overwritten = next_at - RING_FRAMES + MARGIN_FRAMES
        still_there = max(not_overwritten, before_since)
        if (
            self._at is None
        ):  # Who joins begins with what comes, or with the beginning if that is near.
            self._at = max(first_at, before_since) if first_at >= not_overwritten else next_at
            if self._since is not None:
                self._at = min(self._at, max(self._since, still_there, first_at))
        at = max(self._at, first_at)
        if at < still_there:
            lost = sum(end - first for first, end in self._made(at, still_there))
            self.losses += lost > 0
            self.lost_frames += lost
            at = still_there
        # Of two places of delay, each has its own numbers.
        pieces = [
            Piece(first, first - by, _cut(ring, first, end))
            for first, end in self._made(at, next_at)
            for first, end, by in (
                (first, min(end, since), before),
                (max(first, since), end, late),
            )
            if first < end
        ]
        if not pieces:
            return []
        is_overwritten = int(slot[NEXT_AT]) - RING_FRAMES > at or int(slot[FIRST_AT]) != first_at
        if is_overwritten or self._memory.names[self._row] != self._encoded:
            return []  # While it was read: the next call sees what is missing.
        self._at = next_at
        return pieces

    def _made(self, at: int, end: int) -> list[tuple[int, int]]:
        """What was made from one frame to another, in stretches, without what was passed over."""
        count = int(self._memory.head[PASSED_OVER])
        if not count or self._memory.gaps[(count - 1) % GAPS, 1] <= at:  # as nearly always
            return [(at, end)] if at < end else []
        gaps = self._memory.gaps[:count]
        between = gaps[(gaps[:, 0] < end) & (gaps[:, 1] > at)]
        edges = [at, *sorted(between.ravel().tolist()), end]
        return [(a, b) for a, b in zip(edges[::2], edges[1::2], strict=True) if a < b]


class PlansReader:
    """What plans were taken, and when: from the one that is heard when the reader begins."""

    def __init__(self, memory: Memory) -> None:
        self._memory = memory
        self._next = max(0, int(memory.head[PLANNED]) - 1)

    def read(self) -> list[tuple[int, int]]:
        """Number and frame of each that is new, oldest first; of more than PLANS only the newest."""
        count = int(self._memory.head[PLANNED])
        first = max(self._next, count - PLANS // 2)
        self._next = count
        found = (self._memory.plans[n % PLANS].tolist() for n in range(first, count))
        return [(number, frame) for number, frame in found]
