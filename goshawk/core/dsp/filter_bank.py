"""Second-order sections in a row, whose settings change without a click.

A change runs the old and the new filters side by side for CROSSFADE_MS and blends from one to the other,
so that no coefficient ever moves while it is in use. The newest wish waits until a blend is over.
"""

from abc import abstractmethod

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.delay import CROSSFADE_MS
from goshawk.core.stage import TINY, Block, Floats, SettingsT, Stage, StageReading
from goshawk.units import ms_to_frames


@kernel
def _section(block: Block, out: Block, k: Floats, z: Floats) -> None:
    """One section over a block, in place or into ``out``; ``z`` of shape (channels, 2)."""
    for c in range(block.shape[1]):
        z0, z1 = z[c, 0], z[c, 1]
        for n in range(block.shape[0]):
            x = float(block[n, c])
            y = k[0] * x + z0
            z0 = k[1] * x - k[3] * y + z1
            z1 = k[2] * x - k[4] * y
            if abs(z0) < TINY:
                z0 = 0.0
            if abs(z1) < TINY:
                z1 = 0.0
            out[n, c] = np.float32(y)
        z[c, 0], z[c, 1] = z0, z1


@kernel
def _run(block: Block, k: Floats, z: Floats) -> None:
    """All sections that do something, in place."""
    for i in range(k.shape[0]):
        if k[i, 0] != 1.0 or k[i, 1] != k[i, 3] or k[i, 2] != k[i, 4]:
            _section(block, block, k[i], z[i])


@kernel
def _blend(old: Block, new: Block, fade: int, fade_frames: int) -> int:
    """From old to new, into ``new``; returns the frames of the fade that are left."""
    for n in range(new.shape[0]):
        weight = 1.0 - fade / fade_frames
        weight = weight * weight * (3.0 - 2.0 * weight)
        for c in range(new.shape[1]):
            new[n, c] = np.float32(weight * new[n, c] + (1.0 - weight) * old[n, c])
        if fade > 0:
            fade -= 1
    return fade


class FilterBank:
    """``sections`` filters in a row for blocks of shape (frames, channels)."""

    def __init__(self, sections: int, channels: int, max_frames: int) -> None:
        self._k = np.zeros((sections, 5))
        self._k[:, 0] = 1.0
        self._z = np.zeros((sections, channels, 2))
        self._old_k, self._old_z = self._k.copy(), self._z.copy()
        self._old = np.zeros((max_frames, channels), np.float32)
        self._wanted = self._k.copy()
        self._is_new = False
        self._fade = 0
        self._fade_frames = ms_to_frames(CROSSFADE_MS)

    def set(self, sections: Floats, *, at_once: bool = False) -> None:
        """Take new coefficients, shape (sections, 5)."""
        self._wanted[:] = sections
        self._is_new = not np.array_equal(self._wanted, self._k)
        if at_once:
            self._is_new = False
            self._k[:] = sections
            self._fade = 0

    def process(self, block: Block) -> None:
        """Filter the block in place."""
        start = 0
        while start < len(block):
            if self._is_new and self._fade == 0:
                self._is_new = False
                self._old_k[:], self._old_z[:] = self._k, self._z
                self._k[:] = self._wanted
                self._fade = self._fade_frames
            # A fade ends inside a block at the same frame whatever the block's length.
            left = len(block) - start
            piece = block[start : start + (min(left, self._fade) if self._fade else left)]
            if self._fade:
                old = self._old[: len(piece)]
                old[:] = piece
                _run(old, self._old_k, self._old_z)
                _run(piece, self._k, self._z)
                self._fade = _blend(old, piece, self._fade, self._fade_frames)
            else:
                _run(piece, self._k, self._z)
            start += len(piece)

    def reset(self) -> None:
        """Forget all sound; coefficients stay."""
        self._z.fill(0.0)
        self._k[:] = self._wanted
        self._is_new = False
        self._fade = 0


class FilterStage(Stage[SettingsT]):
    """A stage that is nothing but sections in a row. No latency."""

    def __init__(self, settings: SettingsT, channels: int, max_frames: int) -> None:
        sections = self.sections(settings)
        self._bank = FilterBank(len(sections), channels, max_frames)
        self._bank.set(sections, at_once=True)
        super().__init__(settings, channels, max_frames)

    @staticmethod
    @abstractmethod
    def sections(settings: SettingsT) -> Floats:
        """The filters for these settings, always of the same number, shape (n, 5)."""

    def apply(self, settings: SettingsT) -> None:
        self.settings = settings
        self._bank.set(self.sections(settings))

    def run(self, block: Block) -> None:
        self._bank.process(block)

    def reset(self) -> None:
        self._bank.reset()

    def take_reading(self) -> StageReading:
        return {}
