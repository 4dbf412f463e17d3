"""The rig as it is set: every change is heard first, then saved; what cannot be saved stays heard, and is said."""

import asyncio
import contextlib
import sqlite3
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, TypeVar

from goshawk.core.rig import Rig, changed_together
from goshawk.errors import StoreUnusable
from goshawk.store import rigs
from goshawk.store.rigs import SavedRig
from goshawk.supervisor import to_its_end

T = TypeVar("T")
SAVE_AGAIN_S = 2.0
MOST_UNSAVED = 500
"""So many steps wait for the disk; beyond it the oldest two are one."""


@dataclass(frozen=True, eq=False)
class Step:
    """A change that is heard and not saved yet: the rig before it, the rig that it made, and its path in the history."""

    before: Rig
    rig: Rig
    path: str
    is_nudge: bool = False


class RigDesk:
    """Owns what is tried, what is set and what is saved.

    ``adjust`` makes of the rig before and the one wished for the one to be set, and raises what is wrong with it;
    ``hear`` gives a rig to the engine and the pages; ``in_store`` does what waits for the disk, one after the other."""

    def __init__(
        self,
        db: sqlite3.Connection,
        saved: SavedRig,
        in_store: Callable[[Callable[[], Any]], Awaitable[Any]],
        adjust: Callable[[Rig, Rig], Rig],
        hear: Callable[[Rig], None],
        notify: Callable[[str, str], None],
        tell: Callable[[], None],
    ) -> None:
        self._db, self._in_store = db, in_store
        self._adjust, self._hear, self._notify, self._tell = adjust, hear, notify, tell
        self.saved = saved
        self.set = saved.rig
        """What was set last, saved or not."""
        self._tried: Rig | None = None
        self._trying_page: object | None = None
        self._unsaved: list[Step] = []
        """Steps that are heard and not saved yet, in their order: each is saved, and taken back, by itself."""
        self._saving = asyncio.Lock()
        self._failed = asyncio.Event()
        self.trouble = ""
        """Why what is set is not saved; "" if it is, or soon will be."""

    @property
    def rig(self) -> Rig:
        """What is heard: what is tried, or set."""
        return self._tried or self.set

    @property
    def is_trying(self) -> bool:
        """Whether what is heard is a drag that goes on."""
        return self._tried is not None

    @property
    def is_saved(self) -> bool:
        """Whether what is heard would be there after a restart."""
        return self._tried is None and self.set == self.saved.rig

    @property
    def can_undo(self) -> bool:
        """Whether there is a step back."""
        return self.saved.can_undo or bool(self._unsaved)

    @property
    def can_redo(self) -> bool:
        """Whether there is a step forward: none beyond what is not saved yet."""
        return self.saved.can_redo and not self._unsaved

    def try_together(self, page: object, changes: dict[str, Any]) -> None:
        """Hear values without saving them, while a page drags. Raises BadSetting."""
        self._tried = changed_together(self.rig, changes)
        self._trying_page = page
        self._hear(self._tried)

    def take_back(self, page: object) -> None:
        """What a page was trying, and nobody will ever save."""
        if page is self._trying_page and self._tried:
            self._tried = None
            self._hear(self.set)

    async def change(
        self, make: Callable[[Rig], Rig], path: str, *, is_nudge: bool = False
    ) -> None:
        """Hear a change, then save it. Raises BadSetting if it is refused: then nothing has changed. Raises
        StoreUnusable if it is heard, but could not be saved."""
        try:
            rig = self._adjust(self.set, make(self.set))
        except Exception:
            self._tried = None
            self._hear(self.set)
            raise
        self._tried = None
        before, self.set = self.set, rig
        self._hear(rig)
        if rig != before:
            self._add(Step(before, rig, path, is_nudge))
        if self._unsaved:
            await to_its_end(self._save())

    def _add(self, step: Step) -> None:
        self._unsaved.append(step)
        if len(self._unsaved) > MOST_UNSAVED:
            first, second = self._unsaved[:2]
            self._unsaved[:2] = [replace(second, before=first.before)]

    async def step(self, by: int) -> None:
        """Undo (-1) or redo (+1). Raises StoreUnusable if the step cannot be read, or not be saved."""
        await to_its_end(self._step(by))

    async def _step(self, by: int) -> None:
        rig = None if self._unsaved else await self._neighbour(by)
        if self._unsaved:
            if by < 0:
                await self._take_back_unsaved()
            return  # Beyond what is not saved yet there is nothing to be done again.
        self._tried = None
        if rig is None:
            self._hear(self.set)
            return
        before, self.set = self.set, rig
        self._hear(rig)

        def move() -> None:
            self.saved = rigs.step(self._db, by)

        try:
            await self._in_store(move)
        except StoreUnusable as error:
            self._add(Step(before, rig, "undone"))
            raise self._not_saved(error) from None
        self._tell()

    async def _take_back_unsaved(self) -> None:
        """Take back the last step alone: what was shut by those before stays shut."""
        self.set = self._unsaved.pop().before
        self._tried = None
        self._hear(self.set)
        if self._saving.locked():
            await self._save()  # It may have been saved meanwhile.
        elif not self._unsaved:
            self.trouble = ""
            self._tell()

    async def _neighbour(self, by: int) -> Rig | None:
        """What a step would bring, of what is set when it is known."""
        while True:
            before = self.set
            rig: Rig | None = await self._in_store(lambda: rigs.neighbour(self._db, by))
            if before is self.set:
                return rig

    async def _save(self) -> None:
        """Save all steps that wait, one after the other. Raises StoreUnusable with the first that cannot be saved."""
        async with self._saving:
            while self._unsaved:
                step = self._unsaved[0]
                try:
                    await self._in_store(partial(self._save_step, step))
                except StoreUnusable as error:
                    raise self._not_saved(error) from None
                if step in self._unsaved:
                    self._unsaved.remove(step)
                if not self._unsaved and self.set != self.saved.rig:
                    # It was taken back while it was saved.
                    self._add(Step(self.saved.rig, self.set, "undone"))
        self.trouble = ""
        self._tell()

    def _save_step(self, step: Step) -> None:
        # Noted before the next in the queue asks which revision it goes over.
        self.saved = rigs.save_change(
            self._db, step.rig, step.path, is_nudge=step.is_nudge, over=self.saved.revision
        )

    def _not_saved(self, error: StoreUnusable) -> StoreUnusable:
        self.trouble = str(error)
        self._failed.set()
        self._tell()
        return error

    async def save_again(self) -> None:
        """For ever: what could not be saved is tried again until it is."""
        while True:
            await self._failed.wait()
            await asyncio.sleep(SAVE_AGAIN_S)
            if not self._unsaved:
                self._failed.clear()
                continue
            with contextlib.suppress(StoreUnusable):
                await self._save()
            if self._unsaved:
                continue
            self._failed.clear()
            self._notify("Everything that is set is saved again.", "news")
