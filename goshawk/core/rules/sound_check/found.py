"""What the takes tell of the voice, the room and the microphone: sentences with a number."""

import numpy as np
from pydantic import BaseModel

from goshawk.core.dsp.zones import ZONES
from goshawk.core.measure.long_term_spectrum import (
    THIRD_CENTRES_HZ,
    above_reference_db,
    common_resonance,
    zone_db,
)
from goshawk.core.measure.take import VOICES, TakeFigures, TakeKind, Tone
from goshawk.core.rules.gain import LANDING_HIGH_DBFS, LANDING_LOW_DBFS
from goshawk.core.rules.sound_check.advice import Confidence
from goshawk.core.rules.sound_check.verdicts import CLIPPED_MOMENTS
from goshawk.core.text.figures import minus
from goshawk.units import db_to_power

ZONE_APART_DB = 3.0
"""Long-term spectra of single talkers scatter by about 3 dB a band around the mean of all (Byrne et al.,
section III, standard deviations of 3 to 5 dB): less is no fault."""

NEAR_BODY_DB = 6.0
"""A pressure-gradient microphone at a hand's width lifts the lows by so much (proximity effect)."""

DULL_DB = -8.0
BANDWIDTH_DROP_DB = -25.0
HUM_TOLERANCE_HZ = 1.5


VOICE_WEIGHTS: dict[TakeKind, float] = {"low": 1.0, "usual": 2.0, "big": 1.0}
"""How much each delivery counts in the spectrum of the voice: the usual one is heard most of the evening."""


class TakeFinding(BaseModel):
    """Something that was found."""

    code: str
    text: str
    value: float
    unit: str
    confidence: Confidence = "sure"


def _one(
    code: str, text: str, value: float, unit: str, confidence: Confidence = "sure"
) -> TakeFinding:
    return TakeFinding(
        code=code, text=text, value=round(value, 1), unit=unit, confidence=confidence
    )


def mains_of(tones: list[Tone]) -> float | None:
    """50 or 60 if at least two of the tones are its multiples; None if there is no hum."""
    for mains_hz in (50.0, 60.0):
        fits = [
            tone
            for tone in tones
            if tone.frequency_hz < 650.0
            and abs(tone.frequency_hz - mains_hz * round(tone.frequency_hz / mains_hz))
            < HUM_TOLERANCE_HZ
        ]
        if len(fits) >= 2:
            return mains_hz
    return None


def room_findings(room: TakeFigures) -> list[TakeFinding]:
    """The noise floor and what it is made of."""
    found: list[TakeFinding] = []
    floor = room.noise_floor_dbfs
    if floor is not None:
        found.append(_one("noise_floor", f"The room stands at {minus(floor)} dBFS.", floor, "dBFS"))
    mains = mains_of(room.tones)
    if mains:
        strongest = max(
            (t for t in room.tones if abs((t.frequency_hz / mains) % 1.0 - 0.5) > 0.46),
            key=lambda tone: tone.level_dbfs,
        )
        found.append(
            _one(
                "hum",
                f"It hums at {strongest.frequency_hz:.0f} Hz ({mains:.0f} Hz mains).",
                strongest.frequency_hz,
                "Hz",
            )
        )
    rest = [
        tone
        for tone in room.tones
        if not mains
        or abs(tone.frequency_hz - mains * round(tone.frequency_hz / mains)) >= HUM_TOLERANCE_HZ
    ]
    if rest:
        fan = rest[0]
        found.append(
            _one(
                "fan",
                f"A steady tone sounds at {fan.frequency_hz:.0f} Hz, as of a fan.",
                fan.frequency_hz,
                "Hz",
                "likely",
            )
        )
    if room.thirds_db:
        power = db_to_power(np.array(room.thirds_db))
        for code, name, inside in (
            ("rumble", "rumble under 125 Hz", THIRD_CENTRES_HZ < 120.0),
            ("hiss", "hiss above 3 kHz", THIRD_CENTRES_HZ > 3000.0),
        ):
            share = float(power[inside].sum() / power.sum()) * 100.0
            if share > 50.0:
                found.append(_one(code, f"Most of it is {name}.", share, "%"))
    return found


def voice_findings(takes: dict[TakeKind, TakeFigures]) -> list[TakeFinding]:
    """Levels, spread, pitch and the way the microphone is used."""
    found: list[TakeFinding] = []
    low, usual, big = takes["low"], takes["usual"], takes["big"]
    floor = takes["room"].noise_floor_dbfs
    if low.speech_level_dbfs is not None and floor is not None:
        apart = low.speech_level_dbfs - floor
        found.append(
            _one("room_to_low", f"Your low voice stands {apart:.0f} dB over the room.", apart, "dB")
        )
    if low.speech_level_dbfs is not None and big.speech_level_dbfs is not None:
        spread = big.speech_level_dbfs - low.speech_level_dbfs
        found.append(_one("spread", f"From low to big voice are {spread:.0f} dB.", spread, "dB"))
    clipped = sum(one.clipped_moments for one in (low, usual, big))
    if clipped > CLIPPED_MOMENTS:
        found.append(
            _one(
                "clipped",
                f"The microphone clipped in {clipped} moments, which no stage can mend. Turn its preamp down.",
                clipped,
                "",
            )
        )
    peaks = usual.usual_peaks_dbfs
    if peaks is not None:
        where = (
            "which is healthy"
            if LANDING_LOW_DBFS <= round(peaks) <= LANDING_HIGH_DBFS
            else f"outside of {minus(LANDING_LOW_DBFS)} to {minus(LANDING_HIGH_DBFS)}"
        )
        found.append(
            _one("usual_peaks", f"Usual peaks reach {minus(peaks)} dBFS, {where}.", peaks, "dBFS")
        )
    lows = [one.pitch_low_hz for one in (low, usual, big) if one.pitch_low_hz]
    highs = [one.pitch_high_hz for one in (low, usual, big) if one.pitch_high_hz]
    if lows:
        found.append(
            _one(
                "pitch_low",
                f"Your voice goes from {min(lows):.0f} to {max(highs):.0f} Hz.",
                min(lows),
                "Hz",
            )
        )
    thumps = sum(one.thumps for one in (low, usual, big))
    if thumps:
        found.append(
            _one(
                "plosives",
                f"Air hit the microphone {thumps} times. Speak past it, or use a pop filter.",
                thumps,
                "",
                "likely",
            )
        )
    return found + spectrum_findings(takes)


def voice_above_db(takes: dict[TakeKind, TakeFigures]) -> np.ndarray:
    """How far the voice's thirds stand above the reference, by VOICE_WEIGHTS."""
    total, weight = np.zeros(len(THIRD_CENTRES_HZ)), 0.0
    for kind, share in VOICE_WEIGHTS.items():
        if takes[kind].thirds_db:
            total += share * above_reference_db(np.array(takes[kind].thirds_db))
            weight += share
    return total / max(weight, 1.0)


def spectrum_findings(takes: dict[TakeKind, TakeFigures]) -> list[TakeFinding]:
    """Zones that stand apart from speech in general, and what they tell of the microphone."""
    found: list[TakeFinding] = []
    above = voice_above_db(takes)
    lowest = takes["usual"].pitch_low_hz or 0.0
    zones = {zone.name: zone_db(above, zone, 0.9 * lowest) for zone in ZONES[1:7]}
    for name, apart in zones.items():
        if apart is not None and round(abs(apart)) > ZONE_APART_DB:
            side = "over" if apart > 0 else "under"
            found.append(
                _one(
                    f"zone_{name}",
                    f"{name.capitalize()} is {abs(apart):.0f} dB {side} speech in general.",
                    apart,
                    "dB",
                    "likely",
                )
            )
    resonance = common_resonance([takes[kind].resonances for kind in VOICES])
    if resonance:
        found.append(
            _one(
                "resonance",
                f"Something rings at {resonance.frequency_hz:.0f} Hz in every voice: a bare wall, a desk or the microphone's "
                "stand. Move, or damp it.",
                resonance.frequency_hz,
                "Hz",
                "likely",
            )
        )
    body, clarity, harshness = zones["body"], zones["clarity"], zones["harshness"]
    if body is not None and body > NEAR_BODY_DB:
        found.append(
            _one(
                "near",
                "The lows are strong, as very near to the microphone. A hand's width is enough.",
                body,
                "dB",
                "unsure",
            )
        )
    if clarity is not None and harshness is not None and (clarity + harshness) / 2.0 < DULL_DB:
        found.append(
            _one(
                "off_axis",
                "The highs are weak, as beside the microphone. Turn it towards your mouth.",
                clarity,
                "dB",
                "unsure",
            )
        )
    top = above[THIRD_CENTRES_HZ > 9000.0].mean()
    if top < BANDWIDTH_DROP_DB:
        found.append(
            _one(
                "narrow",
                "Hardly anything lies above 9 kHz: the recording or the microphone ends there.",
                top,
                "dB",
                "likely",
            )
        )
    return found
