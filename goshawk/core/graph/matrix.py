"""Inputs × feeds: every send, trim, fader and mute is one gliding gain in a matrix, and what each input
brings to each listener is measured where it is added.

An input has two sides: shaped by its strip (EQ, ducker), and as it came. A feed takes one of them."""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.measure.levels import HOP_FRAMES, KEPT_HOPS, hop_places
from goshawk.core.routing import FEEDS, MOST_INPUTS
from goshawk.core.stage import Block, Floats, Glide, add_power, glide, greatest
from goshawk.core.steps import Integers, Samples, Step

ROWS = MOST_INPUTS + 4
"""An input that was removed keeps its row until it has faded out."""


PEAK = 4
"""Behind the four sums of squares of an input."""


@kernel
def _finish(sums: Floats, kept: Floats, clock: Floats) -> None:
    """A hop is complete (see ``_mix``)."""
    place = int(clock[2]) % kept.shape[0]
    for i in range(sums.shape[0]):
        power = (sums[i, 0] + sums[i, 1]) + (sums[i, 2] + sums[i, 3])
        kept[place, i, 0] = power * 0.5 / max(clock[1], 1.0)
        kept[place, i, 1] = sums[i, PEAK]
        sums[i] = 0.0
    clock[0] -= HOP_FRAMES
    clock[1] = 0.0
    clock[2] += 1.0


@kernel
def _glide_in(
    shaped: Samples,
    came: Samples,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
    brought: Samples,
) -> None:
    """What an input brings to a feed, both channels in turn, while a gain of either side is on its way, or the sound
    as it came takes part."""
    for n in range(brought.shape[0] // 2):
        glide(now, between, target, a)
        for j in range(2 * n, 2 * n + 2):
            brought[j] = np.float32(shaped[j] * now[0])
            if now[1] != 0.0 or target[1] != 0.0:
                brought[j] += np.float32(came[j] * now[1])


@kernel
def _mix(
    first: Block,
    inputs: Block,
    unshaped: Block,
    feeds: Block,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
    sums: Floats,
    kept: Floats,
    peaks: Floats,
    clock: Floats,
    used: Integers,
    line: Samples,
) -> None:
    """Add inputs (rows, frames, 2), shaped and as they came, to feeds (feeds, frames, 2) with gains of
    shape (rows × feeds × 2,): of the shaped side, of the other. ``first`` is the first feed: it says how many frames;
    ``used`` holds how many rows are; ``line`` is scratch for a block.

    ``sums`` (rows, 5) gathers power and peak towards the first feed for the hop that runs,
    ``kept`` (KEPT_HOPS, rows, 2) the finished ones; ``peaks`` (rows, feeds + 1) holds the highest
    peak of each input in each feed, and before any gain, since the last reading. Clock: frame within
    the hop (negative: late by the latency), frames gathered, hops finished."""
    rows, frames = used[0], first.shape[0]
    count = feeds.shape[0]
    for f in range(count):
        feeds[f, :frames] = 0.0
    start = 0
    while clock[0] >= HOP_FRAMES:  # The latency fell by more than a hop.
        _finish(sums, kept, clock)
    while start < frames:
        left = frames - start
        if clock[0] < 0.0:
            length = min(left, int(-clock[0]))
        else:
            length = min(left, HOP_FRAMES - int(clock[0]))
        end = start + length
        for i in range(rows):
            came = unshaped[i, start:end].reshape(-1)
            peaks[i, count] = max(peaks[i, count], greatest(came))
            shaped = inputs[i, start:end].reshape(-1)
            most = greatest(shaped)
            for f in range(count):
                k = (i * count + f) * 2
                shaped_rests = now[k] == target[k] and between[k] == target[k]
                other_rests = now[k + 1] == target[k + 1] and between[k + 1] == target[k + 1]
                has_other = not other_rests or now[k + 1] != 0.0
                if shaped_rests and now[k] == 0.0 and not has_other:
                    continue
                brought = line[: 2 * length]
                total = feeds[f, start:end].reshape(-1)
                if shaped_rests and not has_other:
                    gain = now[k]
                    for j in range(2 * length):
                        brought[j] = np.float32(shaped[j] * gain)
                    peak = abs(float(np.float32(most * gain)))
                else:
                    _glide_in(
                        shaped,
                        came,
                        now[k : k + 2],
                        between[k : k + 2],
                        target[k : k + 2],
                        a,
                        brought,
                    )
                    peak = greatest(brought)
                for j in range(2 * length):
                    total[j] += brought[j]
                peaks[i, f] = max(peaks[i, f], peak)
                if f == 0 and clock[0] >= 0.0:
                    add_power(brought, sums[i], int(clock[1]) * 2)
                    sums[i, PEAK] = max(sums[i, PEAK], peak)
        if clock[0] >= 0.0:
            clock[1] += length
        clock[0] += length
        if clock[0] >= HOP_FRAMES:
            _finish(sums, kept, clock)
        start = end


class Matrix:
    """Gains from every input to every feed, for blocks of up to ``max_frames``."""

    def __init__(self, max_frames: int) -> None:
        self.inputs = np.zeros((ROWS, max_frames, 2), np.float32)
        self.unshaped = np.zeros((ROWS, max_frames, 2), np.float32)
        self.feeds = np.zeros((len(FEEDS), max_frames, 2), np.float32)
        self._gains = Glide(ROWS * len(FEEDS) * 2)
        self._gains.settle()
        self._sums = np.zeros((ROWS, 5))
        self._kept = np.zeros((KEPT_HOPS, ROWS, 2))
        self._peaks = np.zeros((ROWS, len(FEEDS) + 1))
        self._clock = np.zeros(3)
        self._latency_frames = 0
        self._used = np.zeros(1, np.int64)
        """So many rows have ever been used: the others are not looked at."""
        self.sides = [(self.inputs[row], self.unshaped[row]) for row in range(ROWS)]
        """Where the input of each row is to lie, behind its chain and as it came, shape (max_frames, 2)."""
        self.sums = [self.feeds[place] for place in range(len(FEEDS))]
        """What comes of it for each feed, shape (max_frames, 2)."""
        g = self._gains
        self.step = Step(
            _mix, self.inputs, self.unshaped, self.feeds, g.now, g.between, g.target, g.coefficient,
            self._sums, self._kept, self._peaks, self._clock, self._used, np.zeros(2 * max_frames, np.float32), block=self.sums[0],
        )  # fmt: skip

    def set_latency(self, latency_frames: int) -> None:
        """The inputs come this much later than at the microphone: hops are counted from there."""
        self._clock[0] -= latency_frames - self._latency_frames
        self._latency_frames = latency_frames

    def set_gains(
        self,
        row: int,
        gains: list[float],
        unshaped: list[float] | None = None,
        *,
        at_once: bool = False,
    ) -> None:
        """Target gains (linear) of one input to every feed: of its shaped side, and as it came."""
        self._used[0] = max(self._used[0], row + 1)
        places = self._places(row)
        self._gains.target[places] = np.column_stack(
            [gains, unshaped or [0.0] * len(FEEDS)]
        ).ravel()
        if at_once:
            self._gains.now[places] = self._gains.between[places] = self._gains.target[places]

    @staticmethod
    def _places(row: int) -> slice:
        width = 2 * len(FEEDS)
        return slice(row * width, (row + 1) * width)

    def is_open(self, row: int, feed: int) -> bool:
        """Whether anything of an input is to reach a feed, by its place."""
        k = (row * len(FEEDS) + feed) * 2
        return bool(self._gains.target[k : k + 2].any())

    def is_silent(self, row: int) -> bool:
        """Whether an input has faded out everywhere."""
        return not self._gains.now[self._places(row)].any()

    def gains(self, row: int) -> Floats:
        """The gains in force now, both sides together, shape (feeds,)."""
        now: Floats = self._gains.now[self._places(row)].reshape(-1, 2).sum(axis=1)
        return now

    def clear(self, row: int) -> None:
        """Forget the sound and levels of a row that another input takes."""
        self.inputs[row] = 0.0
        self.unshaped[row] = 0.0
        self._sums[row] = 0.0
        self._kept[:, row] = 0.0
        self._peaks[row] = 0.0

    @property
    def finished(self) -> int:
        """How many hops are complete."""
        return int(self._clock[2])

    def hops(self, row: int, first: int, count: int) -> Floats:
        """Power and peak of what an input brings to the Viewers, of hops first … first + count, shape (count, 2)."""
        kept: Floats = self._kept[hop_places(first, count), row]
        return kept

    def take_peaks(self) -> Floats:
        """Highest peaks since the last call, shape (rows, feeds + 1); the last is before any gain."""
        peaks = self._peaks.copy()
        self._peaks.fill(0.0)
        return peaks
