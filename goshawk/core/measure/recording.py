"""Everything that can be said of a whole recording at once."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from goshawk.core.dsp import k_weighting
from goshawk.core.measure import loudness
from goshawk.core.measure.levels import (
    HOP_FRAMES,
    LEAST_HOPS,
    PAUSE,
    SPEECH,
    HopMeter,
)
from goshawk.core.measure.speech_activity import SpeechActivity
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.core.stage import Block, Floats
from goshawk.units import SILENCE_LINEAR, linear_to_db

_CHUNK = HOP_FRAMES * 10


def _mean_level_dbfs(power: Floats) -> float | None:
    if len(power) < LEAST_HOPS:
        return None
    return float(10.0 * np.log10(max(float(power.mean()), SILENCE_LINEAR**2)))


def _audible_max(lufs: Floats) -> float | None:
    """The greatest loudness, or None under the absolute gate: too short or too quiet to say."""
    greatest = float(lufs.max()) if len(lufs) else loudness.ABSOLUTE_GATE_LUFS
    return greatest if greatest > loudness.ABSOLUTE_GATE_LUFS else None


def measure_recording(sound: Block) -> dict[str, Any]:
    """Figures of a recording of shape (frames, channels) at 48 kHz; None where it cannot be told.

    Speech activity hears the recording twice, so that the noise floor is known from its start.
    Noise floor: median of the 10 ms RMS in pauses. Speech level: RMS of the hops in speech.
    """
    channels = sound.shape[1]
    activity, meter = SpeechActivity(), HopMeter()
    peak_meter = TruePeakMeter(channels, _CHUNK)
    loudness_meter = k_weighting.LoudnessMeter(channels, _CHUNK, k_weighting.HOP_FRAMES)
    chunks = [np.ascontiguousarray(sound[i : i + _CHUNK]) for i in range(0, len(sound), _CHUNK)]
    whole = len(sound) // HOP_FRAMES
    activity.listen(np.ascontiguousarray(sound[: whole * HOP_FRAMES]))
    weighed: list[Floats] = []
    levels: list[Floats] = []
    decisions: list[NDArray[np.int8]] = []
    taken = 0
    for chunk in chunks:
        activity.listen(chunk)
        meter.measure(chunk)
        peak_meter.measure(chunk)
        weighed.append(loudness_meter.measure(chunk))
        fresh = meter.finished - taken
        levels.append(meter.hops(taken, fresh))
        decisions.append(activity.decisions(whole + taken, fresh))
        taken += fresh
    peak_meter.measure(np.zeros((64, channels), np.float32))
    hops = np.concatenate(weighed) if weighed else np.zeros(0)
    segments = loudness.in_segments(hops)
    power = np.concatenate(levels)[:, 0] if levels else np.zeros(0)
    said = np.concatenate(decisions) if decisions else np.zeros(0)
    per = k_weighting.HOPS_PER_SEGMENT
    momentary = loudness.sliding_loudness(hops, k_weighting.SEGMENTS_PER_BLOCK * per)
    short_term = loudness.sliding_loudness(hops, loudness.SEGMENTS_PER_SHORT_TERM * per)
    pauses = power[said == PAUSE]
    floor = (
        float(10.0 * np.log10(max(float(np.median(pauses)), SILENCE_LINEAR**2)))
        if len(pauses) >= LEAST_HOPS
        else None
    )
    speech = _mean_level_dbfs(power[said == SPEECH])
    is_silent = not np.any(sound)
    return {
        "sample_peak_dbfs": None if is_silent else linear_to_db(float(np.abs(sound).max())),
        "true_peak_dbtp": None if is_silent else peak_meter.take_dbtp(),
        "integrated_lufs": loudness.integrated_lufs(segments),
        "momentary_max_lufs": _audible_max(momentary),
        "short_term_max_lufs": _audible_max(short_term),
        "loudness_range_lu": loudness.loudness_range_lu(segments),
        "noise_floor_dbfs": floor,
        "speech_level_dbfs": speech,
        "snr_db": None if floor is None or speech is None else speech - floor,
    }
