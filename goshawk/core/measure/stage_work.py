"""How hard stages work, from the hops of the stations on either side of them.

All take hops of 10 ms over the window, levels in dBFS, and the speech activity of the same hops.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goshawk.core.dsp.compressor import CompressorSettings, reduction_at_db
from goshawk.core.measure.levels import HOP_MS, LEAST_HOPS, SPEECH
from goshawk.core.measure.percentiles import percentiles
from goshawk.core.stage import Floats
from goshawk.units import db_to_power

ONSET_MS = 50
LOST_DB = 3.0
"""A first syllable is lost if its first 50 ms come out by more than 3 dB lower than they went in."""

PAUSE_BEFORE_MS = 100
CHATTER_MS = 80
OPEN_DB = 3.0
"""A gate that takes less than this is open."""

LIMITED_DB = 0.5
"""A limiter that takes less than this off a hop's peak has not touched it."""

LEAST_SHARED_HOPS = 200
"""A share is of two seconds of speech at least: one loud word is more than half of half a second."""

Activity = NDArray[np.integer]


@dataclass(frozen=True)
class SyllableLoss:
    """A first syllable that a gate cut: where it began, in hops before the end, and by how much."""

    hops_ago: int
    lost_db: float


def first_syllable_losses(before: Floats, after: Floats, activity: Activity) -> list[SyllableLoss]:
    """First syllables that a gate cut. ``before`` and ``after`` hold RMS and peak, shape (n, 2). A speech that
    has gone on for 50 ms since a pause of 100 ms is judged by the energy of those 50 ms."""
    span, quiet = ONSET_MS // HOP_MS, PAUSE_BEFORE_MS // HOP_MS
    losses = []
    count = len(activity)
    is_speech = activity == SPEECH
    for at in np.flatnonzero(is_speech[1:] & ~is_speech[:-1]) + 1:
        if at < quiet or at > count - span or is_speech[at - quiet : at].any():
            continue
        # Speech is known after three loud hops: it began with the first of them.
        start = int(at) - 2
        taken = _energy_db(before[start : start + span]) - _energy_db(after[start : start + span])
        if taken > LOST_DB:
            losses.append(SyllableLoss(count - start, float(taken)))
    return losses


def _energy_db(hops: Floats) -> float:
    return float(10.0 * np.log10((db_to_power(hops[:, 0])).sum()))


def chatter_per_minute(before: Floats, after: Floats) -> float:
    """Openings of a gate that lasted less than 80 ms, a minute. Shapes as above."""
    if not len(before):
        return 0.0
    is_open = np.concatenate([[False], before[:, 1] - after[:, 1] < OPEN_DB, [False]])
    edges = np.flatnonzero(np.diff(is_open.astype(np.int8)))
    starts, ends = edges[::2], edges[1::2]
    whole = (starts > 0) & (ends < len(before))  # What the window's ends cut is not known.
    short = (ends - starts)[whole] * HOP_MS < CHATTER_MS
    return float(short.sum() * 60_000.0 / (len(before) * HOP_MS))


def compressor_effort_db(
    settings: CompressorSettings, peaks: Floats, activity: Activity
) -> tuple[float, float] | None:
    """What the static curve takes off usual speech peaks (the 95th percentile, as everywhere) and off the loudest
    hop; None of too little speech."""
    speech = peaks[activity == SPEECH]
    if len(speech) < LEAST_HOPS:
        return None
    usual = reduction_at_db(settings, percentiles(speech, 95)[0])
    return usual, reduction_at_db(settings, float(speech.max()))


def limiter_work(before: Floats, after: Floats, activity: Activity) -> tuple[float, float] | None:
    """Share of the speech's hops that a limiter touched, in percent, and the most it took, in dB; None of less
    than two seconds of speech. Shapes as above."""
    is_speech = activity == SPEECH
    if is_speech.sum() < LEAST_SHARED_HOPS:
        return None
    taken = (before[:, 1] - after[:, 1])[is_speech]
    return float((taken > LIMITED_DB).mean() * 100.0), float(max(0.0, taken.max()))
