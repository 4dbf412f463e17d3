"""Rendering a file through the voice chain: the same graph as live, driven without a clock."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from goshawk.core.chain_slots import Chain
from goshawk.core.measure.room import learn_room, settled
from goshawk.core.measure.take import mono_of
from goshawk.core.preset import Preset, make_preset, read_preset
from goshawk.core.rendering import chain_latency_frames, render
from goshawk.core.rig import Rig, changed
from goshawk.core.routing import InputSettings
from goshawk.core.stage import Block
from goshawk.devices.file import read_sound_file
from goshawk.errors import BadInput, BadPreset
from goshawk.units import SAMPLE_RATE_HZ, frames_to_ms

_FORMATS = {".wav": ("WAV", "FLOAT"), ".flac": ("FLAC", "PCM_24"), ".ogg": ("OGG", "VORBIS")}


def render_chain(
    sound: Block, preset: Preset, block_frames: int, is_aligned: bool
) -> tuple[Block, int]:
    """The voice after the chain, shape as ``sound``, and the chain's latency in frames.

    Aligned, the latency is taken out and the length stays; otherwise the sound begins late by it
    and its last part is cut."""
    if not is_aligned:
        return render(sound, preset.chain, block_frames)
    latency = chain_latency_frames(preset.chain)
    tail = np.zeros((latency, sound.shape[1]), np.float32)
    out, _ = render(np.concatenate([sound, tail]), preset.chain, block_frames)
    return out[latency:], latency


def load_preset_file(path: Path | None) -> Preset:
    """The preset in a file, or the whole chain of the demo. Raises BadPreset."""
    if path is None:
        return Preset()
    try:
        return read_preset(path.read_bytes())
    except OSError as error:
        raise BadPreset(f"{path} cannot be read ({error.strerror}). Check the path.") from None


def write_preset(preset: Preset, target: Path) -> None:
    """Write a preset's JSON. Raises BadPreset."""
    try:
        target.write_text(preset.model_dump_json(indent=1), encoding="utf-8")
    except OSError as error:
        raise BadPreset(
            f"{target} cannot be written ({error.strerror}). Check the folder."
        ) from None


def adjusted(preset: Preset, only: str | None, settings: list[str]) -> Preset:
    """A preset with just the stages named in ``only`` ("gate,eq": ids or kinds), and single settings changed
    ("gate.range_db=30"). Raises BadPreset or BadSetting."""
    chain = preset.chain
    if only is not None:
        names = [name.strip() for name in only.split(",") if name.strip()]
        known = {name for slot in chain for name in (slot.id, slot.stage)}
        for name in names:
            if name not in known:
                raise BadPreset(
                    f"The preset has no stage {name!r}. It has {', '.join(slot.id for slot in chain)}."
                )
        chain = tuple(slot for slot in chain if slot.id in names or slot.stage in names)
    rig = _carrying(chain)
    for given in settings:
        path, equals, text = given.partition("=")
        stage, dot, setting = path.strip().partition(".")
        if not equals or not dot:
            raise BadPreset(f"{given!r} is not stage.setting=value, such as gate.range_db=30.")
        if not any(slot.id == stage for slot in chain):
            by_kind = [slot.id for slot in chain if slot.stage == stage]
            if len(by_kind) != 1:
                raise BadPreset(
                    f"The preset has no one stage {stage!r}. It has "
                    f"{', '.join(slot.id for slot in chain)}."
                )
            stage = by_kind[0]
        inside = setting if setting == "is_bypassed" else f"settings.{setting}"
        rig = changed(rig, f"{rig.stage_path(stage)}.{inside}", _value(text.strip()))
    return make_preset(preset.name, preset.description, rig.inputs[0].chain)


def _value(text: str) -> object:
    """A number, true or false where it reads as one."""
    try:
        return json.loads(text)
    except ValueError:
        return text


def _carrying(chain: Chain) -> Rig:
    """A rig of one input that has the chain, whatever its stages."""
    return Rig(inputs=(InputSettings(id="sound", name="Sound", chain=chain),), chained="")


def with_room(preset: Preset, recording: Path) -> tuple[Preset, str]:
    """The preset with every suppressor knowing the room of a quiet recording, as it arrives there through the
    stages before, and "". If that cannot be, the preset as it is, and the sentence why. Raises BadInput if the
    recording cannot be read."""
    sound = mono_of(read_sound_file(recording)[0])
    suppressors = [slot for slot in preset.chain if slot.stage == "suppressor"]
    if not suppressors:
        return preset, "The preset has no suppressor to learn the room, so it was left out."
    rig = _carrying(preset.chain)
    for slot in suppressors:
        before = rig.inputs[0].chain[: preset.chain.index(slot)]
        # A gate ahead of it would hide the room.
        open_stages = tuple(one for one in before if one.stage != "gate")
        arriving, latency = render(sound, open_stages)
        take = learn_room(settled(arriving[latency:, 0].astype(np.float64)))
        if take.room is None:
            return (
                preset,
                f"{recording.name} was left out, and the room is followed. {take.refusal}",
            )
        rig = changed(
            rig, f"{rig.stage_path(slot.id)}.settings.room", take.room.model_dump(mode="json")
        )
    return make_preset(preset.name, preset.description, rig.inputs[0].chain), ""


def check_sound_name(target: Path) -> None:
    """Before the work is done. Raises BadInput if a name asks for no format that can be written."""
    if target.suffix.lower() not in _FORMATS:
        raise BadInput(f"{target.name} should end in .wav, .flac or .ogg.")


def write_sound(target: Path, sound: Block) -> None:
    """Write a sound of 48 kHz in the format that the name asks for. Raises BadInput."""
    check_sound_name(target)
    kind, subtype = _FORMATS[target.suffix.lower()]
    try:
        soundfile.write(target, sound, SAMPLE_RATE_HZ, format=kind, subtype=subtype)
    except (OSError, soundfile.LibsndfileError):
        raise BadInput(f"{target} cannot be written. Check the folder and its rights.") from None


def render_file(
    source: Path, target: Path, preset: Preset, block_frames: int, is_aligned: bool
) -> dict[str, Any]:
    """Render ``source`` into ``target``. Raises BadInput with a sentence."""
    check_sound_name(target)
    sound, rate_hz = read_sound_file(source)
    out, latency = render_chain(sound, preset, block_frames, is_aligned)
    write_sound(target, out)
    return {
        "duration_s": round(len(out) / SAMPLE_RATE_HZ, 3),
        "sample_rate_hz": SAMPLE_RATE_HZ,
        "source_rate_hz": rate_hz,
        "channels": out.shape[1],
        "latency_ms": round(frames_to_ms(latency), 2),
        "is_aligned": is_aligned,
        "preset": preset.name,
    }
