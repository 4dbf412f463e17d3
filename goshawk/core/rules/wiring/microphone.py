"""What is wrong with the voices' own signals."""

from collections.abc import Iterator

from goshawk.core.measure.microphone import OPPOSITE, MicrophoneHealth
from goshawk.core.routing import InputSettings
from goshawk.core.rules.finding import Finding, Mend
from goshawk.core.rules.staging import microphone_clips
from goshawk.core.rules.wiring.echoes import _sides
from goshawk.core.rules.wiring.wired import Wired
from goshawk.core.text.figures import minus
from goshawk.units import CLIPPED_DBFS

OFFSET_DBFS = -40.0
"""A constant offset above this costs headroom at the converter, and no later stage gives it back."""


HUM_DBFS = -60.0
"""Hum under this drowns in the noise of a room."""


_SIDES = ("left", "right")


def microphones(wired: Wired) -> Iterator[Finding]:
    """What is wrong with the voices' own signals; titles about others than the main voice begin with their names."""
    rig = wired.rig
    for one in rig.inputs:
        health = wired.health.get(one.id)
        if health is None or one.role != "voice":
            continue
        if one.id == rig.chained:
            yield from _of_voice(wired, one, health)
            continue
        for found in (*_clips(wired, one, health), *_of_voice(wired, one, health)):
            title = f"{one.name}: {found.title[0].lower()}{found.title[1:]}"
            yield found.model_copy(update={"title": title})


def _clips(wired: Wired, one: InputSettings, health: MicrophoneHealth) -> Iterator[Finding]:
    """The main voice's converter is looked at with every figure (see ``staging``), the others' with their health."""
    highest = max(health.peaks_dbfs)
    if highest >= CLIPPED_DBFS:
        found = microphone_clips(highest, one, wired.rig, wired.known)
        yield found.model_copy(
            update={"key": f"{found.code}:{one.id}", "marks": [f"inputs.{one.id}.device"]}
        )


def _of_voice(wired: Wired, one: InputSettings, health: MicrophoneHealth) -> Iterator[Finding]:
    taken = sorted(_sides(one))
    dead = health.dead_side
    is_stereo_device = wired.devices.get(one.device, {}).get("channels", 2) == 2
    if dead is not None and dead in taken and is_stereo_device:
        alive = _SIDES[1 - dead]
        wrong = one.channels == _SIDES[dead]
        yield Finding(
            code="microphone_in_one_ear",
            key=f"microphone_in_one_ear:{one.id}",
            title="The other channel has the microphone"
            if wrong
            else "The microphone is in one ear",
            text=f"The {_SIDES[dead]} channel of {wired.label(one.device)} is dead "
            f"({minus(health.peaks_dbfs[dead])} dBFS), the {alive} one has the voice"
            + (
                "."
                if wrong
                else f". As {'a stereo pair it is heard on one side' if one.channels == 'stereo' else 'a sum it loses 6 dB'}."
            ),
            marks=[f"inputs.{one.id}.channels"],
            mend=Mend(
                label=f"Take the {alive} channel", changes={f"inputs.{one.id}.channels": alive}
            ),
            evidence="measured over the last 8 s",
        )
    if health.correlation < OPPOSITE and len(taken) == 2:
        yield Finding(
            code="opposite_polarity",
            key=f"opposite_polarity:{one.id}",
            title="Left and right are upside down to each other",
            text="One channel is the other turned over, so their sum loses the voice. "
            "Take one of them, and check the cable.",
            badness=-10.0 * health.correlation,
            marks=[f"inputs.{one.id}.channels"],
            mend=Mend(label="Take the left channel", changes={f"inputs.{one.id}.channels": "left"}),
            evidence=f"correlation of left and right {minus(health.correlation, 2)}",
        )
    side = next((s for s in taken if s != dead), 0)
    flat = health.flat_tops_dbfs[side]
    if flat is not None and flat < CLIPPED_DBFS:
        yield Finding(
            code="flat_tops",
            key=f"flat_tops:{one.id}",
            title="The voice is clipped ahead of Goshawk",
            text=f"Its peaks are cut off flat at {minus(flat, 1)} dBFS, under full scale: something before "
            "the converter is too loud. Turn down the microphone's or the mixer's own gain.",
            badness=-flat,
            marks=[f"inputs.{one.id}.device"],
            evidence="peaks that stay level for six samples and more",
        )
    offset = health.offsets_dbfs[side]
    if offset > OFFSET_DBFS:
        yield Finding(
            code="constant_offset",
            key=f"constant_offset:{one.id}",
            title="A constant offset costs headroom",
            text=f"The microphone's signal stands {minus(offset)} dBFS off the middle. The trim takes it "
            "away, but the converter's room is lost: try another cable or socket.",
            badness=offset,
            marks=[f"inputs.{one.id}.device"],
        )
    hum = health.hums[side]
    if hum and hum.level_dbfs > HUM_DBFS:
        yield Finding(
            code="hum",
            key=f"hum:{one.id}",
            title=f"Hum at {hum.frequency_hz} Hz",
            text=f"Mains hum with its harmonics, {minus(hum.level_dbfs)} dBFS together. Keep the "
            "microphone's cable away from power supplies, and feed both from one socket.",
            badness=hum.level_dbfs,
            marks=[f"inputs.{one.id}.device"],
        )
