"""EQ and de-esser: what the voice is like."""

import math

from goshawk.core.dsp.de_esser import DeEsserSettings
from goshawk.core.dsp.equaliser import BellBand, EqualiserSettings
from goshawk.core.dsp.zones import ZONES
from goshawk.core.measure.long_term_spectrum import RESONANCE_OVER_DB, Resonance, zone_db
from goshawk.core.rules.sound_check.advice import Advice, left_out
from goshawk.core.rules.sound_check.found import ZONE_APART_DB
from goshawk.core.rules.sound_check.stages.noise import MOST_CUT_DB, MOST_LIFT_DB
from goshawk.core.stage import Floats
from goshawk.core.text.figures import minus

MOST_SHARE_MENDED = 0.6
"""Of what stands out of the scatter of voices: the rest is the voice's own."""


HALF_SURE_S = 10.0
"""After so much speech half of that share is dared: a few sentences have their own mixture of sounds."""


LEAST_MOVE_DB = 1.0


MOST_MOVES = 3


RESONANCE_Q = 4.0
"""A third of an octave wide, as what rings; it is cut by what is beyond a formant's height."""


_BANDS: dict[str, tuple[str, float, float]] = {
    "body": ("bell_1", 160.0, 0.8),
    "mud": ("bell_2", 350.0, 1.0),
    "boxiness": ("bell_3", 700.0, 1.0),
    "clarity": ("bell_4", 1_900.0, 0.8),
    "harshness": ("bell_5", 3_900.0, 1.2),
}
"""Each zone's bell: its middle, and a width that fills it. Sibilance comes and goes: it is the de-esser's."""


def plan_eq(
    above_reference_db: Floats,
    lowest_note_hz: float | None,
    speech_s: float,
    resonance: Resonance | None = None,
) -> Advice:
    """Few moves, only where the voice stands out of the scatter of voices. What is missing at the edges is not
    lifted: there is nothing there but noise."""
    share = MOST_SHARE_MENDED * speech_s / (speech_s + HALF_SURE_S)
    moves: list[tuple[str, float, float]] = []
    for zone in ZONES:
        if zone.name not in _BANDS:
            continue
        apart = zone_db(above_reference_db, zone, 0.9 * (lowest_note_hz or 0.0))
        if apart is None:
            continue
        over = abs(apart) - ZONE_APART_DB
        gain = -math.copysign(share * max(0.0, over), apart)
        gain = max(-MOST_CUT_DB, min(MOST_LIFT_DB, gain))
        if gain > 0.0 and zone.name == "body":
            continue
        if abs(gain) >= LEAST_MOVE_DB:
            moves.append((zone.name, round(gain, 1), apart))
    ring_db = min(MOST_CUT_DB, resonance.over_db - RESONANCE_OVER_DB) if resonance else 0.0
    ring_hz = round(resonance.frequency_hz) if resonance and ring_db >= LEAST_MOVE_DB else 0
    if not moves and not ring_hz:
        return left_out("eq", "No part of your voice stands out of what voices are.", "likely")
    moves = sorted(moves, key=lambda move: -abs(move[1]))[:MOST_MOVES]
    moves.sort(key=lambda move: _BANDS[move[0]][1])
    settings = EqualiserSettings()
    names: list[str] = []
    for name, gain, _ in moves:
        band, hz, q = _BANDS[name]
        bell = BellBand(frequency_hz=hz, gain_db=gain, q=q)
        settings = settings.model_copy(update={band: bell})
        names += [f"{band}.frequency_hz", f"{band}.gain_db", f"{band}.q"]
    if ring_hz:
        bell = BellBand(frequency_hz=ring_hz, gain_db=-round(ring_db, 1), q=RESONANCE_Q)
        settings = settings.model_copy(update={"bell_6": bell})
        names += ["bell_6.frequency_hz", "bell_6.gain_db", "bell_6.q"]
    said = " · ".join(
        f"{f'{gain:+.1f}'.replace('-', '−')} at {_BANDS[name][1]:.0f}" for name, gain, _ in moves
    )
    parts = [
        f"{name} {abs(apart):.0f} dB {'over' if apart > 0 else 'under'} the reference"
        for name, _, apart in moves
    ]
    if ring_hz:
        said = " · ".join([*([said] if said else []), f"−{ring_db:.1f} at {ring_hz}"])
        parts.append(f"something rings at {ring_hz} Hz")
    reason = ", ".join(parts)
    return Advice("eq", said, f"{reason[0].upper()}{reason[1:]}.", "likely", settings, tuple(names))


# --- de-esser -------------------------------------------------------------------------------------


SHARP_DB = -3.0
"""The sharpest s sounds (98th percentile of the detector's ratio in speech) of voices that nobody calls sharp lie
from −8 to −4 dB with the band from 5.5 kHz (seven recorded and synthetic voices)."""


SOFTENED_TO_DB = -6.0


DE_ESSER_HZ = 5_500.0


def plan_de_esser(sharpest_db: float) -> Advice:
    """``sharpest_db``: of the de-esser's own detector over the usual voice."""
    if sharpest_db < SHARP_DB:
        return left_out(
            "de_esser",
            f"Your s sounds stand at {minus(sharpest_db)} dB beside the voice: not sharp.",
            "likely",
        )
    amount = float(round(max(3.0, min(10.0, sharpest_db - SOFTENED_TO_DB + 1.0))))
    return Advice(
        "de_esser",
        f"{amount:.0f} dB above {DE_ESSER_HZ / 1000:.1f} kHz",
        f"Your sharpest s sounds stand at {sharpest_db:+.0f} dB beside the voice; −8 to −4 is usual.".replace(
            "-", "−"
        ),
        "likely",
        DeEsserSettings(frequency_hz=DE_ESSER_HZ, threshold_db=SOFTENED_TO_DB, amount_db=amount),
        ("frequency_hz", "threshold_db", "amount_db"),
    )


# --- compressor -----------------------------------------------------------------------------------
