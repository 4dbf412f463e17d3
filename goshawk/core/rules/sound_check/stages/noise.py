"""High-pass, suppressor and gate: what the room adds."""

from dataclasses import dataclass

from goshawk.core.dsp.equaliser import BOLD_BOOST_DB
from goshawk.core.dsp.gate import GateSettings
from goshawk.core.dsp.high_pass import HighPassSettings
from goshawk.core.dsp.suppressor import LearnedRoom, SuppressorSettings
from goshawk.core.rules.sound_check.advice import Advice, left_out
from goshawk.core.text.figures import minus

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


ROOM_MOVES_DB = 5.0
"""A steady noise's loudest tenths of a second stand 1 to 3 dB over their median; cars and people 6 to 15 dB."""


STEADY_KNOWS_PERCENT, MOVING_KNOWS_PERCENT = 50.0, 80.0
"""Where the room is steady, what is known of it takes most, and is truer to the voice."""


def knows_voices(moves_db: float, has_keys: bool, *, is_steady: bool) -> tuple[float, str]:
    """How far the suppressor goes by what it knows of voices, and why. ``moves_db``: from the room's median to its
    loudest moments (95th percentile); a room is not steady if it could not be learned either."""
    if has_keys:
        return (
            MOVING_KNOWS_PERCENT,
            "It knows voices from keys: between your words they all but go.",
        )
    if moves_db > ROOM_MOVES_DB:
        return (
            MOVING_KNOWS_PERCENT,
            f"The room comes and goes by {moves_db:.0f} dB: it keeps to what sounds like a voice.",
        )
    if not is_steady:
        return MOVING_KNOWS_PERCENT, "It comes and goes, so it keeps to what sounds like a voice."
    return STEADY_KNOWS_PERCENT, "The room is steady: most of it is taken by what is known of it."


def plan_suppressor(
    under_speech_db: float,
    room: LearnedRoom | None,
    has_gate_after: bool,
    least_db: float = 0.0,
    *,
    moves_db: float = 0.0,
    has_keys: bool = False,
) -> Advice:
    """``under_speech_db``: from usual speech down to the room; for the others see ``knows_voices``."""
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
    knows, why = knows_voices(moves_db, has_keys, is_steady=room is not None)
    reason += f" {why}"
    return Advice(
        "suppressor",
        f"{reduction:.0f} dB" + ("" if room is None else ", room learned"),
        reason,
        "sure" if room else "likely",
        SuppressorSettings(
            reduction_db=reduction,
            emphasis_percent=60.0 if has_gate_after else CLEAN_PAUSES_PERCENT,
            knows_voices_percent=knows,
            room=room,
        ),
        ("reduction_db", "emphasis_percent", "knows_voices_percent"),
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
