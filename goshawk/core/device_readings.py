"""What devices, outputs and the encoder say of themselves, with every reading."""

from typing_extensions import TypedDict


class DeviceReading(TypedDict, total=False):
    """How an input device does; each gives what applies to it. Rates as it says them; ``counted_rate_hz`` if it
    delivers another."""

    state: str
    said: str
    """Why it does not play, in a sentence; "" if it does."""
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


class OutputReading(TypedDict, total=False):
    """How an output does. ``state`` is "playing" or "waiting", ``said`` why; ``delay_ms`` from the engine's block to the air,
    as far as it is known; counts since it was wanted."""

    state: str
    said: str
    peak_dbfs: float
    delay_ms: float
    device_ms: float
    clock_ppm: int
    rate_hz: int
    dropouts: int
    overruns: int
    grown: int
