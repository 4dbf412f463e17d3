"""What every stage of a chain offers.

A stage is made once for a channel count and a largest block; then, per block, ``process``
changes the block in place. Everything that a kernel needs lies in arrays made at construction,
so that the per-block path allocates nothing of size.

Blocks are float32, C-contiguous, shape (frames, channels), full scale ±1.0. Any frame count from
0 to ``max_frames`` is fine, and how a signal is cut into blocks never changes the output.
"""

from abc import ABC, abstractmethod
from typing import Generic, TypeVar

import numpy as np
from numpy.typing import NDArray
from typing_extensions import TypedDict

from goshawk.core.compiled import kernel
from goshawk.core.settings import Settings
from goshawk.core.steps import Block as Block
from goshawk.core.steps import Samples, Step, run_all
from goshawk.units import SAMPLE_RATE_HZ, one_pole_coefficient

Floats = NDArray[np.float64]
SettingsT = TypeVar("SettingsT", bound=Settings)

GLIDE_MS = 10.0
"""Time constant of each of the two poles through which changed settings glide. Two poles start
with zero slope, so a jump of a setting has no corner that would be heard as a click."""

TINY = 1e-20
"""State smaller than this is set to zero: denormal numbers cost 20 to 40 times the usual time."""


@kernel
def glide(now: Floats, between: Floats, target: Floats, coefficient: float) -> None:
    """Move every value one frame closer to its target through two cascaded one-poles."""
    for i in range(now.shape[0]):
        if now[i] == target[i] and between[i] == target[i]:
            continue
        between[i] += (target[i] - between[i]) * (1.0 - coefficient)
        now[i] += (between[i] - now[i]) * (1.0 - coefficient)
        if abs(now[i] - target[i]) + abs(between[i] - target[i]) < 1e-9:
            now[i] = between[i] = target[i]


@kernel
def is_gliding(now: Floats, between: Floats, target: Floats) -> bool:
    """Whether any value is still on its way."""
    is_moving = False
    for i in range(now.shape[0]):
        is_moving |= now[i] != target[i] or between[i] != target[i]
    return is_moving


@kernel
def glide_along(
    now: Floats, between: Floats, target: Floats, coefficient: float, out: Floats, frames: int
) -> None:
    """Every value at every frame, into ``out`` of shape (values, at least ``frames``)."""
    start = 0
    while start < frames and is_gliding(now, between, target):
        glide(now, between, target, coefficient)
        for i in range(now.shape[0]):
            out[i, start] = now[i]
        start += 1
    for i in range(now.shape[0]):
        for n in range(start, frames):
            out[i, n] = now[i]


def as_stereo(sound: Block) -> Block:
    """A sound of one or two channels as one of two, C-contiguous."""
    return np.repeat(sound, 2, axis=1) if sound.shape[1] == 1 else np.ascontiguousarray(sound)


class Glide:
    """Values of settings on their way to where they were just set."""

    def __init__(self, count: int) -> None:
        self.now = np.zeros(count)
        self.between = np.zeros(count)
        self.target = np.zeros(count)
        self.coefficient = one_pole_coefficient(GLIDE_MS, SAMPLE_RATE_HZ)
        self._is_set = False

    def set(self, *values: float) -> None:
        """Set the targets; the first call takes effect at once."""
        self.target[:] = values
        if not self._is_set:
            self.settle()
            self._is_set = True

    def settle(self) -> None:
        """Stand at the targets now."""
        self.between[:] = self.target
        self.now[:] = self.target


LOUDEST_LINEAR = 1000.0
"""Samples beyond +60 dBFS are held there, so that no input can overflow what follows."""


_LOUDEST_BITS = np.int32(np.float32(LOUDEST_LINEAR).view(np.int32))
_LEAST_BITS = np.uint32(np.nextafter(np.float32(TINY), np.float32(1.0)).view(np.uint32) - 1)


@kernel
def is_clean(block: Block) -> bool:
    """Whether ``clean`` has nothing to do. The bits of floats stand in the order of their sizes, and numbers without a
    sign are compared in vector instructions."""
    bits = block.reshape(-1).view(np.int32)
    most = np.int32(0)
    least = np.uint32(0xFFFFFFFF)
    for i in range(bits.shape[0]):
        size = np.int32(bits[i] & np.int32(0x7FFFFFFF))
        most = max(most, size)
        least = min(least, np.uint32(np.uint32(size) - np.uint32(1)))  # Zero becomes the greatest.
    return bool(most <= _LOUDEST_BITS and least >= _LEAST_BITS)


@kernel
def greatest(samples: Samples) -> float:
    """The greatest magnitude of clean samples, shape (n,)."""
    bits = samples.view(np.int32)
    most = np.int32(0)
    for i in range(bits.shape[0]):
        most = max(most, np.int32(bits[i] & np.int32(0x7FFFFFFF)))
    found = np.int32(most)
    return float(found.view(np.float32))


@kernel
def add_power(samples: Samples, sums: Floats, at: int) -> None:
    """Add the squares of samples, shape (n,), to four ``sums``: each to that of its place, of which the first is
    ``at``. So the sums are the same however the sound is cut, and four run side by side."""
    count = samples.shape[0]
    start = min(count, -at & 3)
    for i in range(start):
        sums[(at + i) & 3] += float(samples[i]) * float(samples[i])
    a, b, c, d = sums[0], sums[1], sums[2], sums[3]
    end = start + ((count - start) & ~3)
    for i in range(start, end, 4):
        a += float(samples[i]) * float(samples[i])
        b += float(samples[i + 1]) * float(samples[i + 1])
        c += float(samples[i + 2]) * float(samples[i + 2])
        d += float(samples[i + 3]) * float(samples[i + 3])
    sums[0], sums[1], sums[2], sums[3] = a, b, c, d
    for i in range(end, count):
        sums[i - end] += float(samples[i]) * float(samples[i])


@kernel
def clean(block: Block) -> int:
    """Make every sample finite, bounded and normal, in place; returns how many were not finite."""
    bad = 0
    frames, channels = block.shape
    if is_clean(block):
        return 0
    for n in range(frames):
        for c in range(channels):
            x = block[n, c]
            if not np.isfinite(x):
                bad += 1
                block[n, c] = 0.0
            elif x > LOUDEST_LINEAR:
                block[n, c] = LOUDEST_LINEAR
            elif x < -LOUDEST_LINEAR:
                block[n, c] = -LOUDEST_LINEAR
            elif abs(x) < TINY:
                block[n, c] = 0.0
    return bad


CLEAN = Step(clean)
"""``clean`` as a step."""


class StageReading(TypedDict, total=False):
    """What a stage says of itself since the last reading; each gives what applies to it."""

    gain_reduction_db: float
    """The most it took."""
    low_reduction_db: float
    middle_reduction_db: float
    high_reduction_db: float
    level_dbfs: float
    """The highest level that a compressor saw."""
    sibilance_db: float
    """How far sibilance stood over the voice."""
    is_back: bool
    """Whether something comes back to an insert."""
    is_open: bool
    openings: int
    gain_db: float
    """What a leveller adds now."""
    loudness_lufs: float
    is_holding: bool
    strokes: int
    room_takes_db: list[float]
    """In bands, what a suppressor's knowledge of the room makes of each lately, as a gain …"""
    takes_db: list[float]
    """… and what that of voices has made of it besides."""
    speaks_share: float
    """How likely somebody speaks, 0 to 1."""
    noise_dbfs: float
    noise_db: list[float]
    """The noise that a suppressor expects, in bands."""


class Stage(ABC, Generic[SettingsT]):
    """One processor of the chain.

    ``latency_frames`` is by how much the output lags the input with the present settings.
    """

    settings: SettingsT
    steps: tuple[Step, ...]
    """What passes a clean block through the stage, in place."""

    latency_frames: int = 0
    longest_latency_ms: float = 50.0
    """With any settings."""
    has_latency: bool = False
    """Whether some setting gives it a latency."""

    def __init__(self, settings: SettingsT, channels: int, max_frames: int) -> None:
        self.channels = channels
        self.max_frames = max_frames
        self.apply(settings)

    @abstractmethod
    def apply(self, settings: SettingsT) -> None:
        """Take new settings at a block boundary; heard without a click."""

    def process(self, block: Block) -> Block:
        """Change the block in place and return it. NaN and infinity enter as silence."""
        clean(block)
        self.run(block)
        return block

    def run(self, block: Block) -> None:
        """Change a clean block in place."""
        run_all(self.steps, block)

    @abstractmethod
    def reset(self) -> None:
        """Forget all sound; settings stay."""

    @abstractmethod
    def take_reading(self) -> StageReading:
        """What happened since the last call (maxima, so that a slow screen misses no peak)."""
