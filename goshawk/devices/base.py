"""The protocol of every input device, and loops of sound that several of them play."""

from typing import Any, Protocol

import numpy as np

from goshawk.core.stage import Block, kernel


class InputDevice(Protocol):
    """A source of sound at 48 kHz."""

    channels: int

    def read(self, block: Block) -> None:
        """Fill a block of shape (frames, channels). Never waits; what is missing is silence."""

    def status(self) -> dict[str, Any]:
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


class LoopDevice:
    """A program that plays a loop: the game, the music."""

    def __init__(self, sound: Block) -> None:
        self.channels = sound.shape[1]
        self._sound = sound
        self._position = 0

    def read(self, block: Block) -> None:
        self._position = play_loop(self._sound, self._position, block)

    def status(self) -> dict[str, Any]:
        return {"state": "playing"}


class SilentDevice:
    """Stands in where a device is missing."""

    channels = 2

    def __init__(self, state: str) -> None:
        self._state = state

    def read(self, block: Block) -> None:
        block.fill(np.float32(0.0))

    def status(self) -> dict[str, Any]:
        return {"state": self._state}
