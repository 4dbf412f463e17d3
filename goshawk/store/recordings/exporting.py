"""Recordings handed over: the tracks, or pieces of them, in any of the formats, with their marks."""

from collections.abc import Callable, Iterable
from pathlib import Path

import numpy as np

from goshawk.core.record_settings import TrackFormat
from goshawk.core.recording.document import Mark, Recording, label_text
from goshawk.core.recording.names import with_files
from goshawk.core.stage import Block
from goshawk.errors import BadInput
from goshawk.store.recordings.folder import LABELS_NAME
from goshawk.store.recordings.reading import PIECE_FRAMES, pieces_of
from goshawk.store.recordings.track_file import TrackFile
from goshawk.units import SAMPLE_RATE_HZ

Progress = Callable[[float], None]


def span_of(recording: Recording, from_s: float, to_s: float | None) -> tuple[int, int]:
    """The frames of a piece. Raises BadInput if there are none."""
    first = round(from_s * SAMPLE_RATE_HZ)
    end = recording.frames if to_s is None else min(round(to_s * SAMPLE_RATE_HZ), recording.frames)
    if end <= first:
        raise BadInput(
            f"There is nothing from {from_s:g} s to {end / SAMPLE_RATE_HZ:g} s. "
            f"The recording has {recording.seconds:.1f} s."
        )
    return first, end


def export_tracks(
    folder: Path,
    recording: Recording,
    first: int,
    end: int,
    file_format: TrackFormat,
    out: Path,
    progress: Progress,
) -> list[Path]:
    """Write every track's frames into a new folder. Returns its files. Raises BadRecording, OSError."""
    tracks = with_files(list(recording.tracks), file_format)
    out.mkdir(parents=True)
    files = {one.source: TrackFile(out / one.file, one.channels, file_format) for one in tracks}
    sources = list(files)
    done = 0
    for piece in pieces_of(folder, recording, sources, first, end):
        for source, sound in piece.items():
            files[source].write(sound)
        done += len(next(iter(piece.values())))
        progress(done / (end - first))
    for file in files.values():
        file.close()
    _write_marks(out, recording, first, end)
    return [out / one.file for one in tracks] + [out / LABELS_NAME]


def export_mix(
    pieces: Iterable[Block],
    recording: Recording,
    first: int,
    end: int,
    file_format: TrackFormat,
    out: Path,
    progress: Progress,
) -> list[Path]:
    """Write a mix that is being made into a new folder. Raises OSError."""
    out.mkdir(parents=True)
    path = out / f"mix.{file_format}"
    file = TrackFile(path, 2, file_format)
    done = told = 0
    waiting: list[Block] = []
    for piece in pieces:
        waiting.append(piece)
        done += len(piece)
        if done - told >= PIECE_FRAMES // 10:
            file.write(np.concatenate(waiting))
            waiting, told = [], done
            progress(min(1.0, done / (end - first)))
    if waiting:
        file.write(np.concatenate(waiting))
    file.close()
    _write_marks(out, recording, first, end)
    return [path, out / LABELS_NAME]


def _write_marks(out: Path, recording: Recording, first: int, end: int) -> None:
    marks: tuple[Mark, ...] = tuple(
        one.model_copy(update={"frame": one.frame - first})
        for one in recording.marks
        if first <= one.frame <= end
    )
    (out / LABELS_NAME).write_text(label_text(marks), encoding="utf-8")
