"""Second-order sections in a row, whose settings change without a click.

A change runs the old and the new filters side by side for CROSSFADE_MS and blends from one to the other,
so that no coefficient ever moves while it is in use. The newest wish waits until a blend is over.
"""

from abc import abstractmethod

import numpy as np

from goshawk.core.compiled import inlined, kernel
from goshawk.core.dsp.delay import CROSSFADE_MS
from goshawk.core.stage import TINY, Block, Floats, SettingsT, Stage, StageReading
from goshawk.core.steps import Integers, Step
from goshawk.units import ms_to_frames


@inlined
def _let_go(value: float) -> float:
    """What is left of a sound, before it is too small for the processor to be quick with."""
    return 0.0 if abs(value) < TINY else value


@kernel
def _section(block: Block, k: Floats, z: Floats) -> None:
    """One section over a block, in place; ``z`` of shape (channels, 2)."""
    for c in range(block.shape[1]):
        z0, z1 = z[c, 0], z[c, 1]
        for n in range(block.shape[0]):
            x = float(block[n, c])
            y = k[0] * x + z0
            z0 = _let_go(k[1] * x - k[3] * y + z1)
            z1 = _let_go(k[2] * x - k[4] * y)
            block[n, c] = np.float32(y)
        z[c, 0], z[c, 1] = z0, z1


@kernel
def _two_sections(block: Block, k: Floats, z: Floats, then_k: Floats, then_z: Floats) -> None:
    """One section and the next: the same in two thirds of the time, since each waits for its own last sample alone."""
    for c in range(block.shape[1]):
        z0, z1, then0, then1 = z[c, 0], z[c, 1], then_z[c, 0], then_z[c, 1]
        for n in range(block.shape[0]):
            x = float(block[n, c])
            y = k[0] * x + z0
            z0 = _let_go(k[1] * x - k[3] * y + z1)
            z1 = _let_go(k[2] * x - k[4] * y)
            x = float(np.float32(y))
            y = then_k[0] * x + then0
            then0 = _let_go(then_k[1] * x - then_k[3] * y + then1)
            then1 = _let_go(then_k[2] * x - then_k[4] * y)
            block[n, c] = np.float32(y)
        z[c, 0], z[c, 1], then_z[c, 0], then_z[c, 1] = z0, z1, then0, then1


@kernel
def _run(block: Block, k: Floats, z: Floats) -> None:
    """All sections that do something, in place."""
    waiting = -1
    for i in range(k.shape[0]):
        if k[i, 0] == 1.0 and k[i, 1] == k[i, 3] and k[i, 2] == k[i, 4]:
            continue
        if waiting < 0:
            waiting = i
        else:
            _two_sections(block, k[waiting], z[waiting], k[i], z[i])
            waiting = -1
    if waiting >= 0:
        _section(block, k[waiting], z[waiting])


@kernel
def _blend(old: Block, new: Block, fade: int, fade_frames: int) -> None:
    """From old to new, into ``new``; so many frames of the fade are left."""
    for n in range(new.shape[0]):
        weight = 1.0 - fade / fade_frames
        weight = weight * weight * (3.0 - 2.0 * weight)
        for c in range(new.shape[1]):
            new[n, c] = np.float32(weight * new[n, c] + (1.0 - weight) * old[n, c])
        if fade > 0:
            fade -= 1


IS_NEW, FADE, FADE_FRAMES = range(3)


@kernel
def _filter(
    block: Block,
    k: Floats,
    z: Floats,
    old_k: Floats,
    old_z: Floats,
    wanted: Floats,
    old: Block,
    counts: Integers,
) -> None:
    """All sections, in place, and the old ones as long as a fade between their coefficients lasts. Counts: whether
    there are new ones, frames of the fade that are left, and its length."""
    frames = block.shape[0]
    start = 0
    while start < frames:
        if counts[IS_NEW] and counts[FADE] == 0:
            counts[IS_NEW] = 0
            old_k[:] = k
            old_z[:] = z
            k[:] = wanted
            counts[FADE] = counts[FADE_FRAMES]
        # A fade ends inside a block at the same frame whatever the block's length.
        left = frames - start
        if counts[FADE] > 0:
            length = min(left, counts[FADE])
            piece = block[start : start + length]
            before = old[:length]
            before[:] = piece
            _run(before, old_k, old_z)
            _run(piece, k, z)
            _blend(before, piece, counts[FADE], counts[FADE_FRAMES])
            counts[FADE] -= length
        else:
            length = left
            _run(block[start:], k, z)
        start += length


class FilterBank:
    """``sections`` filters in a row for blocks of shape (frames, channels)."""

    def __init__(self, sections: int, channels: int, max_frames: int) -> None:
        self._k = np.zeros((sections, 5))
        self._k[:, 0] = 1.0
        self._z = np.zeros((sections, channels, 2))
        self._wanted = self._k.copy()
        self._counts = np.zeros(3, np.int64)
        self._counts[FADE_FRAMES] = ms_to_frames(CROSSFADE_MS)
        self._arrays = (
            self._k, self._z, self._k.copy(), self._z.copy(), self._wanted,
            np.zeros((max_frames, channels), np.float32), self._counts,
        )  # fmt: skip

    def step(self, block: Block | None = None) -> Step:
        """Filters ``block``; None: the block that the program is for."""
        return Step(_filter, *self._arrays, block=block)

    def set(self, sections: Floats, *, at_once: bool = False) -> None:
        """Take new coefficients, shape (sections, 5)."""
        self._wanted[:] = sections
        self._counts[IS_NEW] = not np.array_equal(self._wanted, self._k)
        if at_once:
            self._k[:] = sections
            self._counts[[IS_NEW, FADE]] = 0

    def process(self, block: Block) -> None:
        """Filter the block in place."""
        _filter(block, *self._arrays)

    def reset(self) -> None:
        """Forget all sound; coefficients stay."""
        self._z.fill(0.0)
        self._k[:] = self._wanted
        self._counts[[IS_NEW, FADE]] = 0


class FilterStage(Stage[SettingsT]):
    """A stage that is nothing but sections in a row. No latency."""

    def __init__(self, settings: SettingsT, channels: int, max_frames: int) -> None:
        sections = self.sections(settings)
        self._bank = FilterBank(len(sections), channels, max_frames)
        self._bank.set(sections, at_once=True)
        self.steps = (self._bank.step(),)
        super().__init__(settings, channels, max_frames)

    @staticmethod
    @abstractmethod
    def sections(settings: SettingsT) -> Floats:
        """The filters for these settings, always of the same number, shape (n, 5)."""

    def apply(self, settings: SettingsT) -> None:
        self.settings = settings
        self._bank.set(self.sections(settings))

    def reset(self) -> None:
        self._bank.reset()

    def take_reading(self) -> StageReading:
        return {}
