"""A recording's folder: its document, its journal, its peaks.

While it is being recorded, the document says how it began and the journal (a line of JSON each) what happened since: each is
one write at the end of a file. When it is finished, and when it is mended, the document says it all and the journal goes."""

import contextlib
import json
import os
import tempfile
import time
from pathlib import Path
from typing import IO, Any

import numpy as np
from pydantic import ValidationError

from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.recording.document import (
    DOCUMENT_NAME,
    MOST_CHANGES,
    MOST_GAPS,
    MOST_MARKS,
    Gap,
    Mark,
    Recording,
    RigChange,
    label_text,
)
from goshawk.core.recording.overview import PEAKS_NAME, Peaks
from goshawk.errors import BadRecording
from goshawk.store.work_folder import private_folder
from goshawk.system.locks import lock

JOURNAL_NAME = "journal.jsonl"
LABELS_NAME = "marks.txt"
COARSE_NAME = "peaks-1s.u16"
STILL_WRITTEN_S = 10.0
"""So lately a file of it has changed, where nothing else says whether somebody writes it."""

COARSE_HOPS = 100
"""The second file of peaks holds one row for so many hops: an evening at a glance."""

LARGEST_DOCUMENT_BYTES = 64 << 20


def load_document(folder: Path) -> Recording:
    """What is written down of the recording in a folder, its journal with it. Raises BadRecording."""
    path = folder / DOCUMENT_NAME
    try:
        if path.stat().st_size > LARGEST_DOCUMENT_BYTES:
            raise BadRecording(f"{path} is too large for what it should be.")
        document = Recording.model_validate_json(path.read_bytes())
    except OSError as error:
        raise BadRecording(
            f"{folder.name} holds no recording that can be read ({error.strerror})."
        ) from None
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise BadRecording(
            f"{folder.name}/{DOCUMENT_NAME} cannot be understood ({where or 'no JSON'}: {first['msg']}). "
            "Its tracks can still be opened one by one."
        ) from None
    for track in document.tracks:
        if track.file != Path(track.file).name or track.file in ("", ".", ".."):
            raise BadRecording(f"{folder.name}/{DOCUMENT_NAME} names a file outside its folder.")
        if (folder / track.file).is_symlink():
            raise BadRecording(
                f"{folder.name}/{track.file} is a link to another file. Put the file itself there."
            )
    return with_journal(document, folder / JOURNAL_NAME)


def with_journal(document: Recording, path: Path) -> Recording:
    """The document with what its journal says, as far as that can be read: a line that was cut short is the last."""
    try:
        lines = path.read_bytes().splitlines()
    except OSError:
        return document
    marks = {one.id: one for one in document.marks}
    gaps, changes = list(document.gaps), list(document.changes)
    for line in lines:
        try:
            match json.loads(line):
                case {"mark": mark}:
                    found = Mark.model_validate(mark)
                    marks[found.id] = found
                case {"unmark": number}:
                    marks.pop(number, None)
                case {"gap": gap}:
                    _note_gap(gaps, Gap.model_validate(gap))
                case {"change": change}:
                    changes.append(RigChange.model_validate(change))
        except ValueError:
            continue
    return document.model_copy(
        update={
            "marks": tuple(sorted(marks.values(), key=lambda one: one.frame))[:MOST_MARKS],
            "gaps": tuple(gaps[:MOST_GAPS]),
            "changes": tuple(changes[:MOST_CHANGES]),
        }
    )


def _note_gap(gaps: list[Gap], gap: Gap) -> None:
    """One that grew is noted anew with each piece: the last of those that begin alike says it all."""
    if gaps and (gaps[-1].frame, gaps[-1].why, gaps[-1].source) == (gap.frame, gap.why, gap.source):
        gaps.pop()
    gaps.append(gap)


def write_document(folder: Path, document: Recording) -> None:
    """Put the document in the place of the one before, whole or not at all, and the marks beside it. Raises OSError."""
    _write_whole(folder / DOCUMENT_NAME, document.model_dump_json(indent=1, exclude_none=True))
    _write_whole(folder / LABELS_NAME, label_text(document.marks))


def _write_whole(path: Path, text: str) -> None:
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=".", suffix=".part")
    try:
        with open(handle, "w", encoding="utf-8") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        Path(name).replace(path)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


class RunningFolder:
    """A folder that is being recorded into: locked, so that nobody mends what is still being written."""

    def __init__(self, parent: Path, name: str, document: Recording) -> None:
        """Make it. Raises OSError; FileExistsError if there is one of that name."""
        private_folder_if_new(parent)
        self.path = parent / name
        self.path.mkdir(mode=0o700)
        self._journal = (self.path / JOURNAL_NAME).open("a", encoding="utf-8")
        with contextlib.suppress(OSError):  # A drive without locks.
            lock(self._journal)
        self._peaks = PeaksWriter(self.path, len(document.tracks))
        write_document(self.path, document)

    def note(self, **what: Any) -> None:
        """Add a line to the journal: a mark, a gap, a change."""
        self._journal.write(json.dumps(what, separators=(",", ":"), ensure_ascii=False) + "\n")
        self._journal.flush()

    def draw(self, peaks: Peaks) -> None:
        """Add rows to the peaks, shape (hops, tracks)."""
        self._peaks.add(peaks)

    def finish(self, document: Recording) -> None:
        """All of it is written: the document takes the journal's place."""
        self._peaks.close()
        write_document(self.path, document)
        (self.path / JOURNAL_NAME).unlink(missing_ok=True)
        self._journal.close()

    def give_up(self) -> None:
        """Its disk takes nothing any more."""
        with contextlib.suppress(OSError):
            self._peaks.close()
        with contextlib.suppress(OSError):
            self._journal.close()


def private_folder_if_new(path: Path) -> None:
    """Make a folder for its owner alone; one that is there keeps its rights. Raises OSError."""
    if not path.is_dir():
        private_folder(path)


def lock_left(folder: Path) -> IO[str] | None:
    """The journal of a recording that was left running, locked until it is closed; None if somebody still writes it."""
    file = (folder / JOURNAL_NAME).open("a", encoding="utf-8")
    try:
        is_left = lock(file)
    except OSError:  # A drive without locks: what is still written grows.
        newest_s = max(one.stat().st_mtime for one in folder.iterdir())
        is_left = time.time() - newest_s > STILL_WRITTEN_S
    if not is_left:
        file.close()
        return None
    return file


class PeaksWriter:
    """Both files of peaks, row by row."""

    def __init__(self, folder: Path, tracks: int, whole_rows: int = 0) -> None:
        """``whole_rows`` of the fine one are there already. Raises OSError."""
        self._rest = np.zeros((0, tracks), np.uint16)
        row_bytes = 2 * tracks
        whole_rows -= whole_rows % COARSE_HOPS
        self._fine = _opened_at(folder / PEAKS_NAME, whole_rows * row_bytes)
        self._coarse = _opened_at(folder / COARSE_NAME, whole_rows // COARSE_HOPS * row_bytes)
        self.rows = whole_rows

    def add(self, peaks: Peaks) -> None:
        """More rows, shape (hops, tracks)."""
        self._fine.write(np.ascontiguousarray(peaks).tobytes())
        rows = np.concatenate([self._rest, peaks])
        whole = len(rows) // COARSE_HOPS
        if whole:
            highest = rows[: whole * COARSE_HOPS].reshape(whole, COARSE_HOPS, -1).max(axis=1)
            self._coarse.write(highest.tobytes())
        self._rest = rows[whole * COARSE_HOPS :]

    def close(self) -> None:
        """Write what is begun."""
        if len(self._rest):
            self._coarse.write(self._rest.max(axis=0).tobytes())
            self._rest = self._rest[:0]
        self._fine.close()
        self._coarse.close()


def _opened_at(path: Path, size: int) -> Any:
    file = path.open("ab", buffering=0)
    file.truncate(size)
    return file


def is_coarse(first: int, end: int, points: int) -> bool:
    """Whether so many points of a stretch are drawn from the rows of a second each."""
    return (end - first) // HOP_FRAMES > points * COARSE_HOPS


def read_peaks(folder: Path, document: Recording, first: int, end: int, points: int) -> Peaks:
    """The peaks of frames ``first`` to ``end``: of each hop, or where that is more than is drawn, of each second. Shape
    (rows, tracks). Raises BadRecording if they are not there."""
    tracks = len(document.tracks)
    hops = (end - first) // HOP_FRAMES
    is_coarse = hops > points * COARSE_HOPS
    name, frames = (
        (COARSE_NAME, HOP_FRAMES * COARSE_HOPS) if is_coarse else (PEAKS_NAME, HOP_FRAMES)
    )
    try:
        with (folder / name).open("rb") as file:
            file.seek(first // frames * 2 * tracks)
            data = file.read(max(1, -(-end // frames) - first // frames) * 2 * tracks)
    except OSError as error:
        raise BadRecording(
            f"{folder.name} has no picture ({error.strerror}). Mend it: goshawk recordings mend."
        ) from None
    whole = len(data) // (2 * tracks)
    return np.frombuffer(data[: whole * 2 * tracks], "<u2").reshape(whole, tracks)
