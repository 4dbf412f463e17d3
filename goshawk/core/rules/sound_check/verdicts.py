"""Whether a take will do, said at once: the one thing that is wrong with it and what to do, or nothing."""

from pydantic import BaseModel

from goshawk.core.measure.take import TakeFigures, TakeKind

LEAST_DURATION_S = 4.0
LEAST_SPEECH_S = 3.0
"""As for the microphone's gain: fewer seconds tell of a word, not of a voice."""

MOST_SPEECH_IN_QUIET_S = 0.4
SILENT_DBFS = -90.0
"""Under what any microphone with its preamp gives: nothing is plugged in, or it is muted."""

CLIPPED_MOMENTS = 2
LEAST_APART_DB = 2.0
"""Voices nearer than this are the same voice."""

ROOM_LOUDER_DB = 10.0
"""What stands in the pauses by so much more than the room did is no part of the room."""

TAKE_NAMES: dict[TakeKind, str] = {
    "room": "room",
    "low": "low voice",
    "usual": "usual voice",
    "big": "big voice",
    "keys": "keys",
}


class Verdict(BaseModel):
    """``refusal``: nothing can be told from the take. ``doubt``: it can be used, but not well: take it again if
    you can."""

    refusal: str = ""
    doubt: str = ""


def judged(figures: TakeFigures, others: dict[TakeKind, TakeFigures]) -> Verdict:
    """The verdict on a take, beside those that are kept already."""
    kind = figures.kind
    if figures.highest_peak_dbfs is None or figures.highest_peak_dbfs < SILENT_DBFS:
        return _refused(
            "Nothing came from the microphone, not even noise. Check that it is plugged in and switched on."
        )
    if figures.duration_s < LEAST_DURATION_S:
        return _refused(
            f"This take lasts {figures.duration_s:.0f} s, too short to measure. Give at least "
            f"{LEAST_DURATION_S:.0f} s."
        )
    if kind == "room":
        return _room(figures, others)
    if kind == "keys":
        return _keys(figures)
    if figures.speech_s < LEAST_SPEECH_S:
        return _refused(
            f"Only {figures.speech_s:.1f} s of speech stand out of the room. Speak for longer, or nearer to "
            "the microphone."
        )
    return _voice(figures, others)


def _refused(text: str) -> Verdict:
    return Verdict(refusal=text)


def _doubtful(text: str) -> Verdict:
    return Verdict(doubt=text)


def _room(figures: TakeFigures, others: dict[TakeKind, TakeFigures]) -> Verdict:
    if figures.speech_s > MOST_SPEECH_IN_QUIET_S:
        return _doubtful(
            f"A voice or music was heard for {figures.speech_s:.1f} s. Stay quiet, stop what plays, and take "
            "the room again."
        )
    usual = others.get("usual")
    if (
        usual
        and figures.noise_floor_dbfs is not None
        and usual.speech_level_dbfs is not None
        and figures.noise_floor_dbfs > usual.speech_level_dbfs
    ):
        return _doubtful("This room is louder than your usual voice. Were two takes swapped?")
    return Verdict()


def _keys(figures: TakeFigures) -> Verdict:
    if figures.strokes < 5:
        return _doubtful("Hardly a key was heard. Type as you do on air, without speaking.")
    return Verdict()


_SAY_OF_ORDER: tuple[tuple[TakeKind, TakeKind], ...] = (
    ("low", "usual"),
    ("usual", "big"),
    ("low", "big"),
)


def _voice(figures: TakeFigures, others: dict[TakeKind, TakeFigures]) -> Verdict:
    kind, level = figures.kind, figures.speech_level_dbfs
    assert level is not None
    if figures.clipped_moments > CLIPPED_MOMENTS:
        return _doubtful(
            f"The microphone clipped in {figures.clipped_moments} moments. Turn its preamp down by 6 dB and "
            "take all voices again."
            if kind == "usual"
            else f"The microphone clipped in {figures.clipped_moments} moments. Turn its preamp down by 6 dB "
            "and take it again, or move back a little."
        )
    room = others.get("room")
    if (
        room
        and room.noise_floor_dbfs is not None
        and figures.noise_floor_dbfs is not None
        and figures.noise_floor_dbfs > room.noise_floor_dbfs + ROOM_LOUDER_DB
    ):
        apart = figures.noise_floor_dbfs - room.noise_floor_dbfs
        return _doubtful(
            f"Between your words it was {apart:.0f} dB louder than the room. Stop the music or game, and "
            "take it again; or take the room again if it has changed."
        )
    for softer, louder in _SAY_OF_ORDER:
        other_kind = louder if kind == softer else softer if kind == louder else None
        other = others.get(other_kind) if other_kind else None
        if other is None or other.speech_level_dbfs is None:
            continue
        over = (other.speech_level_dbfs - level) * (1 if kind == softer else -1)
        if over < -LEAST_APART_DB:
            return _doubtful(
                f"Your {TAKE_NAMES[softer]} is {-over:.0f} dB louder than your {TAKE_NAMES[louder]}. Take this "
                "one again, or the other if the two were swapped."
            )
        if over < LEAST_APART_DB:
            return _doubtful(
                f"Your {TAKE_NAMES[softer]} and your {TAKE_NAMES[louder]} differ by only "
                f"{abs(over):.1f} dB. Take one again if you do laugh or murmur on air."
            )
    return Verdict()
