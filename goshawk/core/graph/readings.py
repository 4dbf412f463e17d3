"""What the graph says of itself some thirty times a second, typed for the trip between processes."""

import msgspec
import numpy as np
from numpy.typing import NDArray

from goshawk.core.routing import FeedName
from goshawk.core.stage import Floats, StageReading


class InputReading(msgspec.Struct):
    """One input since the last reading: its highest peak ahead of its fader (linear), the highest it brought to each
    feed, the gains in force towards each now, and samples so far that were no numbers."""

    peak: float
    reach: list[float]
    gains: list[float]
    bad_samples: int


class MixReadings(msgspec.Struct, kw_only=True):
    """What happened since the last reading.

    ``hops`` are those that all stations have finished, shape (stations, hops, 2): power and peak, linear.
    ``activity`` is speech activity of the same hops at the main voice, ``activities`` at every other voice."""

    end_frame: int
    """All sound before it has been mixed."""
    first_hop: int
    stations: list[str]
    hops: Floats
    activity: NDArray[np.int8]
    activities: dict[str, NDArray[np.int8]]
    stages: dict[str, StageReading]
    ceilings: dict[FeedName, StageReading]
    inputs: dict[str, InputReading]
    is_replaying: bool
    segments: Floats
    """Loudness segments of the Viewers feed."""
    true_peak_dbtp: float
    stage_latency_frames: dict[str, int]
    stage_busy_s: dict[str, float]
