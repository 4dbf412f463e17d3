"""A take of the sound check that is given as a file."""

from pathlib import Path

from goshawk.core.measure.take import LEAST_TAKE_S, mono_of
from goshawk.core.sound_check.takes import LONGEST_TAKE_S
from goshawk.core.stage import Block
from goshawk.devices.file import read_sound_file
from goshawk.errors import BadSoundFile
from goshawk.units import SAMPLE_RATE_HZ


def read_take_file(path: Path, name: str | None = None) -> tuple[Block, int]:
    """The beginning of a file as one channel, shape (frames, 1), as long as a check listens to, and the file's own
    rate. Raises BadSoundFile, also if it is too short to tell anything."""
    sound, rate_hz = read_sound_file(path, name, first_s=LONGEST_TAKE_S)
    if len(sound) < LEAST_TAKE_S * SAMPLE_RATE_HZ:
        raise BadSoundFile(
            f"{name or path.name} is too short: {len(sound) * 1000 // SAMPLE_RATE_HZ} ms. Record some seconds."
        )
    return mono_of(sound[: round(LONGEST_TAKE_S * SAMPLE_RATE_HZ)]), rate_hz
