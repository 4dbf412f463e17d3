"""What every source of sound offers, and loops that several of them play."""

from typing import Protocol

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.device_readings import DeviceReading
from goshawk.core.stage import Block, Floats, Glide, glide, is_gliding
from goshawk.core.steps import Integers, Step
from goshawk.units import db_to_linear


class Source(Protocol):
    """Makes sound at 48 kHz, as fast as it is asked to."""

    channels: int

    def read(self, block: Block) -> None:
        """Fill a block of shape (frames, channels). Never waits; what is missing is silence."""

    def steps(self) -> tuple[Step, ...] | None:
        """What does the same as ``read``, until the source is told something; None if only ``read`` does."""

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
def _play(
    out: Block,
    sound: Block,
    position: Integers,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
) -> None:
    """A loop through a gliding gain."""
    position[0] = play_loop(sound, position[0], out)
    is_moving = is_gliding(now, between, target)
    if not is_moving and now[0] == 1.0:
        return
    for n in range(out.shape[0]):
        if is_moving:
            glide(now, between, target, a)
        for c in range(out.shape[1]):
            out[n, c] *= now[0]


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
        self._position = np.zeros(1, np.int64)
        self._volume = g = Glide(1)
        g.set(1.0)
        self._step = Step(
            _play,
            np.ascontiguousarray(sound),
            self._position,
            g.now,
            g.between,
            g.target,
            g.coefficient,
        )

    def set_volume_db(self, volume_db: float) -> None:
        """Turn the program's own volume."""
        self._volume.set(db_to_linear(volume_db))

    def mute(self, is_muted: bool) -> None:
        """Silence the program."""
        self._volume.set(0.0 if is_muted else 1.0)

    def read(self, block: Block) -> None:
        self._step.run(block)

    def steps(self) -> tuple[Step, ...] | None:
        return (self._step,)

    def status(self) -> DeviceReading:
        return {"state": "playing"}


class SilentSource:
    """Stands in where a source is missing."""

    channels = 2

    def __init__(self, state: str) -> None:
        self._state = state

    def read(self, block: Block) -> None:
        block.fill(0.0)

    def steps(self) -> tuple[Step, ...] | None:
        return None

    def status(self) -> DeviceReading:
        return {"state": self._state}
