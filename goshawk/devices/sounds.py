"""The demo's sounds: shipped as FLAC at their own rates, brought to 48 kHz on loading.

How they were made: tools/make_demo_sounds.py.
"""

from functools import cache
from importlib import resources

import numpy as np
import soundfile
import soxr

from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ


@cache
def load_sound(name: str, gain: float = 1.0) -> Block:
    """A shipped sound as float32 of shape (frames, channels) at 48 kHz, with a gain (linear). Not to be changed."""
    path = resources.files("goshawk.devices") / "sounds" / f"{name}.flac"
    with resources.as_file(path) as file:
        sound, rate_hz = soundfile.read(file, dtype="float32", always_2d=True)
    if rate_hz != SAMPLE_RATE_HZ:
        sound = soxr.resample(sound, rate_hz, SAMPLE_RATE_HZ)
    sound = np.ascontiguousarray(sound, np.float32)
    if gain != 1.0:
        sound *= np.float32(gain)
    return sound
