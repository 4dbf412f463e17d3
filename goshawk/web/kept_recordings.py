"""The recordings that are kept, asked for folder by folder: one whose drive does not answer keeps only its own from being seen,
changed and heard."""

import asyncio
import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import TypeVar

from goshawk.bus import Bus
from goshawk.core.recording.document import Recording
from goshawk.drives import ANSWERS_S, answers_again, named, no_answer_of, on_drive
from goshawk.errors import DriveSilent, NotFound
from goshawk.store.recordings.shelf import (
    GONE,
    KeptRecording,
    Shelf,
    newest_first,
    purge_in,
    restored_in,
)
from goshawk.supervisor import Supervisor
from goshawk.web.events import StateChanged

T = TypeVar("T")


class KeptRecordings:
    """Says when the list is another, and when a folder does not answer."""

    def __init__(self, shelf: Shelf, supervisor: Supervisor, bus: Bus) -> None:
        self.shelf, self._supervisor, self._bus = shelf, supervisor, bus
        self._silent: set[Path] = set()
        # Another one than before a restart, which pages outlive.
        self.changes = time.time_ns() // 1_000_000

    def list_changed(self) -> None:
        """The list of recordings is another."""
        self.changes += 1
        self._bus.publish(StateChanged())

    @property
    def silent(self) -> list[str]:
        """The folders that do not answer now."""
        return sorted(str(folder) for folder in self._silent)

    async def listed(self) -> list[KeptRecording]:
        """All whose folders answer, the newest first."""
        found = await self._in_each(self.shelf.listed_in)
        return newest_first(one for those in found for one in those)

    async def at(self, recording_id: str, work: Callable[[Shelf], T]) -> T:
        """What ``work`` on a recording gives, done on its folder's drive. Raises NotFound, DriveSilent, and what the work raises."""
        folder = self.shelf.folder_of(recording_id)
        if folder is None:
            await self.listed()
            folder = self.shelf.folder_of(recording_id)
        if folder is None:
            raise self._not_there(GONE)
        return await on_drive(lambda: work(self.shelf), named(folder))

    async def load(self, recording_id: str) -> tuple[Path, Recording]:
        """A recording and its folder. Raises NotFound, BadRecording, DriveSilent."""
        return await self.at(recording_id, lambda shelf: shelf.load(recording_id))

    async def restore(self, recording_id: str) -> None:
        """Bring back what was deleted. Raises NotFound, DriveSilent, OSError."""
        if not any(await self._in_each(lambda folder: restored_in(folder, recording_id))):
            raise self._not_there("That recording cannot be brought back any more.")

    async def purge(self, patience_s: float) -> None:
        """Remove for good what was deleted a day ago. Raises OSError."""
        await self._in_each(purge_in, patience_s)

    def _not_there(self, sentence: str) -> NotFound | DriveSilent:
        """It may lie where nobody can look."""
        return no_answer_of(named(min(self._silent))) if self._silent else NotFound(sentence)

    async def _in_each(
        self, work: Callable[[Path], T], patience_s: float | None = ANSWERS_S
    ) -> list[T]:
        """What ``work`` gives in every folder that answers."""

        def asked(folder: Path) -> Awaitable[T]:
            return on_drive(lambda: work(folder), named(folder), patience_s)

        folders = self.shelf.folders
        found = await asyncio.gather(*(asked(one) for one in folders), return_exceptions=True)
        given: list[T] = []
        for folder, one in zip(folders, found, strict=True):
            if isinstance(one, DriveSilent):
                self._await(folder)
            elif isinstance(one, BaseException):
                raise one
            else:
                given.append(one)
        return given

    def _await(self, folder: Path) -> None:
        if folder in self._silent:
            return
        self._silent.add(folder)
        self._supervisor.once("waiting for a drive", self._see_again(folder))
        self._bus.publish(StateChanged())

    async def _see_again(self, folder: Path) -> None:
        await answers_again(named(folder))
        self._silent.discard(folder)
        self.list_changed()
