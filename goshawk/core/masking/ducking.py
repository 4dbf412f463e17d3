"""The dip under the voice: how deep, and from when to when, by what was heard."""

import numpy as np
from numpy.typing import NDArray

from goshawk.core.chain_slots import DuckerSlot, find_stage
from goshawk.core.dsp.ducker import CLOSES_BELOW_DB, DuckerSettings
from goshawk.core.measure.clearance import background_peaks_dbfs
from goshawk.core.measure.levels import PAUSE, SPEECH
from goshawk.core.mix import HeardInputs, contribution, peaks_of
from goshawk.core.rig import Rig, SettingValue
from goshawk.core.rig_changes import stage_changes
from goshawk.core.routing import InputSettings
from goshawk.core.stage import Floats

SHORTEST_HOLD_MS, LONGEST_HOLD_MS = 250.0, 600.0
"""Shorter and it flutters between syllables; longer and the game never comes back."""


LEAST_DEPTH_DB, MOST_DEPTH_DB = 4.0, 12.0


LEAKS_BELOW_DB = 20.0
"""A game on loudspeakers, or in open headphones, reaches the microphone up to this close to the voice."""


LEAK_MARGIN_DB = 3.0


def ducking(heard: HeardInputs, rig: Rig, input_id: str, depth_db: float) -> DuckerSettings:
    """A ducker for an input, from what was measured at its key: it opens halfway (in dB) between the pauses and the
    quiet end of speech, but never so low that what leaks into the microphone LEAKS_BELOW_DB under the voice could
    open it or keep it open; it holds through the pauses between words, so that it comes back between sentences.
    Words that never came out of the chain, since the voice was muted, count for nothing."""
    peaks = peaks_of(heard.key)
    activity = heard.activity[: len(peaks)]
    peaks = peaks[: len(activity)]
    pauses = peaks[activity == PAUSE]
    speech = peaks[(activity == SPEECH) & (peaks > QUIETEST_KEY_DBFS)]
    one = next(one for one in rig.inputs if one.id == input_id)
    slot = find_stage(one.chain, "ducker")
    was = slot.settings if isinstance(slot, DuckerSlot) else DuckerSettings()
    threshold = was.threshold_dbfs
    if len(speech):
        loud, quiet = np.percentile(speech, (95, 10))
        floor = np.percentile(pauses, 95) if len(pauses) else QUIETEST_KEY_DBFS
        halfway = (quiet + max(floor, QUIETEST_KEY_DBFS)) / 2.0
        over_leak = loud - LEAKS_BELOW_DB + CLOSES_BELOW_DB + LEAK_MARGIN_DB
        wanted = round(float(max(halfway, over_leak)), 1)
        threshold = DuckerSettings.held("threshold_dbfs", wanted)
    gaps = _gaps_ms(activity)
    hold = float(np.percentile(gaps, 75)) if len(gaps) else was.hold_ms
    return was.model_copy(
        update={
            "depth_db": depth_db,
            "threshold_dbfs": threshold,
            "hold_ms": round(max(SHORTEST_HOLD_MS, min(LONGEST_HOLD_MS, hold)), -1),
        }
    )


QUIETEST_KEY_DBFS = -70.0


LONGEST_GAP_MS = 800.0
"""A longer silence ends a sentence: the background may come back."""


def _gaps_ms(activity: NDArray[np.integer]) -> Floats:
    """How long the silences within sentences last."""
    is_speech = np.concatenate([[0], (activity == SPEECH).astype(int), [0]])
    ends, begins = np.flatnonzero(np.diff(is_speech) < 0), np.flatnonzero(np.diff(is_speech) > 0)
    gaps = (begins[1:] - ends[:-1]).astype(float) * 10.0
    within: Floats = gaps[gaps < LONGEST_GAP_MS]
    return within


def ducker_changes(
    rig: Rig, one: InputSettings, settings: DuckerSettings
) -> dict[str, SettingValue]:
    """What makes an input dip so."""
    return stage_changes(
        rig,
        one,
        "ducker",
        {name: getattr(settings, name) for name in ("depth_db", "threshold_dbfs", "hold_ms")},
    )


LOUD_PASSAGES = 90.0
"""Percentile of an input's seconds that are its loud passages."""


def suggested_ducker(rig: Rig, heard: HeardInputs, one: InputSettings) -> DuckerSettings:
    """A ducker deep enough that the loud passages stand at the target too: by as much as their peaks stand over
    those of the input on the whole."""
    peaks = peaks_of(contribution(rig, one, heard))
    seconds = [part for part in np.array_split(peaks, max(1, len(peaks) // 100)) if len(part)]
    loud = np.percentile([part.max() for part in seconds], LOUD_PASSAGES) if seconds else 0.0
    usual = background_peaks_dbfs(peaks)
    over = float(loud) - usual if usual is not None else 0.0
    depth = round(max(LEAST_DEPTH_DB, min(MOST_DEPTH_DB, over + LEAST_DEPTH_DB)) * 2.0) / 2.0
    return ducking(heard, rig, one.id, depth)
