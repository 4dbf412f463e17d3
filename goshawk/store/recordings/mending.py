"""Recordings that broke off: every file is cut where all are whole, to the same length, and said so."""

import shutil
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile

from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.record_settings import TrackFormat
from goshawk.core.recording.document import DOCUMENT_NAME, Recording
from goshawk.core.recording.overview import PEAKS_NAME, peaks_of
from goshawk.errors import BadRecording
from goshawk.store.recordings.flac_end import CutFlac
from goshawk.store.recordings.folder import (
    COARSE_HOPS,
    JOURNAL_NAME,
    PeaksWriter,
    load_document,
    lock_left,
    write_document,
)
from goshawk.store.recordings.other_ends import cut_opus, cut_wav, opus_frames, wav_frames
from goshawk.store.recordings.track_file import FLAC_BLOCK_FRAMES
from goshawk.units import SAMPLE_RATE_HZ

FAR_SHORT_FRAMES = 30 * SAMPLE_RATE_HZ
"""A track that ends so much earlier than the others was damaged from outside: the others are not cut to it."""

_PIECE_ROWS = 60 * COARSE_HOPS


def is_left(folder: Path) -> bool:
    """Whether a recording was left running, by its files alone."""
    # The document comes last when a recording begins: by then it is locked.
    return (folder / JOURNAL_NAME).exists() and (folder / DOCUMENT_NAME).exists()


def mend(folder: Path) -> Recording | None:
    """Mend a recording that broke off; what it is now, or None if nothing had been recorded and it was removed. One that is
    whole, or still being written, is returned as it is. Raises BadRecording, OSError."""
    document = load_document(folder)
    if document.state != "running":
        (folder / JOURNAL_NAME).unlink(missing_ok=True)
        return document
    lock = lock_left(folder)
    if lock is None:
        return document
    with lock:
        return _mend(folder, document)


def whole_frames(folder: Path, document: Recording) -> int:
    """Return how many frames all tracks of a recording that broke off hold; 0 where that cannot be read."""
    return min(_lengths_in(folder, document).values(), default=0)


def _lengths_in(folder: Path, document: Recording) -> dict[str, int]:
    return {one.file: _length(folder / one.file, document.file_format) for one in document.tracks}


def _mend(folder: Path, document: Recording) -> Recording | None:
    lengths = _lengths_in(folder, document)
    longest = max(lengths.values(), default=0)
    if longest < FLAC_BLOCK_FRAMES:
        shutil.rmtree(folder)
        return None
    alike = {
        name: frames for name, frames in lengths.items() if frames >= longest - FAR_SHORT_FRAMES
    }
    frames = min(alike.values())
    if document.file_format == "flac" and len(set(alike.values())) > 1:
        frames -= frames % FLAC_BLOCK_FRAMES
    cut = _CUTS[document.file_format]
    for name in alike:
        cut(folder / name, frames)
    _draw_anew(folder, document, frames, alike.keys())
    said = f"It broke off and was mended: {_minutes(frames)} are whole."
    damaged = [one.name for one in document.tracks if one.file not in alike]
    if damaged:
        said += f" Not all is there of {', '.join(damaged)}."
    mended = document.model_copy(
        update={
            "state": "mended",
            "frames": frames,
            "said": said,
            "marks": tuple(one for one in document.marks if one.frame <= frames),
            "gaps": tuple(one for one in document.gaps if one.frame < frames),
            "changes": tuple(one for one in document.changes if one.frame < frames),
        }
    )
    write_document(folder, mended)
    (folder / JOURNAL_NAME).unlink(missing_ok=True)
    return mended


def _minutes(frames: int) -> str:
    seconds = frames // SAMPLE_RATE_HZ
    return f"{seconds // 3600}:{seconds // 60 % 60:02d}:{seconds % 60:02d}"


def _length(path: Path, file_format: TrackFormat) -> int:
    """How much of a file is whole; 0 if nothing is."""
    try:
        return _LENGTHS[file_format](path)
    except (OSError, ValueError, IndexError):
        return 0


def _flac_frames(path: Path) -> int:
    flac = CutFlac(path)
    if flac.told_frames:
        return flac.told_frames
    return flac.end()[0] * flac.block_frames


def _cut_flac(path: Path, frames: int) -> None:
    flac = CutFlac(path)
    if flac.told_frames != frames:
        flac.cut(frames // flac.block_frames)


_LENGTHS: dict[TrackFormat, Callable[[Path], int]] = {
    "flac": _flac_frames,
    "wav": wav_frames,
    "opus": opus_frames,
}
_CUTS: dict[TrackFormat, Callable[[Path, int], None]] = {
    "flac": _cut_flac,
    "wav": cut_wav,
    "opus": cut_opus,
}


def _draw_anew(folder: Path, document: Recording, frames: int, files: object) -> None:
    """The peaks from where they are not known any more."""
    rows = -(-frames // HOP_FRAMES)
    tracks = len(document.tracks)
    try:
        there = (folder / PEAKS_NAME).stat().st_size // (2 * tracks)
    except OSError:
        there = 0
    writer = PeaksWriter(folder, tracks, min(there, rows))
    try:
        for first in range(writer.rows, rows, _PIECE_ROWS):
            end = min(rows, first + _PIECE_ROWS)
            columns = [_peaks_in(folder / one.file, first, end) for one in document.tracks]
            writer.add(np.stack(columns, axis=1))
    finally:
        writer.close()


def _peaks_in(path: Path, first: int, end: int) -> np.ndarray[tuple[int], np.dtype[np.uint16]]:
    wanted = (end - first) * HOP_FRAMES
    try:
        with soundfile.SoundFile(path) as file:
            file.seek(min(first * HOP_FRAMES, file.frames))
            sound = file.read(wanted, "float32", always_2d=True, fill_value=0.0)
    except (OSError, soundfile.LibsndfileError):
        sound = np.zeros((wanted, 1), np.float32)
    return peaks_of(np.ascontiguousarray(sound))


def mend_all(parent: Path) -> list[str]:
    """Mend what was left running in a folder of recordings. Returns a sentence for each."""
    said = []
    folders = sorted(parent.iterdir()) if parent.is_dir() else []
    for folder in folders:
        if folder.is_dir() and is_left(folder):
            try:
                mended = mend(folder)
            except (BadRecording, OSError, ValueError) as error:
                said.append(
                    f"The recording {folder.name} broke off and could not be mended. {error}"
                )
                continue
            if mended and mended.state == "mended":
                said.append(f"The recording {folder.name}: {mended.said}")
    return said
