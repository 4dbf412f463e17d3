"""The lanes of an evening: which there are, how they are drawn, and what is wanted of each."""

from typing import Literal

from pydantic import BaseModel

from goshawk.core.measure.intelligibility import GOOD_SII
from goshawk.core.rig import Rig
from goshawk.core.rules.balance import CLEARANCE_TOLERANCE_DB
from goshawk.core.text.figures import minus
from goshawk.core.watch import second as columns
from goshawk.core.watch.second import Lanes

MOST_CLEARANCES = 3
CLEARANCE_ROOM_DB = 4.0
"""A voice may stand so much further above another input than is wanted before it seems cut out of the scene."""

LOUDNESS_ROOM_LU = 2.0

Hue = Literal["voice", "game", "music", "call", "text", "noise"]


class Lane(BaseModel):
    """A line over an evening (from ``low`` to ``high``, wanted from ``band_low`` to ``band_high``), or (``is_share``) a bar where
    something was so. ``hue`` is whose colour it has; ``column`` where its values stand."""

    column: str
    name: str
    wanted: str = ""
    hue: Hue
    is_share: bool = False
    low: float = 0.0
    high: float = 1.0
    band_low: float = 0.0
    band_high: float = 1.0
    digits: int = 1
    unit: str = ""


class DrawnLanes(Lanes):
    """Values, and how they are drawn."""

    drawn: list[Lane]


def lanes_of(rig: Rig) -> list[Lane]:
    """What is drawn of an evening with a rig, from above."""
    targets = rig.targets
    backgrounds = [one for one in rig.inputs if one.role != "voice"][:MOST_CLEARANCES]
    found = []
    for one in backgrounds:
        wanted = targets.clearance_db(one.role)
        found.append(
            Lane(
                column=columns.over(one.id),
                name=f"Above {one.name}",
                wanted=f"target {minus(wanted)} dB",
                hue="noise" if one.role == "other" else one.role,
                low=wanted - 16.0,
                high=wanted + 12.0,
                band_low=wanted - CLEARANCE_TOLERANCE_DB,
                band_high=wanted + CLEARANCE_ROOM_DB,
                unit="dB",
            )
        )
    peaks, near, loud = (
        targets.voice_peaks_dbfs,
        targets.voice_tolerance_db,
        targets.loudness_lufs,
    )
    found += [
        Lane(
            column=columns.VOICE_PEAKS,
            name="Voice peaks",
            wanted=f"target {minus(peaks - near)} … {minus(peaks + near)}",
            hue="voice",
            low=peaks - 14.0,
            high=peaks + 8.0,
            band_low=peaks - near,
            band_high=peaks + near,
            unit="dBFS",
        ),
        Lane(
            column=columns.LOUDNESS,
            name="Loudness",
            wanted=f"target {minus(loud)} LUFS",
            hue="text",
            low=loud - 16.0,
            high=loud + 8.0,
            band_low=loud - LOUDNESS_ROOM_LU,
            band_high=loud + LOUDNESS_ROOM_LU,
            unit="LUFS",
        ),
        Lane(
            column=columns.WORDS,
            name="Intelligibility",
            wanted=f"good: {GOOD_SII} or more",
            hue="voice",
            band_low=GOOD_SII,
            digits=2,
        ),
        Lane(column=columns.VIEWERS, name="Viewers hear you", hue="voice", is_share=True),
    ]
    if any(one.role == "call" for one in rig.inputs):
        found.append(Lane(column=columns.CALL, name="Call hears you", hue="call", is_share=True))
    return [
        *found,
        Lane(column=columns.RECORDING, name="Recording", hue="noise", is_share=True),
    ]
