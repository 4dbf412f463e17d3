"""How each input of the Viewers feed stands against its target, and what brings it there.

The targets are the user's own. Their defaults (voice peaks at -7 dBFS, game 12 dB and music 18 dB
below) are this project's starting points, not a standard's; they are declared in ``core/rig.py``.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from goshawk.core.measure.clearance import (
    PEAKS_PERCENTILE,
    background_peaks_dbfs,
    sounding_s,
    voice_peaks_dbfs,
)
from goshawk.core.measure.levels import SPEECH
from goshawk.core.measure.percentiles import percentiles
from goshawk.core.rig import Rig, changed_together
from goshawk.core.routing import MOST_TRIM_DB, InputSettings
from goshawk.core.stage import Floats

CLEARANCE_TOLERANCE_DB = 2.0
"""Nearer than this counts as on target: the measured peaks of a lively game wander by as much."""

LEAST_HEARD_S = 5.0
"""So much speech, and so much of the other input, before a trim is computed: two sentences, a bar of music."""

PARTS = 3
"""How sure a level is, is told from the same percentile in so many parts of the window."""

Verdict = Literal["waiting", "on target", "too loud", "too quiet"]


class Standing(BaseModel):
    """One input against its target. ``off_db`` is positive when it is too loud; ``clearance_wanted_db`` is None for
    the voice."""

    verdict: Verdict
    target_peaks_dbfs: float
    clearance_wanted_db: float | None
    tolerance_db: float
    off_db: float | None
    text: str


def _standing(one: InputSettings, rig: Rig, off_db: float | None, is_voice_heard: bool) -> Standing:
    targets = rig.targets
    is_voice = one.id == rig.chained
    wanted_db = None if is_voice else targets.clearance_db(one.role)
    tolerance_db = targets.voice_tolerance_db if is_voice else CLEARANCE_TOLERANCE_DB
    if one.is_muted:
        verdict: Verdict = "waiting"
        text = "muted"
    elif off_db is None:
        verdict = "waiting"
        waits = "half a second of speech" if is_voice else "sound" if is_voice_heard else "speech"
        text = f"waiting for {waits}"
    elif abs(off_db) <= tolerance_db:
        verdict = text = "on target"
    else:
        verdict = "too loud" if off_db > 0 else "too quiet"
        text = f"{abs(off_db):.0f} dB {verdict}"
    return Standing(
        verdict=verdict,
        target_peaks_dbfs=targets.voice_peaks_dbfs - (wanted_db or 0.0),
        clearance_wanted_db=wanted_db,
        tolerance_db=tolerance_db,
        off_db=off_db,
        text=text,
    )


def standings(
    peaks_dbfs: Mapping[str, float | None], clearance_db: Mapping[str, float | None], rig: Rig
) -> dict[str, Standing]:
    """The voice of the chain by its peaks, every other input by the clearance that the voice has
    over it; by the input's id. Inputs that viewers do not hear have no standing."""
    targets = rig.targets
    voice = peaks_dbfs.get(rig.chained)
    found = {}
    for one in rig.inputs:
        if not one.sends.viewers.is_heard:
            continue
        if one.id == rig.chained:
            off_db = None if voice is None else voice - targets.voice_peaks_dbfs
        else:
            clearance = clearance_db.get(one.id)
            off_db = None if clearance is None else targets.clearance_db(one.role) - clearance
        found[one.id] = _standing(one, rig, off_db, voice is not None)
    return found


@dataclass(frozen=True)
class PeaksHeard:
    """The 10 ms peaks of what every input brings to the viewers over one window, in dBFS by its id, at the gains
    in force now, and the activity of the same hops."""

    peaks_dbfs: dict[str, Floats]
    activity: NDArray[np.integer]


class Move(BaseModel):
    """A trim that brings an input to its target: by how much, and what is said of it. ``sure_db``: how far the
    same measure lies apart in parts of the window; None where it cannot be done, and ``text`` says why."""

    input_id: str
    by_db: float | None
    trim_db: float
    sure_db: float | None
    text: str


def _spread(peaks: Floats, level: Callable[[Floats], float | None]) -> float:
    """Half of how far a level lies apart in parts of a window."""
    found = [one for part in np.array_split(peaks, PARTS) if (one := level(part)) is not None]
    return (max(found) - min(found)) / 2.0 if found else 0.0


def _speech_level(peaks: Floats) -> float | None:
    return percentiles(peaks, PEAKS_PERCENTILE)[0] if len(peaks) else None


def _needed_db(peaks: Floats, wanted_dbfs: float) -> float:
    """By how much a background input must be moved. Which hops count as playing depends on its level."""
    by_db = 0.0
    for _ in range(5):
        now = background_peaks_dbfs(peaks + by_db)
        if now is None:
            break
        by_db += wanted_dbfs - now
    return by_db


def moves(heard: PeaksHeard, rig: Rig, input_id: str = "") -> list[Move]:
    """What brings one input, or all, to its target. The voice's own move counts for the others when all are
    brought; of one alone the voice stays as it is."""
    speech = heard.peaks_dbfs.get(rig.chained, np.zeros(0))
    speech = speech[heard.activity[: len(speech)] == SPEECH]
    voice_dbfs = voice_peaks_dbfs(speech, np.full(len(speech), SPEECH))
    made = []
    for one in sorted(rig.inputs, key=lambda one: one.id != rig.chained):
        if input_id and one.id != input_id:
            continue
        if one.id not in heard.peaks_dbfs or not one.sends.viewers.is_heard or one.is_muted:
            if input_id:
                made.append(_stays(one, f"Viewers do not hear {one.name}: unmute it first."))
            continue
        peaks = heard.peaks_dbfs[one.id]
        move = _move(one, rig, None if one.id == rig.chained else peaks, speech, voice_dbfs)
        made.append(move)
        if one.id == rig.chained and voice_dbfs is not None:
            voice_dbfs += move.by_db or 0.0
    return made


def _move(
    one: InputSettings, rig: Rig, peaks: Floats | None, speech: Floats, voice_dbfs: float | None
) -> Move:
    """Of the voice, or of another input with its ``peaks``; from the peaks in speech and the level that they have,
    or will have."""
    heard = [("speech", len(speech) / 100.0)]
    if peaks is not None:
        heard.append((one.name, sounding_s(peaks)))
    short = [f"{s:.0f} s of {what}" for what, s in heard if s < LEAST_HEARD_S]
    if short or voice_dbfs is None:
        return _stays(
            one,
            f"{one.name} stays: only {' and '.join(short)} in the last half minute, "
            f"{LEAST_HEARD_S:.0f} are needed.",
        )
    sure_db = _spread(speech, _speech_level)
    if peaks is None:
        by_db = rig.targets.voice_peaks_dbfs - voice_dbfs
    else:
        by_db = _needed_db(peaks, voice_dbfs - rig.targets.clearance_db(one.role))
        sure_db += _spread(peaks, background_peaks_dbfs)
    trim_db = round(max(-MOST_TRIM_DB, min(MOST_TRIM_DB, one.trim_db + by_db)), 1)
    moved_db = trim_db - one.trim_db
    missing_db = abs(by_db - moved_db)
    text = f"{one.name} {abs(moved_db):.1f} dB {'down' if moved_db < 0 else 'up'}"
    if abs(moved_db) < 0.05:
        text = f"{one.name} {'stays' if missing_db > 0.1 else 'is on target'}"
    if missing_db > 0.1:
        text += f", as far as its trim goes; {missing_db:.1f} dB are missing"
    said = " and ".join(f"{s:.0f} s of {what}" for what, s in heard)
    return Move(
        input_id=one.id,
        by_db=round(moved_db, 1),
        trim_db=trim_db,
        sure_db=round(sure_db, 1),
        text=f"{text} (from {said}, sure to ±{sure_db:.1f} dB)",
    )


def _stays(one: InputSettings, text: str) -> Move:
    return Move(input_id=one.id, by_db=None, trim_db=one.trim_db, sure_db=None, text=text)


HOLD_RANGE_DB = 6.0
"""A hold never goes further from the trim than this: beyond it, somebody should look."""

HOLD_STEP_DB = 0.25
"""In a second: too slow to be heard as pumping, quick enough for another level of a game."""

HOLD_REST_DB = 1.0
"""Nearer than this a hold leaves the input alone."""


def with_holds_let_go(before: Rig, after: Rig, held_db: dict[str, float]) -> Rig:
    """The rig after a change, with what a hold had added taken into the trim of every input whose hold was switched
    off by it: nothing jumps."""
    was_held = {one.id for one in before.inputs if one.is_held}
    changes = {
        f"inputs.{one.id}.trim_db": max(
            -MOST_TRIM_DB, min(MOST_TRIM_DB, round(one.trim_db + held_db[one.id], 1))
        )
        for one in after.inputs
        if one.id in was_held and not one.is_held and held_db.get(one.id)
    }
    return changed_together(after, changes) if changes else after


def held_step(heard: PeaksHeard, rig: Rig, held_db: dict[str, float]) -> dict[str, float]:
    """Where the holds should be one second later, in dB by the input's id; those that cannot be told of stay.
    The voice is not held: its chain does that."""
    wanted = {
        one.id: held_db.get(one.id, 0.0)
        for one in rig.inputs
        if one.is_held and one.id != rig.chained
    }
    for name in wanted:
        move = next((one for one in moves(heard, rig, name) if one.input_id == name), None)
        if move and move.by_db is not None and abs(move.by_db) > HOLD_REST_DB:
            gone = wanted[name] + max(-HOLD_STEP_DB, min(HOLD_STEP_DB, move.by_db))
            wanted[name] = round(max(-HOLD_RANGE_DB, min(HOLD_RANGE_DB, gone)), 2)
    return wanted
