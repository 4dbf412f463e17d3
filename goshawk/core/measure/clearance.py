"""Clearance: by how many dB the voice's peaks stand above another input's, in the Viewers feed."""

import numpy as np
from numpy.typing import NDArray

from goshawk.core.measure.levels import LEAST_MOMENTS, SPEECH
from goshawk.core.stage import Floats

PLAYING_DBFS = -60.0
"""A background input plays in the moments whose peak is above this; its pauses do not count."""

PEAKS_PERCENTILE = 95.0


def voice_peaks_dbfs(peaks_dbfs: Floats, activity: NDArray[np.integer]) -> float | None:
    """95th percentile of the 10 ms peaks in speech; None from less than half a second of speech."""
    speech = peaks_dbfs[activity == SPEECH]
    return float(np.percentile(speech, PEAKS_PERCENTILE)) if len(speech) >= LEAST_MOMENTS else None


def background_peaks_dbfs(peaks_dbfs: Floats) -> float | None:
    """95th percentile of the 10 ms peaks while the input plays; None under half a second of it."""
    playing = peaks_dbfs[peaks_dbfs > PLAYING_DBFS]
    return (
        float(np.percentile(playing, PEAKS_PERCENTILE)) if len(playing) >= LEAST_MOMENTS else None
    )


def clearance_db(voice_dbfs: float | None, other_dbfs: float | None) -> float | None:
    """Voice peaks minus the other's, both over the same window; None if either cannot be told."""
    return None if voice_dbfs is None or other_dbfs is None else voice_dbfs - other_dbfs
