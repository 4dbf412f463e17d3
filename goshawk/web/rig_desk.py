"""The rig as it is set: every change is heard first, then saved; what cannot be saved stays heard, and is said."""

import asyncio
import contextlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from sqlite3 import Connection
from typing import Any

from goshawk.bus import Bus
from goshawk.core.rig import Rig, Tried
from goshawk.core.rules.balance import with_holds_let_go
from goshawk.errors import StoreUnusable
from goshawk.store import rigs
from goshawk.store.rigs import SavedRig
from goshawk.supervisor import to_its_end
from goshawk.web.events import RigHeard, RigSet, StateChanged
from goshawk.web.holds import Holds
from goshawk.web.notices import Notices
from goshawk.web.sound_file_shelf import SoundFileShelf
from goshawk.web.store_in_turn import StoreInTurn

SAVE_AGAIN_S = 2.0
MOST_UNSAVED = 500
"""So many steps wait for the disk; beyond it the oldest two are one."""


@dataclass(frozen=True, eq=False)
class UnsavedStep:
    """A change that is heard and not saved yet: the rig before it, the rig that it made, and its path in the history."""

    before: Rig
    rig: Rig
    path: str
    is_nudge: bool = False


class RigDesk:
    """Owns what is tried, what is set and what is saved."""

    def __init__(
        self,
        store: StoreInTurn,
        saved: SavedRig,
        files: SoundFileShelf,
        holds: Holds,
        bus: Bus,
        notices: Notices,
    ) -> None:
        self._store, self._files, self._holds = store, files, holds
        self._bus, self._notices = bus, notices
        self.saved = saved
        self.set = saved.rig
        """What was set last, saved or not."""
        self._tried: Tried | None = None
        self._heard = saved.rig
        self._trying_page: object | None = None
        self._unsaved: list[UnsavedStep] = []
        """Steps that are heard and not saved yet, in their order: each is saved, and taken back, by itself."""
        self._saving = asyncio.Lock()
        self._failed = asyncio.Event()
        self.trouble = ""
        """Why what is set is not saved; "" if it is, or soon will be."""

    @property
    def rig(self) -> Rig:
        """What is heard: what is tried, or set."""
        return self._heard

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
        values = {**self._tried.values, **changes} if self._tried else changes
        tried = Tried(self.set, values)
        self._heard, self._tried, self._trying_page = tried.rig, tried, page
        self._bus.publish(RigHeard(self._heard, tried))

    def take_back(self, page: object) -> None:
        """What a page was trying, and nobody will ever save."""
        if page is self._trying_page and self._tried:
            self._hear_set()

    def _hear_set(self, rig: Rig | None = None) -> None:
        """Have what is set heard, which is ``rig`` from now on; nothing is tried any more."""
        self._tried = None
        before, self.set = self.set, rig or self.set
        self._heard = self.set
        self._bus.publish(RigHeard(self.set))
        if self.set != before:
            self._bus.publish(RigSet(before, self.set))

    def _adjusted(self, before: Rig, wished: Rig) -> Rig:
        """What is to be set of what is wished. Raises NotFound if a sound file is not there."""
        rig = with_holds_let_go(before, wished, self._holds.held_db)
        self._files.check(rig)
        return rig

    async def change(
        self, make: Callable[[Rig], Rig], path: str, *, is_nudge: bool = False
    ) -> None:
        """Hear a change, then save it. Raises BadSetting if it is refused: then nothing has changed. Raises
        StoreUnusable if it is heard, but could not be saved."""
        try:
            rig = self._adjusted(self.set, make(self.set))
        except Exception:
            self._hear_set()
            raise
        before = self.set
        self._hear_set(rig)
        if rig != before:
            self._add(UnsavedStep(before, rig, path, is_nudge))
        if self._unsaved:
            await to_its_end(self._save())

    def _add(self, step: UnsavedStep) -> None:
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
        before = self.set
        self._hear_set(rig)
        if rig is None:
            return

        def move(db: Connection) -> None:
            self.saved = rigs.step(db, by)

        try:
            await self._store.do(move)
        except StoreUnusable as error:
            self._add(UnsavedStep(before, rig, "undone"))
            raise self._not_saved(error) from None
        self._bus.publish(StateChanged())

    async def _take_back_unsaved(self) -> None:
        """Take back the last step alone: what was shut by those before stays shut."""
        self._hear_set(self._unsaved.pop().before)
        if self._saving.locked():
            await self._save()  # It may have been saved meanwhile.
        elif not self._unsaved:
            self.trouble = ""
            self._bus.publish(StateChanged())

    async def _neighbour(self, by: int) -> Rig | None:
        """What a step would bring, of what is set when it is known."""
        while True:
            before = self.set
            rig = await self._store.do(lambda db: rigs.neighbour(db, by))
            if before is self.set:
                return rig

    async def _save(self) -> None:
        """Save all steps that wait, one after the other. Raises StoreUnusable with the first that cannot be saved."""
        async with self._saving:
            while self._unsaved:
                step = self._unsaved[0]
                try:
                    await self._store.do(partial(self._save_step, step))
                except StoreUnusable as error:
                    raise self._not_saved(error) from None
                if step in self._unsaved:
                    self._unsaved.remove(step)
                if not self._unsaved and self.set != self.saved.rig:
                    # It was taken back while it was saved.
                    self._add(UnsavedStep(self.saved.rig, self.set, "undone"))
        self.trouble = ""
        self._bus.publish(StateChanged())

    def _save_step(self, step: UnsavedStep, db: Connection) -> None:
        # Noted before the next in the queue asks which revision it goes over.
        self.saved = rigs.save_change(
            db, step.rig, step.path, is_nudge=step.is_nudge, over=self.saved.revision
        )

    def _not_saved(self, error: StoreUnusable) -> StoreUnusable:
        self.trouble = str(error)
        self._failed.set()
        self._bus.publish(StateChanged())
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
            self._notices.news("Everything that is set is saved again.")
