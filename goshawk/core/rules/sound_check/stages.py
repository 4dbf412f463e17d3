"""What each stage should do, from what was measured at its input: one plain function a stage.

Levels are in dBFS at the stage's input, with the stages before it at work already.
"""

import math
from dataclasses import dataclass

import numpy as np

from goshawk.core.dsp.compressor import CompressorSettings, reduction_at_db
from goshawk.core.dsp.de_esser import DeEsserSettings
from goshawk.core.dsp.equaliser import BOLD_BOOST_DB, BellBand, EqualiserSettings
from goshawk.core.dsp.gate import GateSettings
from goshawk.core.dsp.high_pass import HighPassSettings
from goshawk.core.dsp.limiter import LimiterSettings
from goshawk.core.dsp.suppressor import LearnedRoom, SuppressorSettings
from goshawk.core.dsp.trim import TrimSettings
from goshawk.core.measure.long_term_spectrum import (
    RESONANCE_OVER_DB,
    ZONES,
    Resonance,
    zone_db,
)
from goshawk.core.rules.finding import minus
from goshawk.core.rules.gain import LANDING_HIGH_DBFS, LANDING_LOW_DBFS, LANDING_MIDDLE_DBFS
from goshawk.core.rules.sound_check.advice import (
    SPREAD_DB,
    Advice,
    Confidence,
    Steadiness,
    left_out,
)
from goshawk.core.rules.sound_check.found import ZONE_APART_DB
from goshawk.core.stage import Floats

# --- microphone and trim --------------------------------------------------------------------------


def plan_preamp(usual_peaks_dbfs: float, highest_dbfs: float) -> Advice:
    """For the hand: the landing zone of ``rules.gain``."""
    by = float(round(LANDING_MIDDLE_DBFS - usual_peaks_dbfs))
    said = f"Usual peaks reach {minus(usual_peaks_dbfs)} dBFS"
    zone = f"{minus(LANDING_LOW_DBFS)} to {minus(LANDING_HIGH_DBFS)}"
    if LANDING_LOW_DBFS <= round(usual_peaks_dbfs) <= LANDING_HIGH_DBFS:
        return Advice("preamp", "as it is", f"{said}; {zone} is healthy.")
    if by < 0 and highest_dbfs < -1.0 and usual_peaks_dbfs < LANDING_HIGH_DBFS + 3.0:
        return Advice("preamp", "as it is", f"{said}, a little high, but nothing clips.", "likely")
    return Advice(
        "preamp",
        f"{minus(by) if by < 0 else f'+{by:.0f}'} dB",
        f"{said}; {zone} is healthy. Turn it by hand, then take all again; until then the trim does it.",
    )


NO_MOVE_DB = 1.0


def say_gain(gain_db: float) -> str:
    """A gain with its sign."""
    return f"{'+' if gain_db > 0 else ''}{minus(gain_db, 1)} dB"


def plan_trim(usual_peaks_dbfs: float, has_compressor: bool, target_dbfs: float) -> Advice:
    """To the landing zone if a compressor's makeup follows, else to the target itself."""
    if has_compressor and LANDING_LOW_DBFS <= round(usual_peaks_dbfs) <= LANDING_HIGH_DBFS:
        return left_out("trim", f"Usual peaks reach {minus(usual_peaks_dbfs)} dBFS already.")
    goal = LANDING_MIDDLE_DBFS if has_compressor else target_dbfs
    gain = max(-30.0, min(40.0, round(goal - usual_peaks_dbfs, 1)))
    if abs(gain) < NO_MOVE_DB:
        return left_out("trim", f"Usual peaks reach {minus(usual_peaks_dbfs)} dBFS already.")
    return Advice(
        "trim",
        say_gain(gain),
        f"Brings usual peaks from {minus(usual_peaks_dbfs)} to {minus(usual_peaks_dbfs + gain)} dBFS.",
        settings=TrimSettings(gain_db=gain),
        names=("gain_db",),
    )


def make_up_trim(gain_db: float, taken_db: float) -> Advice:
    """A trim that is there only for what the other stages take off usual peaks, or add to them."""
    side = "takes off" if taken_db > 0 else "adds to"
    return Advice(
        "trim",
        say_gain(gain_db),
        f"Makes up for the {abs(taken_db):.0f} dB that the rest {side} usual peaks.",
        settings=TrimSettings(gain_db=gain_db),
        names=("gain_db",),
    )


# --- high-pass ------------------------------------------------------------------------------------

UNDER_LOWEST_NOTE = 0.6
"""Of the lowest note's frequency: a second-order Butterworth takes 0.5 dB off the note there."""

RUMBLE_IN_SPEECH_DB = 30.0
"""The skirt of a voice's own lowest notes lies 35 to 40 dB under its speech (seven voices)."""

RUMBLE_IN_ROOM_DB = 55.0
"""Rumble of the room that is so far under the speech stays under it after a compressor's makeup too."""

STEEP_DB = 25.0


def plan_high_pass(
    lowest_note_hz: float | None, in_speech_db: float, in_room_db: float, thumps: int
) -> Advice:
    """By how much what lies under the voice is softer than the speech: while speaking, and in the room."""
    under_speech_db = min(in_speech_db, in_room_db)
    if in_speech_db > RUMBLE_IN_SPEECH_DB and in_room_db > RUMBLE_IN_ROOM_DB and not thumps:
        return left_out(
            "high_pass",
            f"What lies under the voice is {under_speech_db:.0f} dB softer: nothing to take.",
        )
    note = lowest_note_hz or 100.0
    frequency = float(max(40.0, min(140.0, 5.0 * round(UNDER_LOWEST_NOTE * note / 5.0))))
    is_steep = under_speech_db < STEEP_DB or thumps > 2
    why = (
        f"Air thumps on the microphone, {thumps} times, lie under it."
        if thumps
        else f"Rumble {under_speech_db:.0f} dB under your speech sits below it."
    )
    said = f"Your lowest note is {note:.0f} Hz. " if lowest_note_hz else ""
    return Advice(
        "high_pass",
        f"{frequency:.0f} Hz{', steep' if is_steep else ''}",
        said + why,
        "sure" if lowest_note_hz else "unsure",
        HighPassSettings(frequency_hz=frequency, slope_db_per_octave=24 if is_steep else 12),
        ("frequency_hz", "slope_db_per_octave"),
    )


# --- suppressor -----------------------------------------------------------------------------------

INAUDIBLE_UNDER_SPEECH_DB = 60.0
"""Speech at 65 dB SPL in a room of 30 to 35 dB(A) covers what is 60 dB under it."""

LEAST_REDUCTION_DB, MOST_REDUCTION_DB = 18.0, 30.0
WITHOUT_GATE_DB = 6.0
CLEAN_PAUSES_PERCENT = 90.0
"""More, if nothing after it closes the pauses."""


def plan_suppressor(
    under_speech_db: float, room: LearnedRoom | None, has_gate_after: bool, least_db: float = 0.0
) -> Advice:
    """``under_speech_db``: from usual speech down to the room."""
    if under_speech_db >= INAUDIBLE_UNDER_SPEECH_DB:
        return left_out(
            "suppressor", f"The room is {under_speech_db:.0f} dB under your voice already."
        )
    wanted = INAUDIBLE_UNDER_SPEECH_DB - under_speech_db
    wanted += 0.0 if has_gate_after else WITHOUT_GATE_DB
    reduction = float(round(max(LEAST_REDUCTION_DB, least_db, min(MOST_REDUCTION_DB, wanted))))
    reason = f"The room is {under_speech_db:.0f} dB under your usual voice."
    if room is None:
        reason += " It was not steady enough to learn, so it is followed."
    return Advice(
        "suppressor",
        f"{reduction:.0f} dB" + ("" if room is None else ", room learned"),
        reason,
        "sure" if room else "likely",
        SuppressorSettings(
            reduction_db=reduction,
            emphasis_percent=60.0 if has_gate_after else CLEAN_PAUSES_PERCENT,
            room=room,
        ),
        ("reduction_db", "emphasis_percent"),
    )


# --- gate -----------------------------------------------------------------------------------------

LEAST_GATE_MARGIN_DB = 10.0
"""Between the room's loudest moments and quiet speech: room for both thresholds, 3 dB clear of either."""

ROOM_CLEAR_DB = 4.0
HYSTERESIS_DB = 5.0
"""Enough that the end of a word does not make it flutter."""

COVERED_RANGE_DB = 18.0
"""Under a game: what is left of the room in pauses is covered."""

OPENS_AT_SHARE = 0.4
"""Of the way from the room to quiet speech: nearer to the room, which is steady, than to speech, which is not."""

GATE_LOOK_AHEAD_MS = 2.0
NEEDS_NO_GATE_DB = INAUDIBLE_UNDER_SPEECH_DB + 6.0


@dataclass(frozen=True)
class GateInput:
    """Peaks of 10 ms at the gate: the room's loudest, quiet speech's (20th percentile of the low voice), the
    keys' (90th percentile; None without a take of them), how far the room is under usual speech, and by how much a
    compressor will bring it nearer."""

    room_peaks_dbfs: float
    quiet_peaks_dbfs: float
    keys_peaks_dbfs: float | None
    under_speech_db: float
    compressor_takes_db: float
    is_over_game: bool


def say_thresholds(settings: GateSettings) -> str:
    """Where a gate opens and closes."""
    return (
        f"opens {minus(settings.open_threshold_dbfs)}, "
        f"closes {minus(settings.close_threshold_dbfs)}"
    )


def plan_gate(heard: GateInput, lower_by_db: float = 0.0) -> Advice:
    """Thresholds between the room and quiet speech, or none. ``lower_by_db``: because first syllables were
    cut."""
    margin = heard.quiet_peaks_dbfs - heard.room_peaks_dbfs
    under_speech_db = heard.under_speech_db - heard.compressor_takes_db
    if under_speech_db > NEEDS_NO_GATE_DB:
        return left_out(
            "gate",
            f"The room will be {under_speech_db:.0f} dB under your voice: nothing to close on.",
        )
    if not heard.is_over_game:
        return left_out(
            "gate",
            "Nothing would cover its opening and closing, and the suppressor leaves little room.",
        )
    if margin < LEAST_GATE_MARGIN_DB:
        return left_out(
            "gate",
            f"Your quiet speech is only {max(0.0, margin):.0f} dB over the room's loudest moments: it would "
            "cut words. A quieter room or a nearer microphone would help.",
        )
    floor = heard.room_peaks_dbfs + ROOM_CLEAR_DB
    opens = heard.room_peaks_dbfs + OPENS_AT_SHARE * margin
    reason = (
        f"The room peaks at {minus(heard.room_peaks_dbfs)}, your quiet speech at "
        f"{minus(heard.quiet_peaks_dbfs)}."
    )
    keys = heard.keys_peaks_dbfs
    if keys is not None and keys + ROOM_CLEAR_DB > opens:
        if keys + ROOM_CLEAR_DB < heard.quiet_peaks_dbfs - 3.0:
            opens = keys + ROOM_CLEAR_DB
            reason += f" The keys reach {minus(keys)}: it stays closed for them."
        else:
            reason += " The keys are as loud as quiet speech: they will open it."
    opens = max(floor + HYSTERESIS_DB / 2.0, opens - lower_by_db, -75.0)
    opens = float(round(min(opens, 0.0)))
    closes = float(max(-80.0, round(max(opens - HYSTERESIS_DB, min(floor, opens - 2.0)))))
    settings = GateSettings(
        open_threshold_dbfs=opens,
        close_threshold_dbfs=closes,
        range_db=COVERED_RANGE_DB,
        attack_ms=1.0,
        hold_ms=120.0,
        release_ms=120.0,
        look_ahead_ms=GATE_LOOK_AHEAD_MS,
    )
    return Advice(
        "gate",
        say_thresholds(settings),
        f"{reason} Takes {COVERED_RANGE_DB:.0f} dB: the game covers the rest.",
        "sure" if margin > 2.0 * LEAST_GATE_MARGIN_DB else "likely",
        settings,
        ("open_threshold_dbfs", "close_threshold_dbfs", "range_db"),
    )


# --- EQ -------------------------------------------------------------------------------------------

MOST_CUT_DB, MOST_LIFT_DB = 5.0, 3.0
assert MOST_CUT_DB <= BOLD_BOOST_DB
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

MOST_RATIO = 12.0
_TIMES_MS: dict[Steadiness, tuple[float, float]] = {
    "natural": (12.0, 220.0),
    "steady": (8.0, 150.0),
    "very_steady": (5.0, 120.0),
}
"""Attack and release: the less is to be left of the spread, the quicker."""

THRESHOLD_UNDER_LOW_DB = 4.0
"""Under the low voice's usual peaks: it is hardly touched, and the curve has bent before the usual voice."""


def needs_compressor(spread_db: float, steadiness: Steadiness) -> bool:
    """Whether from low to big is more than is wished for."""
    return spread_db > SPREAD_DB[steadiness] + 1.0


def compressor_for(
    threshold_dbfs: float, ratio: float, makeup_db: float, steadiness: Steadiness
) -> CompressorSettings:
    """A compressor with times that suit the steadiness, within its ranges."""
    attack, release = _TIMES_MS[steadiness]
    return CompressorSettings(
        threshold_dbfs=round(max(-60.0, min(0.0, threshold_dbfs)), 1),
        ratio=round(max(1.0, min(MOST_RATIO, ratio)), 2),
        makeup_gain_db=round(max(0.0, min(30.0, makeup_db)), 1),
        attack_ms=attack,
        release_ms=release,
    )


def first_ratio(
    low_peaks_dbfs: Floats,
    big_peaks_dbfs: Floats,
    threshold_dbfs: float,
    spread_db: float,
    wanted_db: float,
) -> float:
    """The ratio whose static curve takes the wanted part of the spread: where the search begins."""
    if spread_db <= wanted_db:
        return 1.0
    best = MOST_RATIO
    for ratio in np.geomspace(1.1, MOST_RATIO, 40):
        settings = CompressorSettings(threshold_dbfs=threshold_dbfs, ratio=float(ratio))
        taken = [
            float(np.mean([reduction_at_db(settings, float(x)) for x in peaks]))
            for peaks in (low_peaks_dbfs, big_peaks_dbfs)
        ]
        if spread_db - (taken[1] - taken[0]) <= wanted_db:
            best = float(ratio)
            break
    return best


def say_compressor(
    settings: CompressorSettings,
    spread_db: float,
    after_db: float,
    usual_peaks_dbfs: float,
    big_peaks_dbfs: float,
) -> Advice:
    """The compressor that was found, in words."""
    usual = reduction_at_db(settings, usual_peaks_dbfs)
    big = reduction_at_db(settings, big_peaks_dbfs)
    confidence: Confidence = "sure" if settings.ratio < MOST_RATIO else "unsure"
    return Advice(
        "compressor",
        f"{minus(settings.threshold_dbfs)}, {settings.ratio:.1f} : 1, makeup {settings.makeup_gain_db:.1f}",
        f"{spread_db:.0f} dB from low to big become {after_db:.0f}. Takes {usual:.0f} dB off usual peaks, "
        f"{big:.0f} off the big voice's.",
        confidence,
        settings,
        ("threshold_dbfs", "ratio", "makeup_gain_db", "attack_ms", "release_ms"),
    )


def no_compressor(spread_db: float, steadiness: Steadiness) -> Advice:
    """The voice is even enough."""
    return left_out(
        "compressor",
        f"From low to big are {spread_db:.0f} dB; {SPREAD_DB[steadiness]:.0f} are wished for.",
    )


# --- leveller and limiter -------------------------------------------------------------------------


def plan_leveller() -> Advice:
    """A few short takes tell nothing of hours."""
    return left_out(
        "leveller", "The takes are even now. Add it if you drift from the microphone over hours."
    )


def plan_limiter(ceiling_dbtp: float) -> Advice:
    """The ceiling a little under the feeds', so that the voice alone never meets theirs."""
    return Advice(
        "limiter",
        f"{minus(ceiling_dbtp)} dBTP",
        "Catches what the other stages let through.",
        "sure",
        LimiterSettings(ceiling_dbtp=ceiling_dbtp),
        ("ceiling_dbtp",),
    )
