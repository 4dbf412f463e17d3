"""One track's file while it is written, by libsndfile. Every write reaches the system at once, so that the end of this
process costs nothing of it."""

import contextlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from goshawk.core.record_settings import TrackFormat
from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ

FULL_SCALE_24 = float(1 << 23)
FLAC_LEVEL = 0.4
"""Of libsndfile's scale: FLAC's level 3, a few per cent larger than the usual one for two thirds of its work."""

FLAC_BLOCK_FRAMES = 4096
"""At that level: what a cut can lose of a track at most, and where tracks can be cut alike."""

_KINDS: dict[TrackFormat, tuple[str, str]] = {
    "flac": ("FLAC", "PCM_24"),
    "wav": ("RF64", "PCM_24"),
    "opus": ("OGG", "OPUS"),
}

# Commands of libsndfile (its header sndfile.h) that soundfile has no name for.
_UPDATE_HEADER_AUTO, _RF64_AUTO_DOWNGRADE, _OGG_PAGE_LATENCY_MS = 0x1061, 0x1210, 0x1302
_OPUS_PAGE_MS = 200.0


class TrackFile:
    """Appends sound of 48 kHz. Raises OSError where the disk takes nothing more."""

    def __init__(self, path: Path, channels: int, file_format: TrackFormat) -> None:
        kind, subtype = _KINDS[file_format]
        level = {"compression_level": FLAC_LEVEL} if file_format == "flac" else {}
        self.path = path
        self._is_whole_numbers = file_format != "opus"
        with _as_os_error(path):
            self._file = soundfile.SoundFile(
                path, "x", SAMPLE_RATE_HZ, channels, subtype, format=kind, **level
            )
        if file_format == "wav":
            # A plain WAV file until it needs more than 4 GB (EBU Tech 3306), with its length always right.
            self._command(_RF64_AUTO_DOWNGRADE, None, 1)
            self._command(_UPDATE_HEADER_AUTO, None, 1)
        elif file_format == "opus":
            self._command(_OGG_PAGE_LATENCY_MS, _OPUS_PAGE_MS, 8)

    def _command(self, command: int, value: float | None, size: int) -> None:
        # What soundfile keeps to itself, used here alone (``system/libraries.py``): the library, and its handle of the file.
        library, ffi = soundfile._snd, soundfile._ffi
        data = ffi.NULL if value is None else ffi.new("double *", value)
        library.sf_command(self._file._file, command, data, size)

    def write(self, sound: Block) -> None:
        """Append a block, shape (frames, channels)."""
        with _as_os_error(self.path):
            self._file.write(whole_numbers(sound) if self._is_whole_numbers else sound)

    def flush(self) -> None:
        """Have the system bring it to the disk, so that not even a power cut costs it."""
        with _as_os_error(self.path):
            self._file.flush()

    def close(self) -> None:
        """It is whole."""
        with _as_os_error(self.path):
            self._file.close()

    def give_up(self) -> None:
        """Close it as well as can be: its disk may be gone."""
        with contextlib.suppress(Exception):
            self._file.close()


def whole_numbers(sound: Block) -> Any:
    """A sound as numbers of 24 bits, in the upper part of 32; beyond full scale it is held there."""
    steps = np.rint(sound.astype(np.float64) * FULL_SCALE_24)
    np.clip(steps, -FULL_SCALE_24, FULL_SCALE_24 - 1.0, out=steps)
    return steps.astype(np.int32) << 8


@contextlib.contextmanager
def _as_os_error(path: Path) -> Iterator[None]:
    """libsndfile's own errors while writing are the disk's."""
    try:
        yield
    except (soundfile.LibsndfileError, AssertionError) as error:
        # Fewer frames were taken than given, or none.
        raise OSError(f"{path.name} could not be written") from error
