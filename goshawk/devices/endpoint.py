"""A device of the computer as the engine knows it: a ring of frames, and how its other side does. Which library stands
behind it is known by who opens it (``opener``)."""

from dataclasses import dataclass
from typing import Literal

from goshawk.core.dsp.frame_ring import DROPOUTS, OVERRUNS, TARGET, Ring
from goshawk.units import SAMPLE_RATE_HZ

Direction = Literal["in", "out"]
State = Literal["waiting", "playing"]

PAIR = "@"
"""Stands in a device's name ahead of the first channel of a pair, from 1 on; without it, the first two are meant."""

SERVER, CARD = "server", "card"
"""How a device's name begins: one of the system's sound server, one of PortAudio."""


MOST_SERVER_MS = 150.0
GROWTH = 1.5
"""Where there was too little, by so much more is to wait."""

LEAST_CHUNK_MS = 2.0
"""Smaller pieces of what comes in cost more than they are worth."""

SLACK_MS = 1.5
"""For what comes late, beside what pieces need."""


def is_real(device: str) -> bool:
    """Whether it is a device of the computer, and no stand-in."""
    return device.partition(":")[0] in (SERVER, CARD)


def split_pair(device: str) -> tuple[str, int]:
    """A device's name without its pair, and the first channel of it from 0 on."""
    name, at, first = device.rpartition(PAIR)
    return (name, int(first) - 1) if at and first.isdigit() and first != "0" else (device, 0)


@dataclass
class Endpoint:
    """One stream, wanted by the engine; whoever opens it writes how it does."""

    direction: Direction
    device: str
    block_frames: int
    """The engine's."""
    buffer_ms: float
    """How much is to lie between the engine and the device."""
    ring: Ring
    state: State = "waiting"
    said: str = ""
    """Why it does not play, for people."""
    rate_hz: int = SAMPLE_RATE_HZ
    """At which the ring's frames run."""
    chunk_frames: int = 0
    """So many the device gives or takes at once; 0: not known."""
    device_ms: float = 0.0
    """What it says lies between the ring and the air."""
    opened: int = 0
    """How often it was opened."""
    grown: int = 0
    """How often what waits in the ring was made more, since there was too little."""
    underflows: int = 0
    """How often the system had too little to play, though the ring had enough."""
    growth: float = 1.0
    """By how much more lies with the system since then."""
    noticed_dropouts: int = 0
    known_dropouts: int = 0
    noticed_openings: int = 0
    calm_since_s: float = 0.0
    """When there was too little last, or its buffer was made smaller again."""
    settles_until_s: float = 0.0
    """What is too late before that, just after it was opened, says nothing."""

    @classmethod
    def of(
        cls, direction: Direction, device: str, block_frames: int, buffer_ms: float
    ) -> "Endpoint":
        """One for a device by its name, with its pair."""
        return cls(direction, device, block_frames, buffer_ms, Ring(split_pair(device)[1]))

    @property
    def name(self) -> str:
        """The device, as its library calls it."""
        return split_pair(self.device)[0].partition(":")[2]

    @property
    def chunk_ms(self) -> float:
        """So much the device is asked to give or take at once. What it gives waits for the last of it, so that is less."""
        block_ms = self.block_frames / SAMPLE_RATE_HZ * 1000.0
        if self.direction == "in":
            return min(block_ms, max(LEAST_CHUNK_MS, self.buffer_ms / 6.0))
        return min(block_ms, self.buffer_ms / 4.0)

    @property
    def server_ms(self) -> float:
        """So much of an output's buffer lies with the system."""
        return min(MOST_SERVER_MS, self.buffer_ms / 2.0 * self.growth)

    @property
    def target_ms(self) -> float:
        """How old sound is to be where it leaves the ring."""
        if self.direction == "out":
            # A block may come that much late, whatever the device takes at once: it is told from when it took last.
            return max(0.25 * self.buffer_ms, SLACK_MS)
        block_ms = self.block_frames / SAMPLE_RATE_HZ * 1000.0
        chunk_ms = max(self.chunk_ms, self.chunk_frames / self.rate_hz * 1000.0)
        return max(0.6 * self.buffer_ms, chunk_ms + block_ms + SLACK_MS)

    @property
    def dropouts(self) -> int:
        """How often there was too little."""
        return int(self.ring.numbers[DROPOUTS]) + self.underflows

    @property
    def has_grown(self) -> bool:
        """Whether more waits than was asked for, in the ring or with the system."""
        target = round(self.target_ms / 1000.0 * self.rate_hz)
        return self.growth > 1.0 or int(self.ring.numbers[TARGET]) > target

    @property
    def overruns(self) -> int:
        """How often there was far too much."""
        return int(self.ring.numbers[OVERRUNS])
