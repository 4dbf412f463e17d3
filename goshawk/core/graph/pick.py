"""Takes an input's channels from its device's block, and crossfades when either changes."""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.delay import CROSSFADE_MS
from goshawk.core.routing import Channels
from goshawk.core.stage import LOUDEST_LINEAR, TINY, Block
from goshawk.units import ms_to_frames

_MODES: dict[Channels, int] = {"left": 0, "right": 1, "sum": 2, "stereo": 3}


@kernel
def _one(source: Block, n: int, c: int, mode: int) -> float:
    """Channel ``c`` of an input at frame ``n``."""
    if mode == 2:
        return (float(source[n, 0]) + float(source[n, 1])) * 0.5
    return float(source[n, c if mode == 3 else mode])


@kernel
def _pick(
    source: Block, mode: int, old: Block, old_mode: int, fade: int, fade_frames: int, out: Block
) -> tuple[int, int]:
    """Fill ``out``; returns the fade left, and how many samples were not finite."""
    bad = 0
    for n in range(out.shape[0]):
        weight = 1.0 - fade / fade_frames
        weight = weight * weight * (3.0 - 2.0 * weight)
        for c in range(out.shape[1]):
            x = _one(source, n, c, mode)
            if fade > 0:
                x = weight * x + (1.0 - weight) * _one(old, n, c, old_mode)
            if not np.isfinite(x):
                bad += c == 0 or mode == 3  # The second side of one channel is the same sample.
                x = 0.0
            elif x > LOUDEST_LINEAR:
                x = LOUDEST_LINEAR
            elif x < -LOUDEST_LINEAR:
                x = -LOUDEST_LINEAR
            elif abs(x) < TINY:
                x = 0.0
            out[n, c] = np.float32(x)
        if fade > 0:
            fade -= 1
    return fade, bad


class Pick:
    """One input's way from device to graph. Sources are blocks of shape (frames, 2) by device."""

    def __init__(self, device: str, channels: Channels) -> None:
        self._now = self._before = (device, channels)
        self._fade = 0
        self._fade_frames = ms_to_frames(CROSSFADE_MS)
        self.bad_samples = 0

    @property
    def devices(self) -> tuple[str, str]:
        """The device in use, and the one that is being left."""
        return self._now[0], self._before[0]

    def choose(self, device: str, channels: Channels) -> None:
        """Take another device or channels from now on."""
        if (device, channels) != self._now:
            self._before, self._now = self._now, (device, channels)
            self._fade = self._fade_frames

    def read(self, sound: dict[str, Block], silence: Block, out: Block) -> None:
        """Fill ``out`` of shape (frames, 1 or 2); a device that is not there gives silence."""
        if self._fade == 0:
            self._before = self._now
        self._fade, bad = _pick(
            sound.get(self._now[0], silence),
            _MODES[self._now[1]],
            sound.get(self._before[0], silence),
            _MODES[self._before[1]],
            self._fade,
            self._fade_frames,
            out,
        )
        self.bad_samples += bad


def picked(sound: Block, channels: Channels) -> Block:
    """The channels of a whole sound of shape (frames, 2), as they enter the chain: (frames, 1 or 2)."""
    out = np.zeros((len(sound), 2 if channels == "stereo" else 1), np.float32)
    Pick("", channels).read({"": sound}, sound, out)
    return out
