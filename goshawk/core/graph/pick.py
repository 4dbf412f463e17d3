"""Takes an input's channels from its device's block, and crossfades when either changes."""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.delay import CROSSFADE_MS
from goshawk.core.routing import Channels
from goshawk.core.stage import LOUDEST_LINEAR, TINY, Block, is_clean
from goshawk.core.steps import Integers, Step
from goshawk.units import ms_to_frames

MODE, OLD_MODE, FADE, FADE_FRAMES, BAD = range(5)
_MODES: dict[Channels, int] = {"left": 0, "right": 1, "sum": 2, "stereo": 3}


@kernel
def _one(source: Block, n: int, c: int, mode: int) -> float:
    """Channel ``c`` of an input at frame ``n``."""
    if mode == 2:
        return (float(source[n, 0]) + float(source[n, 1])) * 0.5
    return float(source[n, c if mode == 3 else mode])


@kernel
def _pick(out: Block, source: Block, old: Block, counts: Integers) -> None:
    """Fill ``out``."""
    mode, old_mode = counts[MODE], counts[OLD_MODE]
    fade, fade_frames, bad = counts[FADE], counts[FADE_FRAMES], 0
    if fade == 0:
        for n in range(out.shape[0]):
            for c in range(out.shape[1]):
                out[n, c] = np.float32(_one(source, n, c, mode))
        if is_clean(out):
            return
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
    counts[FADE] = fade
    counts[BAD] += bad


class Pick:
    """One input's way from device to graph. Sources are blocks of shape (frames, 2) by device."""

    def __init__(self, device: str, channels: Channels) -> None:
        self._now = self._before = (device, channels)
        self._counts = np.zeros(5, np.int64)
        self._counts[[MODE, OLD_MODE]] = _MODES[channels]
        self._counts[FADE_FRAMES] = ms_to_frames(CROSSFADE_MS)

    @property
    def bad_samples(self) -> int:
        """How many samples were no numbers."""
        return int(self._counts[BAD])

    @property
    def devices(self) -> tuple[str, str]:
        """The device in use, and the one that is being left."""
        if self._counts[FADE] == 0:
            self._before = self._now
        return self._now[0], self._before[0]

    def choose(self, device: str, channels: Channels) -> None:
        """Take another device or channels from now on."""
        if (device, channels) != self._now:
            self._before, self._now = self._now, (device, channels)
            self._counts[MODE], self._counts[OLD_MODE] = _MODES[channels], _MODES[self._before[1]]
            self._counts[FADE] = self._counts[FADE_FRAMES]

    def step(self, source: Block, old: Block) -> Step:
        """Fills a block of shape (frames, 1 or 2) from the device in use and the one that is being left, each of shape
        (frames, 2)."""
        return Step(_pick, source, old, self._counts)


def picked(sound: Block, channels: Channels) -> Block:
    """The channels of a whole sound of shape (frames, 2), as they enter the chain: (frames, 1 or 2)."""
    out = np.zeros((len(sound), 2 if channels == "stereo" else 1), np.float32)
    sound = np.ascontiguousarray(sound)
    Pick("", channels).step(sound, sound).run(out)
    return out
