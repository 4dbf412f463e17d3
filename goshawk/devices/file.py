"""A sound file played as the microphone, and how files are read in.

Reading (decoding, checking, resampling) takes seconds for a long file and is done outside the audio
process, which then maps the finished samples into memory.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import soundfile
import soxr

from goshawk.core.device_readings import DeviceReading
from goshawk.core.stage import LOUDEST_LINEAR, Block
from goshawk.core.steps import Step
from goshawk.devices.base import play_loop
from goshawk.errors import BadSoundFile
from goshawk.units import SAMPLE_RATE_HZ

LONGEST_S = 30 * 60
RATES_HZ = (4_000, 384_000)
PLAYED_FORMATS = "WAV, FLAC or OGG"


def read_sound_file(
    path: Path, name: str | None = None, *, first_s: float | None = None
) -> tuple[Block, int]:
    """A WAV, FLAC or OGG file as float32 (frames, 1 or 2 channels) at 48 kHz, and its own rate; of a long one, only
    the ``first_s`` seconds, if that is asked for.

    It is read and converted piece by piece, so that no rate needs more memory than the result. Raises BadSoundFile
    with a sentence if it is no sound, no plain file, empty, longer than 30 minutes, cut short, of more than two
    channels, or holds NaN, infinity or samples far beyond full scale.
    """
    with _opened(path, name) as file:
        most_s = LONGEST_S if first_s is None else min(first_s, LONGEST_S)
        seconds = min(file.frames / file.samplerate, most_s) if _is_told(file) else most_s
        # Virtual memory, which is used as far as it is filled.
        sound = np.empty(
            (round(seconds * SAMPLE_RATE_HZ) + PIECE_FRAMES, file.channels), np.float32
        )
        at = 0
        for piece in _pieces(file, path, name or path.name, first_s):
            sound[at : at + len(piece)] = piece
            at += len(piece)
        return sound[:at], file.samplerate


def convert_sound_file(path: Path, name: str, target: Path) -> tuple[int, int, int]:
    """Write a file as prepared samples (``.npy``, see FileSource), without holding it in memory. Returns its own rate,
    channels, and frames at 48 kHz. Raises as ``read_sound_file`` does, and OSError; ``target`` is then to be removed."""
    with _opened(path, name) as file, target.open("wb") as out:
        described = {"descr": "<f4", "fortran_order": False, "shape": (0, file.channels)}
        # NumPy leaves room in a header for a length that is entered later.
        np.lib.format.write_array_header_1_0(out, described)
        frames = 0
        for piece in _pieces(file, path, name, None):
            out.write(np.ascontiguousarray(piece, "<f4").tobytes())
            frames += len(piece)
        out.seek(0)
        np.lib.format.write_array_header_1_0(out, described | {"shape": (frames, file.channels)})
        return file.samplerate, file.channels, frames


PIECE_FRAMES = 1 << 16
_UNTOLD_FRAMES = 1 << 62
"""libsndfile says a number beyond it of a FLAC whose writer could not go back to enter its length, as one from a pipe."""


def _is_told(file: soundfile.SoundFile) -> bool:
    return bool(0 < file.frames < _UNTOLD_FRAMES)


@contextmanager
def _opened(path: Path, name: str | None) -> Iterator[soundfile.SoundFile]:
    name = name or path.name
    if not path.exists():
        raise BadSoundFile(f"{name} does not exist. Check the path.")
    if not path.is_file():
        raise BadSoundFile(f"{name} is no file that can be read twice. Save the sound to a file.")
    try:
        with soundfile.SoundFile(path) as file:
            if file.channels > 2:
                raise BadSoundFile(
                    f"{name} has {file.channels} channels. Give a mono or stereo file."
                )
            if not RATES_HZ[0] <= file.samplerate <= RATES_HZ[1]:
                raise BadSoundFile(
                    f"{name} has a rate of {file.samplerate} Hz. Give one of 4 to 384 kHz."
                )
            if not _is_told(file):
                # libFLAC seeks in no stream of unknown length, and soundfile seeks after each piece of a file that
                # can: it is read as what it is, from one end to the other.
                file._info.seekable = 0
            yield file
    except soundfile.LibsndfileError:
        raise BadSoundFile(
            f"{name} cannot be read as sound. Give a {PLAYED_FORMATS} file."
        ) from None


def _pieces(
    file: soundfile.SoundFile, path: Path, name: str, first_s: float | None
) -> Iterator[Block]:
    """A file at 48 kHz, piece by piece."""
    rate_hz = file.samplerate
    too_long = f"{name} is longer than {LONGEST_S // 60} minutes. Cut it, and give a part."
    if first_s is None and _is_told(file) and file.frames > LONGEST_S * rate_hz:
        raise BadSoundFile(too_long)
    converter = (
        None
        if rate_hz == SAMPLE_RATE_HZ
        else soxr.ResampleStream(
            rate_hz, SAMPLE_RATE_HZ, file.channels, dtype="float32", quality="VHQ"
        )
    )
    there = 0
    wanted = None if first_s is None else round(first_s * rate_hz)
    while True:
        count = PIECE_FRAMES if wanted is None else min(PIECE_FRAMES, wanted - there)
        piece = file.read(count, dtype="float32", always_2d=True)
        there += len(piece)
        is_last = len(piece) < PIECE_FRAMES
        if there > LONGEST_S * rate_hz:
            raise BadSoundFile(too_long)
        if not np.isfinite(piece).all():
            raise BadSoundFile(
                f"{name} holds samples that are no numbers (NaN or infinity). Export it again."
            )
        if np.abs(piece).max(initial=0.0) > LOUDEST_LINEAR:
            raise BadSoundFile(
                f"{name} holds samples more than 60 dB above full scale. Export it again."
            )
        yield converter.resample_chunk(piece, last=is_last) if converter else piece
        if is_last:
            break
    if not there:
        raise BadSoundFile(f"{name} holds no sound. Give a file with at least one sample.")
    is_whole = wanted is None or there < wanted
    if is_whole and ((_is_told(file) and there < file.frames) or _promises_more(path)):
        raise BadSoundFile(
            f"{name} is cut short: it ends before its header says. Copy or export it again."
        )


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
        size = len(self._sound)
        if self.is_looped:
            self._position = play_loop(self._sound, self._position % size, block)
            return
        played = min(size - self._position, len(block))
        block[:played] = self._sound[self._position : self._position + played]
        block[played:] = np.float32(0.0)
        self._position += played

    def steps(self) -> tuple[Step, ...] | None:
        return None

    def status(self) -> DeviceReading:
        ended = not self.is_looped and self._position >= len(self._sound)
        return {
            "state": "ended" if ended else "playing",
            "position_s": round(self._position / SAMPLE_RATE_HZ, 1),
            "duration_s": round(len(self._sound) / SAMPLE_RATE_HZ, 1),
        }
