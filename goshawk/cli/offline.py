"""Rendering a file through the voice chain: the same graph as live, driven without a clock."""

from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from goshawk.core.graph.chain import VoiceChain
from goshawk.core.preset import Preset, read_preset
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
    chain = VoiceChain(preset.chain, sound.shape[1], block_frames)
    latency = chain.latency_frames
    tail = np.zeros((latency if is_aligned else 0, sound.shape[1]), np.float32)
    out = np.concatenate([sound, tail])
    for start in range(0, len(out), block_frames):
        chain.process(out[start : start + block_frames])
    return (out[latency:] if is_aligned else out), latency


def render_file(
    source: Path, target: Path, preset_path: Path | None, block_frames: int, is_aligned: bool
) -> dict[str, Any]:
    """Render ``source`` into ``target``. Raises BadInput with a sentence."""
    if target.suffix.lower() not in _FORMATS:
        raise BadInput(f"{target.name} should end in .wav, .flac or .ogg.")
    preset = Preset()
    if preset_path:
        try:
            preset = read_preset(preset_path.read_bytes())
        except OSError as error:
            raise BadPreset(
                f"{preset_path} cannot be read ({error.strerror}). Check the path."
            ) from None
    sound, rate_hz = read_sound_file(source)
    out, latency = render_chain(sound, preset, block_frames, is_aligned)
    kind, subtype = _FORMATS[target.suffix.lower()]
    try:
        soundfile.write(target, out, SAMPLE_RATE_HZ, format=kind, subtype=subtype)
    except (OSError, soundfile.LibsndfileError):
        raise BadInput(f"{target} cannot be written. Check the folder and its rights.") from None
    return {
        "duration_s": round(len(out) / SAMPLE_RATE_HZ, 3),
        "sample_rate_hz": SAMPLE_RATE_HZ,
        "source_rate_hz": rate_hz,
        "channels": out.shape[1],
        "latency_ms": round(frames_to_ms(latency), 2),
        "is_aligned": is_aligned,
        "preset": preset.name,
    }
