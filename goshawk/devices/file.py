"""A sound file played as the microphone, and how files are read in.

Reading (decoding, checking, resampling) takes seconds for a long file and is done outside the audio
process, which then maps the finished samples into memory.
"""

from pathlib import Path
from typing import Any

import numpy as np
import soundfile
import soxr

from goshawk.core.stage import Block
from goshawk.devices.base import play_loop
from goshawk.errors import BadSoundFile
from goshawk.units import SAMPLE_RATE_HZ

LONGEST_S = 30 * 60
RATES_HZ = (4_000, 384_000)
PLAYED_FORMATS = "WAV, FLAC or OGG"


def read_sound_file(path: Path, name: str | None = None) -> tuple[Block, int]:
    """A WAV, FLAC or OGG file as float32 (frames, 1 or 2 channels) at 48 kHz, and its own rate.

    Raises BadSoundFile with a sentence if it is no sound, empty, longer than 30 minutes, cut short,
    of more than two channels, or holds NaN or infinity.
    """
    name = name or path.name
    if not path.exists():
        raise BadSoundFile(f"{name} does not exist. Check the path.")
    try:
        with soundfile.SoundFile(path) as file:
            rate_hz, channels, frames = file.samplerate, file.channels, file.frames
            if channels > 2:
                raise BadSoundFile(f"{name} has {channels} channels. Give a mono or stereo file.")
            if not RATES_HZ[0] <= rate_hz <= RATES_HZ[1]:
                raise BadSoundFile(f"{name} has a rate of {rate_hz} Hz. Give one of 4 to 384 kHz.")
            if frames > LONGEST_S * rate_hz:
                raise BadSoundFile(
                    f"{name} is longer than {LONGEST_S // 60} minutes. Cut it, and give a part."
                )
            sound = file.read(dtype="float32", always_2d=True)
    except (soundfile.LibsndfileError, OSError, RuntimeError):
        raise BadSoundFile(
            f"{name} cannot be read as sound. Give a {PLAYED_FORMATS} file."
        ) from None
    if not len(sound):
        raise BadSoundFile(f"{name} holds no sound. Give a file with at least one sample.")
    if len(sound) < frames or _promises_more(path):
        raise BadSoundFile(
            f"{name} is cut short: it ends before its header says. Copy or export it again."
        )
    if not np.isfinite(sound).all():
        raise BadSoundFile(
            f"{name} holds samples that are no numbers (NaN or infinity). Export it again."
        )
    if rate_hz != SAMPLE_RATE_HZ:
        sound = soxr.resample(sound, rate_hz, SAMPLE_RATE_HZ, quality="VHQ")
    return np.ascontiguousarray(sound, np.float32), rate_hz


def _promises_more(path: Path) -> bool:
    """Whether a RIFF file's data chunk is larger than the file (libsndfile silently cuts it)."""
    with path.open("rb") as file:
        head = file.read(12)
        if head[:4] != b"RIFF" or head[8:] != b"WAVE":
            return False
        size = path.stat().st_size
        while len(chunk := file.read(8)) == 8:
            length = int.from_bytes(chunk[4:], "little")
            # Recorders that could not go back write 0 or the greatest number: not a promise.
            if chunk[:4] == b"data":
                return 0 < length < 0xFFFFFF00 and file.tell() + length > size
            file.seek(length + (length & 1), 1)
    return False


class FileSource:
    """Plays prepared samples (a ``.npy`` of shape (frames, channels) at 48 kHz), looped or once."""

    def __init__(self, path: Path, is_looped: bool) -> None:
        # Mapped, not read: the loop never waits for a 30-minute file. Copy-on-write, because a
        # read-only array would need a kernel compiled for it alone.
        self._sound: Block = np.asarray(np.load(path, mmap_mode="c"))
        self.channels = self._sound.shape[1]
        self.is_looped = is_looped
        self._position = 0

    def read(self, block: Block) -> None:
        left = len(self._sound) - self._position
        if self.is_looped or left >= len(block):
            self._position = play_loop(self._sound, self._position, block)
            return
        block.fill(np.float32(0.0))
        block[:left] = self._sound[self._position :]
        self._position = len(self._sound)

    def status(self) -> dict[str, Any]:
        ended = not self.is_looped and self._position >= len(self._sound)
        return {
            "state": "ended" if ended else "playing",
            "position_s": round(self._position / SAMPLE_RATE_HZ, 1),
            "duration_s": round(len(self._sound) / SAMPLE_RATE_HZ, 1),
        }
