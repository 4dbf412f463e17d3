"""A tone and a few words in your ears, for nobody else: they are added to what You get, behind all that could carry them on."""

from functools import cache
from pathlib import Path

import numpy as np
import soundfile

from goshawk.core.compiled import kernel
from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ

SOUNDS_DIR = Path(__file__).parents[1] / "sounds" / "aloud"


@cache
def spoken_sounds() -> dict[str, Block]:
    """What can be said, by its name: mono at 48 kHz, shape (frames,), float32. Reads from the disk, once."""
    found = {}
    for path in sorted(SOUNDS_DIR.glob("*.flac")):
        sound, rate = soundfile.read(path, dtype="float32")
        assert rate == SAMPLE_RATE_HZ
        found[path.stem] = np.ascontiguousarray(sound, np.float32)
    return found


@kernel
def _add(sound: Block, at: int, gain: float, out: Block) -> int:
    frames = min(out.shape[0], sound.shape[0] - at)
    for n in range(frames):
        said = np.float32(sound[at + n] * gain)
        for c in range(out.shape[1]):
            out[n, c] = max(np.float32(-1.0), min(np.float32(1.0), out[n, c] + said))
    return int(at + frames)


class Aloud:
    """One thing is said at a time; what is asked for meanwhile is left out."""

    def __init__(self) -> None:
        self._sound: Block | None = None
        self._at = 0
        self._gain = 0.0

    @staticmethod
    def warm_up(out: Block) -> None:
        """Have the sounds and the kernel there before the first block."""
        spoken_sounds()
        _add(np.zeros(4, np.float32), 0, 0.0, out)

    @property
    def is_speaking(self) -> bool:
        """Whether something is being said."""
        return self._sound is not None

    def say(self, name: str, gain: float) -> None:
        """Begin; a name that is not there says nothing."""
        if self._sound is None:
            self._sound, self._at, self._gain = spoken_sounds().get(name), 0, gain

    def add_to(self, yours: Block) -> None:
        """Add the next piece to what You get in this block, shape (frames, 2), in place."""
        if self._sound is None:
            return
        self._at = _add(self._sound, self._at, self._gain, yours)
        if self._at >= len(self._sound):
            self._sound = None
