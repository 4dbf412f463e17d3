"""Signals and judges that several tests use."""

import numpy as np
import pytest
from numpy.typing import NDArray

from goshawk.core.stage import Block, Stage

RATE_HZ = 48_000


def tone(hz: float, dbfs: float, seconds: float, *, channels: int = 1, phase: float = 0.0) -> Block:
    """A sine whose peak is at ``dbfs``."""
    t = np.arange(round(seconds * RATE_HZ)) / RATE_HZ
    wave = 10 ** (dbfs / 20) * np.sin(2 * np.pi * hz * t + phase)
    return np.ascontiguousarray(np.repeat(wave[:, None], channels, 1), np.float32)


def run(stage: Stage, sound: Block, block_frames: int = 256) -> Block:
    """The sound after a stage, cut into blocks."""
    out = sound.copy()
    for start in range(0, len(out), block_frames):
        stage.process(out[start : start + block_frames])
    return out


def peak_db(sound: NDArray[np.floating]) -> float:
    return float(20 * np.log10(np.max(np.abs(sound)) + 1e-12))


def random_sound(seed: int, seconds: float = 0.5, channels: int = 1) -> Block:
    """Bursts of noise at changing levels: everything a stage reacts to."""
    random = np.random.default_rng(seed)
    frames = round(seconds * RATE_HZ)
    level = 10 ** (np.repeat(random.uniform(-70, 6, 20), frames // 20 + 1)[:frames] / 20)
    return (random.standard_normal((frames, channels)) * level[:, None] * 0.3).astype(np.float32)


@pytest.fixture(scope="session")
def attic_talk() -> Block:
    """Six seconds of the demo's storyteller in the attic, two channels."""
    from goshawk.devices.attic import Attic

    attic = Attic()
    attic.perform("talk")
    attic.set_preamp_gain_db(36.0)
    sound = np.zeros((6 * RATE_HZ, 2), np.float32)
    attic.read(sound)
    return sound
