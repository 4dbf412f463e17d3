"""How each input of the Viewers feed stands against its target.

The targets are the user's own. Their defaults (voice peaks at -7 dBFS, game 12 dB and music 18 dB
below) are this project's starting points, not a standard's; they are declared in ``core/rig.py``.
"""

from typing import Literal

from pydantic import BaseModel

from goshawk.core.rig import Rig

CLEARANCE_TOLERANCE_DB = 2.0
"""Nearer than this counts as on target: the measured peaks of a lively game wander by as much."""

Verdict = Literal["waiting", "on target", "too loud", "too quiet"]


class Standing(BaseModel):
    """One input against its target. ``off_db`` is positive when it is too loud."""

    verdict: Verdict
    target_peaks_dbfs: float
    tolerance_db: float
    off_db: float | None
    text: str


def _standing(target: float, tolerance: float, off_db: float | None, waits_for: str) -> Standing:
    if off_db is None:
        verdict: Verdict = "waiting"
        text = f"waiting for {waits_for}"
    elif abs(off_db) <= tolerance:
        verdict, text = "on target", "on target"
    else:
        verdict = "too loud" if off_db > 0 else "too quiet"
        text = f"{abs(off_db):.0f} dB {verdict}"
    return Standing(
        verdict=verdict, target_peaks_dbfs=target, tolerance_db=tolerance, off_db=off_db, text=text
    )


def standings(
    peaks_dbfs: dict[str, float | None], clearance_db: dict[str, float | None], rig: Rig
) -> dict[str, Standing]:
    """The voice of the chain by its peaks, every other input by the clearance that the voice has
    over it; by the input's id. Inputs that viewers do not hear have no standing."""
    targets = rig.targets
    voice = peaks_dbfs.get(rig.chained)
    target = targets.voice_peaks_dbfs
    found = {}
    for one in rig.inputs:
        if not one.sends.viewers.is_heard:
            continue
        if one.id == rig.chained:
            found[one.id] = _standing(
                target,
                targets.voice_tolerance_db,
                None if voice is None else voice - target,
                "half a second of speech",
            )
            continue
        wanted_db = targets.clearance_db(one.role)
        clearance = clearance_db.get(one.id)
        found[one.id] = _standing(
            target - wanted_db,
            CLEARANCE_TOLERANCE_DB,
            None if clearance is None else wanted_db - clearance,
            "speech" if voice is None else "sound",
        )
    return found
