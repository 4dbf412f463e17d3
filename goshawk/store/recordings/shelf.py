"""All recordings in some folders: listed, found by their id, renamed, noted, deleted and brought back. Whatever else lies in
these folders is left alone."""

import os
import shutil
import time
from collections.abc import Callable, Iterable
from datetime import datetime
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from goshawk.core.record_settings import TrackFormat
from goshawk.core.recording.document import (
    DOCUMENT_NAME,
    LONGEST_MARK_NAME,
    LONGEST_NOTE,
    Figures,
    Mark,
    Recording,
)
from goshawk.core.recording.names import safe_name
from goshawk.core.settings import visible
from goshawk.errors import BadInput, BadRecording, NotFound
from goshawk.store.recordings.folder import load_document, write_document

DELETED_NAME = ".deleted"
KEPT_DELETED_S = 86_400.0
MOST_RECORDINGS = 5000

GONE = "That recording is not there any more. Choose another."


class KeptRecording(BaseModel):
    """A recording in a list."""

    id: str
    title: str
    folder: str
    started_utc: datetime
    seconds: float
    tracks: int
    marks: int
    note: str
    state: str
    said: str
    file_format: TrackFormat
    size_bytes: int
    figures: Figures | None


Known = dict[Path, tuple[tuple[int, int], KeptRecording]]
"""Recordings by their own folders, each with what tells whether it is still as it was."""


class Shelf:
    """``folders`` gives those in which recordings lie. One of them may not answer: what asks the disk asks one folder alone."""

    def __init__(self, folders: Callable[[], Iterable[Path]]) -> None:
        self._folders = folders
        self._known: dict[Path, Known] = {}
        """Of each folder, what was last found in it."""

    @property
    def folders(self) -> list[Path]:
        """Each once."""
        return list(dict.fromkeys(self._folders()))

    def listed(self) -> list[KeptRecording]:
        """All that can be read, the newest first. Reads from every folder's disk."""
        return newest_first(one for parent in self.folders for one in self.listed_in(parent))

    def listed_in(self, parent: Path) -> list[KeptRecording]:
        """What lies in one folder. Reads from its disk."""
        found: Known = {}
        before = self._known.get(parent, {})
        for path in _recordings_in(parent):
            try:
                stamp = _stamp(path)
                known = before.get(path)
                if known and known[0] == stamp:
                    found[path] = known
                    continue
                found[path] = (stamp, kept(path, load_document(path)))
            except (BadRecording, OSError):
                continue  # No recording of ours, or damaged: left alone.
        self._known[parent] = found
        return [one for _, one in found.values()]

    def folder_of(self, recording_id: str) -> Path | None:
        """In which of the folders a recording lay when they were last read; None if in none. Asks no disk."""
        for parent, found in list(self._known.items()):
            if any(one.id == recording_id for _, one in found.values()):
                return parent
        return None

    def find(self, recording_id: str) -> Path:
        """A recording's folder. Raises NotFound."""
        parent = self.folder_of(recording_id)
        for path, (_, one) in self._known.get(parent, {}).items() if parent else ():
            if one.id == recording_id and (path / DOCUMENT_NAME).is_file():
                return path
        for one in self.listed_in(parent) if parent else self.listed():
            if one.id == recording_id:
                return Path(one.folder)
        raise NotFound(GONE)

    def load(self, recording_id: str) -> tuple[Path, Recording]:
        """A recording and its folder. Raises NotFound or BadRecording."""
        path = self.find(recording_id)
        return path, load_document(path)

    def change(self, recording_id: str, **update: Any) -> Recording:
        """Another title, note, or marks. Raises NotFound, BadInput, OSError."""
        path, document = self.load(recording_id)
        if "title" in update:
            title = safe_name(visible(update["title"]))
            if not title:
                raise BadInput("A recording needs a name. Write some letters.")
            if title != document.title:
                target = path.with_name(title)
                if target.exists():
                    raise BadInput(
                        f"There is a recording called {title!r} already. Choose another."
                    )
                path = path.rename(target)
            update["title"] = title
        if "note" in update:
            update["note"] = update["note"][:LONGEST_NOTE]
        document = document.model_copy(update=update)
        write_document(path, document)
        return document

    def name_mark(self, recording_id: str, number: int, name: str | None) -> Recording:
        """Another name for a mark; None takes it away. Raises NotFound, OSError."""
        _, document = self.load(recording_id)
        if not any(one.id == number for one in document.marks):
            raise NotFound("That mark is not there any more.")
        marks = tuple(
            one
            if one.id != number
            else one.model_copy(update={"name": (name or "")[:LONGEST_MARK_NAME]})
            for one in document.marks
            if one.id != number or name is not None
        )
        return self.change(recording_id, marks=marks)

    def add_mark(self, recording_id: str, frame: int, name: str) -> Recording:
        """One more. Raises NotFound, OSError."""
        _, document = self.load(recording_id)
        number = max((one.id for one in document.marks), default=0) + 1
        mark = Mark(id=number, frame=min(frame, document.frames), name=name[:LONGEST_MARK_NAME])
        marks = sorted((*document.marks, mark), key=lambda one: one.frame)
        return self.change(recording_id, marks=tuple(marks))

    def delete(self, recording_id: str) -> None:
        """Put it aside: it can be brought back for a day. Raises NotFound, OSError."""
        path = self.find(recording_id)
        aside = path.parent / DELETED_NAME
        aside.mkdir(exist_ok=True, mode=0o700)
        target = path.rename(aside / f"{recording_id} {path.name}"[:250])
        os.utime(target)  # When it was deleted: not every system says when a folder was moved.


def newest_first(those: Iterable[KeptRecording]) -> list[KeptRecording]:
    """As lists show them, and no more than they can."""
    return sorted(those, key=_begins, reverse=True)[:MOST_RECORDINGS]


def restored_in(parent: Path, recording_id: str) -> bool:
    """Bring back what was deleted in one folder; whether it was there. Raises OSError."""
    for path in (parent / DELETED_NAME).glob(f"{safe_name(recording_id) or '-'} *"):
        name = path.name.partition(" ")[2]
        target, number = parent / name, 1
        while target.exists():
            number += 1
            target = parent / f"{name} ({number})"
        path.rename(target)
        return True
    return False


def purge_in(parent: Path) -> None:
    """Remove for good what was deleted in one folder a day ago. Raises OSError."""
    aside = parent / DELETED_NAME
    for path in aside.iterdir() if aside.is_dir() else ():
        if time.time() - path.stat().st_mtime > KEPT_DELETED_S:
            shutil.rmtree(path, ignore_errors=True)


def _recordings_in(parent: Path) -> list[Path]:
    try:
        inside = sorted(parent.iterdir(), reverse=True)
    except OSError:
        return []  # Not there now: an unplugged disk.
    return [one for one in inside if (one / DOCUMENT_NAME).is_file()][:MOST_RECORDINGS]


def kept(path: Path, document: Recording) -> KeptRecording:
    """A recording as lists show it. Raises OSError."""
    files = [path / one.file for one in document.tracks]
    return KeptRecording(
        id=document.id,
        title=path.name,
        folder=str(path),
        started_utc=document.started_utc,
        seconds=document.seconds,
        tracks=len(document.tracks),
        marks=len(document.marks),
        note=document.note,
        state=document.state,
        said=said_of(path, document),
        file_format=document.file_format,
        size_bytes=sum(one.stat().st_size for one in files if one.is_file()),
        figures=document.figures,
    )


def said_of(path: Path, document: Recording) -> str:
    """What happened to a recording, files that are missing now with it."""
    gone = [one.name for one in document.tracks if not (path / one.file).is_file()]
    if not gone:
        return document.said
    return f"{document.said} Missing in its folder: {', '.join(gone)}.".strip()


def _begins(one: KeptRecording) -> float:
    return one.started_utc.timestamp()


def _stamp(path: Path) -> tuple[int, int]:
    status, inside = (path / DOCUMENT_NAME).stat(), path.stat()
    return status.st_mtime_ns, inside.st_mtime_ns
