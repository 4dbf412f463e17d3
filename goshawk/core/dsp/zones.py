"""The zones of a voice's spectrum, by which its faults and virtues are named."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Zone:
    """A part of a voice's spectrum with a name of its own."""

    name: str
    from_hz: float
    to_hz: float


ZONES = (
    Zone("rumble", 20.0, 80.0),
    Zone("body", 80.0, 250.0),
    Zone("mud", 250.0, 500.0),
    Zone("boxiness", 500.0, 1000.0),
    Zone("clarity", 1000.0, 3000.0),
    Zone("harshness", 3000.0, 5000.0),
    Zone("sibilance", 5000.0, 10_000.0),
    Zone("air", 10_000.0, 20_000.0),
)
