"""Clearance: by how many dB the voice's peaks stand above another input's, in the Viewers feed."""

import numpy as np
from numpy.typing import NDArray

from goshawk.core.measure.levels import LEAST_HOPS, SPEECH
from goshawk.core.measure.percentiles import percentiles
from goshawk.core.stage import Floats

PLAYING_DBFS = -80.0
"""A background input plays in the hops whose peak is above this …"""

PLAYING_RANGE_DB = 30.0
"""… and at most this far under its own peaks: a hiss between two songs is a pause, however loud the player. The two
gates are those of programme loudness (BS.1770-5), on peaks."""

PEAKS_PERCENTILE = 95.0
LEAST_HEARD_DBFS = -90.0
"""Less reaches nobody: no figure is given of a voice that viewers do not hear."""


def voice_peaks_dbfs(peaks_dbfs: Floats, activity: NDArray[np.integer]) -> float | None:
    """95th percentile of the 10 ms peaks in speech; None from less than half a second of speech, or of silence."""
    speech = peaks_dbfs[activity == SPEECH]
    if len(speech) < LEAST_HOPS:
        return None
    found = percentiles(speech, PEAKS_PERCENTILE)[0]
    return found if found > LEAST_HEARD_DBFS else None


def playing(peaks_dbfs: Floats) -> NDArray[np.bool_]:
    """In which hops a background input plays, from its 10 ms peaks."""
    plays: NDArray[np.bool_] = peaks_dbfs > PLAYING_DBFS
    if plays.any():
        own = percentiles(peaks_dbfs[plays], PEAKS_PERCENTILE)[0]
        plays &= peaks_dbfs > own - PLAYING_RANGE_DB
    return plays


LONGEST_REST_HOPS = 300
"""A rest between two strikes or two bursts belongs to what sounds; a longer one is a pause."""


def sounding_s(peaks_dbfs: Floats) -> float:
    """For how long a background input has been heard, in seconds, with its rests."""
    places = np.flatnonzero(playing(peaks_dbfs))
    steps = np.diff(places, append=places[-1:] + 1)
    return float(np.where(steps <= LONGEST_REST_HOPS, steps, 1).sum()) / 100.0


def background_peaks_dbfs(peaks_dbfs: Floats) -> float | None:
    """95th percentile of the 10 ms peaks while the input plays; None under half a second of it."""
    heard = peaks_dbfs[playing(peaks_dbfs)]
    return percentiles(heard, PEAKS_PERCENTILE)[0] if len(heard) >= LEAST_HOPS else None


def clearance_db(voice_dbfs: float | None, other_dbfs: float | None) -> float | None:
    """Voice peaks minus the other's, both over the same window; None if either cannot be told."""
    return None if voice_dbfs is None or other_dbfs is None else voice_dbfs - other_dbfs
