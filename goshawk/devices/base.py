"""What every source of sound offers, and loops that several of them play."""

from typing import Protocol

import numpy as np
from typing_extensions import TypedDict

from goshawk.core.compiled import kernel
from goshawk.core.stage import Block, Floats, Glide, glide
from goshawk.units import db_to_linear


class DeviceReading(TypedDict, total=False):
    """How an input device does; each gives what applies to it. Rates as it says them; ``counted_rate_hz`` if it
    delivers another."""

    state: str
    channels: int
    rate_hz: int
    clock_ppm: int
    fill_ms: float
    age_ms: float
    dropouts: int
    overruns: int
    counted_rate_hz: float | None
    peaks_dbfs: list[float]
    processing: list[str]
    """What a call does to the voice, in words."""
    position_s: float
    duration_s: float


class EncoderReading(TypedDict):
    """What the broadcast encoder gets: its highest peak since the last reading, gaps so far, and if it is silence."""

    peak_dbfs: float
    gaps: int
    is_silent: bool


class Source(Protocol):
    """Makes sound at 48 kHz, as fast as it is asked to."""

    channels: int

    def read(self, block: Block) -> None:
        """Fill a block of shape (frames, channels). Never waits; what is missing is silence."""

    def status(self) -> DeviceReading:
        """What the user should know of it: state and trouble as counts and flags."""


@kernel
def play_loop(sound: Block, position: int, out: Block) -> int:
    """Fill ``out`` from a loop with as many channels or more; returns the new position."""
    for n in range(out.shape[0]):
        for c in range(out.shape[1]):
            out[n, c] = sound[position, c]
        position += 1
        if position == sound.shape[0]:
            position = 0
    return position


@kernel
def scale(block: Block, now: Floats, between: Floats, target: Floats, a: float) -> None:
    """Multiply by a gliding gain, in place."""
    for n in range(block.shape[0]):
        glide(now, between, target, a)
        for c in range(block.shape[1]):
            block[n, c] *= now[0]


@kernel
def raise_peaks(block: Block, peaks: Floats) -> None:
    """Keep each channel's highest magnitude so far, in place in ``peaks`` of shape (channels,)."""
    for n in range(block.shape[0]):
        for c in range(block.shape[1]):
            peaks[c] = max(peaks[c], abs(block[n, c]))


@kernel
def to_mono(block: Block, out: Block) -> None:
    """The mean of two channels, (frames, 2) to (frames, 1)."""
    for n in range(block.shape[0]):
        out[n, 0] = (block[n, 0] + block[n, 1]) * np.float32(0.5)


class LoopSource:
    """A program that plays a loop, with a volume of its own."""

    def __init__(self, sound: Block) -> None:
        self.channels = sound.shape[1]
        self._sound = sound
        self._position = 0
        self._volume = Glide(1)
        self._volume.set(1.0)

    def set_volume_db(self, volume_db: float) -> None:
        """Turn the program's own volume."""
        self._volume.set(db_to_linear(volume_db))

    def mute(self, is_muted: bool) -> None:
        """Silence the program."""
        self._volume.set(0.0 if is_muted else 1.0)

    def read(self, block: Block) -> None:
        self._position = play_loop(self._sound, self._position, block)
        g = self._volume
        scale(block, g.now, g.between, g.target, g.coefficient)

    def status(self) -> DeviceReading:
        return {"state": "playing"}


class SilentSource:
    """Stands in where a source is missing."""

    channels = 2

    def __init__(self, state: str) -> None:
        self._state = state

    def read(self, block: Block) -> None:
        block.fill(0.0)

    def status(self) -> DeviceReading:
        return {"state": self._state}
