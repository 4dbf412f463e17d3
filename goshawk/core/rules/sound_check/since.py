"""What has changed since the sound check that the chain was computed from.

A gain moves the room and all voices alike; a mouth that is nearer or farther moves the voices and not the room; a
room that changes moves alone. The median of the voices' shifts stands for them, so that one lively take does not.
"""

from statistics import median

from pydantic import BaseModel

from goshawk.core.measure.levels import StationLevels
from goshawk.core.measure.take import VOICES, TakeFigures, TakeKind
from goshawk.core.text.figures import minus

CHANGED_DB = 3.0
"""A usual voice differs by 1 to 2 dB from evening to evening; a hand's width of distance is 3 to 6 dB."""

DRIFTED_DB = 6.0
"""While in use, where one cannot ask for a usual voice, only what is beyond doubt."""


class ChangeSinceCheck(BaseModel):
    """Something that changed. ``gain_db`` is what the trim can make up for; ``stages`` of the new check mend it."""

    code: str
    text: str
    value_db: float
    gain_db: float = 0.0
    stages: list[str] = []


def changes_since(
    kept: dict[TakeKind, TakeFigures], now: dict[TakeKind, TakeFigures]
) -> list[ChangeSinceCheck]:
    """From the kept takes to new ones."""
    shifts = [
        after - before
        for kind in VOICES
        if kind in kept and kind in now
        for before, after in [(kept[kind].speech_level_dbfs, now[kind].speech_level_dbfs)]
        if before is not None and after is not None
    ]
    if not shifts or "room" not in kept or "room" not in now:
        return []
    voice = median(shifts)
    floors = kept["room"].noise_floor_dbfs, now["room"].noise_floor_dbfs
    if floors[0] is None or floors[1] is None:
        return []
    room = floors[1] - floors[0]
    if abs(voice) >= CHANGED_DB and abs(room) >= CHANGED_DB and abs(voice - room) < CHANGED_DB:
        side = "louder" if voice > 0 else "softer"
        return [
            ChangeSinceCheck(
                code="gain_changed",
                text=f"Voice and room arrive {abs(voice):.0f} dB {side}: the preamp was turned. The trim can "
                "make up for it.",
                value_db=round(voice, 1),
                gain_db=round(-voice, 1),
            )
        ]
    found: list[ChangeSinceCheck] = []
    if abs(voice) >= CHANGED_DB:
        where = "nearer to" if voice > 0 else "farther from"
        found.append(
            ChangeSinceCheck(
                code="distance_changed",
                text=f"Your voice arrives {abs(voice):.0f} dB {'louder' if voice > 0 else 'softer'}, the room as it "
                f"was: you sit {where} the microphone. Sit as before, or let the trim make up for it.",
                value_db=round(voice, 1),
                gain_db=round(-voice, 1),
            )
        )
    if abs(room) >= CHANGED_DB:
        found.append(
            ChangeSinceCheck(
                code="room_changed",
                text=f"The room is {abs(room):.0f} dB {'louder' if room > 0 else 'quieter'} than it was. Suppressor "
                "and gate should know it anew.",
                value_db=round(room, 1),
                stages=["suppressor", "gate"],
            )
        )
    return found


def drift_of(kept: dict[TakeKind, TakeFigures], heard: StationLevels) -> str:
    """What stands out at the microphone in use, in one sentence; "" of nothing."""
    room = kept.get("room")
    floor = heard.noise_floor_dbfs
    if room and room.noise_floor_dbfs is not None and floor is not None:
        over = floor - room.noise_floor_dbfs
        if over > DRIFTED_DB:
            return (
                f"The room is {over:.0f} dB louder than at the sound check ({minus(floor)} dBFS). Find what "
                "runs, or check again."
            )
    usual, low, big = (kept.get(kind) for kind in ("usual", "low", "big"))
    peaks = heard.peaks_dbfs
    if usual and low and big and peaks is not None:
        if low.usual_peaks_dbfs is not None and peaks < low.usual_peaks_dbfs - DRIFTED_DB:
            return (
                f"Your voice arrives softer than your low voice at the sound check ({minus(peaks)} dBFS). Sit as "
                "you did, or check again."
            )
        if big.usual_peaks_dbfs is not None and peaks > big.usual_peaks_dbfs + DRIFTED_DB:
            return (
                f"Your voice arrives louder than your big voice at the sound check ({minus(peaks)} dBFS). Lean "
                "back, or check again."
            )
    return ""
