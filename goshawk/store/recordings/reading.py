"""Pieces of a recording's tracks."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile

from goshawk.core.recording.document import Recording, Track
from goshawk.core.stage import Block
from goshawk.errors import BadRecording
from goshawk.units import SAMPLE_RATE_HZ

PIECE_FRAMES = 10 * SAMPLE_RATE_HZ


def read_piece(folder: Path, track: Track, first: int, frames: int) -> Block:
    """Frames of a track, shape (frames, channels); silence beyond its end. Raises BadRecording if its file cannot be read."""
    try:
        with soundfile.SoundFile(folder / track.file) as file:
            if file.samplerate != SAMPLE_RATE_HZ:
                raise BadRecording(
                    f"{track.file} has {file.samplerate} Hz now. It was exchanged: put the recorded one back."
                )
            out = np.zeros((frames, file.channels), np.float32)
            if first < file.frames:
                file.seek(first)
                found = file.read(min(frames, file.frames - first), "float32", always_2d=True)
                out[: len(found)] = found
            return out
    except (OSError, soundfile.LibsndfileError):
        raise BadRecording(
            f"{folder.name}/{track.file} cannot be read. It may be damaged or gone; the other tracks are as they were."
        ) from None


def pieces_of(
    folder: Path, recording: Recording, sources: list[str], first: int, end: int
) -> Iterator[dict[str, Block]]:
    """Tracks from ``first`` to ``end``, piece by piece. Raises BadRecording."""
    tracks = [one for one in recording.tracks if one.source in sources]
    for start in range(first, end, PIECE_FRAMES):
        count = min(PIECE_FRAMES, end - start)
        yield {one.source: read_piece(folder, one, start, count) for one in tracks}
