"""What can be told of one take of a sound check: levels, pitch, spectrum, and what stands out in it."""

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from goshawk.core.dsp.suppressor import Suppressor, SuppressorSettings
from goshawk.core.measure.levels import HOP_FRAMES, PAUSE, SPEECH
from goshawk.core.measure.long_term_spectrum import Resonance, mean_power, resonances, thirds_db
from goshawk.core.measure.loudness import loudness_lufs
from goshawk.core.measure.pitch import pitch_range
from goshawk.core.measure.room import SETTLE_S
from goshawk.core.measure.speech_activity import SpeechActivity
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.core.stage import Block, Floats
from goshawk.core.steps import run_all
from goshawk.units import (
    CLIPPED_DBFS,
    SAMPLE_RATE_HZ,
    SILENCE_DBFS,
    amplitudes_to_db,
    db_to_linear,
    power_to_db,
)

TakeKind = Literal["room", "low", "usual", "big", "keys"]
VOICES: tuple[TakeKind, ...] = ("low", "usual", "big")
LEAST_TAKE_S = 0.5
"""Less tells nothing, not even of a room."""


SETTLE_HOPS = round(SETTLE_S * SAMPLE_RATE_HZ) // HOP_FRAMES

HEARD_AT_DBFS, MOST_LOUDER_DB = -22.0, 50.0
"""At this level the loudest of a take comes to what knows voices, as of a preamp that is set well."""

LOWEST_LEVEL_DBFS, HIGHEST_LEVEL_DBFS = -90, 0
OUTLINE_POINTS = 160
Activity = NDArray[np.int8]


class Tone(BaseModel):
    """A steady tone in a room: how far it stands above what is around it."""

    frequency_hz: float
    level_dbfs: float
    above_db: float


class TakeFigures(BaseModel):
    """Figures of one take; None where it cannot be told. ``thirds_db``: of the speech, or of the room;
    ``levels``: shares of the 10 ms RMS levels in steps of 1 dB from LOWEST_LEVEL_DBFS on, of the speech or of
    all; ``outline``: peaks along the take, for a picture."""

    kind: TakeKind
    duration_s: float
    speech_s: float
    noise_floor_dbfs: float | None
    speech_level_dbfs: float | None
    usual_peaks_dbfs: float | None
    quiet_peaks_dbfs: float | None
    highest_peak_dbfs: float | None
    true_peak_dbtp: float | None
    integrated_lufs: float | None
    clipped_moments: int
    pitch_low_hz: float | None = None
    pitch_median_hz: float | None = None
    pitch_high_hz: float | None = None
    thumps: int = 0
    strokes: int = 0
    tones: list[Tone] = []
    thirds_db: list[float] = []
    resonances: list[Resonance] = []
    levels: list[float] = []
    outline: list[float] = []


DEAD_SIDE_DB = 30.0


def mono_of(sound: Block) -> Block:
    """One channel of a take, shape (frames, 1): of two, both together, or the one that lives if the other is
    DEAD_SIDE_DB softer."""
    if sound.shape[1] == 1:
        return sound
    power = (sound.astype(np.float64) ** 2).mean(axis=0)
    apart_db = power_to_db(power, 1e-20)
    if abs(apart_db[0] - apart_db[1]) > DEAD_SIDE_DB:
        side = int(apart_db.argmax())
        return np.ascontiguousarray(sound[:, side : side + 1])
    return np.ascontiguousarray(sound.mean(axis=1, keepdims=True), np.float32)


def hops_of(sound: Block) -> tuple[Floats, Floats]:
    """RMS and peak of each hop in dBFS, each of shape (hops,)."""
    count = len(sound) // HOP_FRAMES
    pieces = sound[: count * HOP_FRAMES].reshape(count, -1).astype(np.float64)
    rms = np.sqrt((pieces**2).mean(axis=1)) if count else np.zeros(0)
    peak = np.abs(pieces).max(axis=1) if count else np.zeros(0)
    return (
        amplitudes_to_db(rms),
        amplitudes_to_db(peak),
    )


def activity_of(sound: Block) -> Activity:
    """Activity of each hop of a take, of what is a voice (see ``Suppressor.speaks``); heard twice so that the floor is known from its
    start."""
    listener, count = SpeechActivity(), len(sound) // HOP_FRAMES
    knowing = Suppressor(SuppressorSettings(), sound.shape[1], HOP_FRAMES)
    hearing = (knowing.only_hear(), *listener.hearing_of_voice(knowing.speaks))
    said = np.zeros(count, np.int8)
    # A preamp that is turned far down must not make a voice none.
    highest_dbfs = float(np.percentile(hops_of(sound)[0], 95)) if count else 0.0
    louder = np.float32(db_to_linear(min(MOST_LOUDER_DB, HEARD_AT_DBFS - highest_dbfs)))
    for number in range(2 * count):
        start = number % count * HOP_FRAMES
        piece = np.ascontiguousarray(sound[start : start + HOP_FRAMES])
        listener.listen(piece)
        said[number % count] = listener.decisions(number, 1)[0]
        run_all(hearing, piece * louder)
    return said


def power_level_db(levels_dbfs: Floats) -> float | None:
    """Level of the mean power; None of nothing."""
    if not len(levels_dbfs):
        return None
    return float(10.0 * np.log10((10.0 ** (levels_dbfs / 10.0)).mean()))


def _percentile(values: Floats, share: float) -> float | None:
    return float(np.percentile(values, share)) if len(values) else None


def measure_take(kind: TakeKind, sound: Block, activity: Activity) -> TakeFigures:
    """Figures of a take of shape (frames, 1) at 48 kHz with its ``activity_of``."""
    rms, peak = hops_of(sound)
    mono = sound[:, 0].astype(np.float64)
    is_voice = kind in VOICES
    is_speech, is_pause = activity == SPEECH, activity == PAUSE
    if not is_voice:
        is_pause[:SETTLE_HOPS] = False
    # What a dropout left is no room.
    is_room = (np.arange(len(rms)) >= SETTLE_HOPS) & (peak > SILENCE_DBFS)
    wanted = is_speech if is_voice else is_room
    shown = rms[wanted]
    power = mean_power(mono, wanted)
    meter = TruePeakMeter(1, max(1, len(sound)))
    meter.measure(np.ascontiguousarray(sound))
    pitch = pitch_range(mono, activity) if is_voice else None
    is_silent = not np.any(sound)
    figures: dict[str, Any] = {
        "kind": kind,
        "duration_s": round(len(sound) / SAMPLE_RATE_HZ, 2),
        "speech_s": round(float(is_speech.sum()) / 100.0, 2),
        "noise_floor_dbfs": _percentile(rms[is_pause], 50),
        "speech_level_dbfs": power_level_db(rms[is_speech]),
        "usual_peaks_dbfs": _percentile(peak[is_speech], 95),
        "quiet_peaks_dbfs": _percentile(peak[is_speech], 20),
        "highest_peak_dbfs": None if is_silent or not len(peak) else float(peak.max()),
        "true_peak_dbtp": None if is_silent else meter.take_dbtp(),
        "integrated_lufs": loudness_lufs(sound),
        "clipped_moments": int((peak > CLIPPED_DBFS).sum()),
        "pitch_low_hz": pitch and pitch.low_hz,
        "pitch_median_hz": pitch and pitch.median_hz,
        "pitch_high_hz": pitch and pitch.high_hz,
        "thumps": _thumps(mono, rms, is_speech) if is_voice else 0,
        "strokes": _strokes(peak, rms) if kind == "keys" else 0,
        "tones": _tones(mono) if kind == "room" else [],
        "thirds_db": [] if power is None else thirds_db(power).round(1).tolist(),
        "resonances": resonances(power, pitch.median_hz) if pitch and power is not None else [],
        "levels": level_shares(shown),
        "outline": _outline(mono),
    }
    return TakeFigures(
        **{key: round(v, 2) if isinstance(v, float) else v for key, v in figures.items()}
    )


def level_shares(levels: Floats) -> list[float]:
    """Shares of levels in steps of 1 dB, smoothed."""
    edges = np.arange(LOWEST_LEVEL_DBFS, HIGHEST_LEVEL_DBFS + 1)
    counts, _ = np.histogram(np.clip(levels, edges[0], edges[-1]), edges)
    # Smoothed a little: a picture of a second's speech is no comb.
    smooth = np.convolve(counts / max(1, len(levels)), [0.1, 0.2, 0.4, 0.2, 0.1], "same")
    shares: list[float] = smooth.round(4).tolist()
    return shares


def _outline(mono: Floats) -> list[float]:
    points = np.array_split(np.abs(mono), OUTLINE_POINTS)
    outline: list[float] = [round(float(one.max(initial=0.0)), 4) for one in points]
    return outline


THUMP_OVER_SPEECH_DB = 3.0
THUMP_HZ = 70.0


def _thumps(mono: Floats, rms: Floats, is_speech: NDArray[np.bool_]) -> int:
    """Bursts of air: hops in which what lies under THUMP_HZ is louder than the usual speech is in all."""
    level = power_level_db(rms[is_speech])
    if level is None:
        return 0
    size = -len(mono) // SAMPLE_RATE_HZ * -SAMPLE_RATE_HZ  # whole seconds are quick to transform
    hz = np.fft.rfftfreq(size, 1.0 / SAMPLE_RATE_HZ)
    low = np.fft.irfft(np.fft.rfft(mono, size) / (1.0 + (hz / THUMP_HZ) ** 6), size)[: len(mono)]
    loud = hops_of(low[:, None].astype(np.float32))[0] > level + THUMP_OVER_SPEECH_DB
    return int((np.diff(loud.astype(np.int8)) == 1).sum())


STROKE_OVER_ROOM_DB = 20.0
"""Peaks of steady noise reach 12 dB over its level, drops of rain 18."""


def _strokes(peak: Floats, rms: Floats) -> int:
    """Keys in a take without words: peaks well above the room, at least 50 ms apart."""
    loud = peak > np.median(rms) + STROKE_OVER_ROOM_DB
    near = np.convolve(loud, np.ones(5), "same") > 0
    return int((np.diff(near.astype(np.int8)) == 1).sum())


TONE_ABOVE_DB = 12.0
_TONE_FRAMES = 2**16


def _tones(mono: Floats) -> list[Tone]:
    """Steady tones of a room, the clearest five, from spectra of 1.4 s (0.7 Hz a bin)."""
    mono = mono[SETTLE_HOPS * HOP_FRAMES :]
    if len(mono) < _TONE_FRAMES:
        return []
    window = np.hanning(_TONE_FRAMES)
    starts = range(0, len(mono) - _TONE_FRAMES + 1, _TONE_FRAMES // 2)
    power = sum(np.abs(np.fft.rfft(mono[s : s + _TONE_FRAMES] * window)) ** 2 for s in starts)
    power = power * (2.0 / (_TONE_FRAMES * (window**2).sum() * len(starts)))
    width_hz = SAMPLE_RATE_HZ / _TONE_FRAMES
    found: list[Tone] = []
    for k in range(int(40 / width_hz), int(4000 / width_hz)):
        if power[k] < power[k - 2 : k + 3].max():
            continue
        reach = max(20, int(0.1 * k))
        around = float(np.median(power[max(1, k - reach) : k + reach]))
        above = 10.0 * np.log10(power[k] / max(around, 1e-20))
        if above > TONE_ABOVE_DB:
            level = 10.0 * np.log10(max(power[k - 2 : k + 3].sum(), 1e-14))
            found.append(
                Tone(
                    frequency_hz=round(k * width_hz, 1),
                    level_dbfs=round(float(level), 1),
                    above_db=round(float(above), 1),
                )
            )
    return sorted(found, key=lambda tone: -tone.level_dbfs)[:5]
