"""The evenings' own database, off the event loop: one piece of work after the other."""

import asyncio
import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from goshawk.errors import StoreUnusable
from goshawk.store.evenings.database import evenings_path, open_evenings
from goshawk.supervisor import to_its_end

T = TypeVar("T")


class EveningStore:
    """Owns the connection."""

    def __init__(self, data_dir: Path) -> None:
        self._path = evenings_path(data_dir)
        self._db: sqlite3.Connection | None = None
        self._storing = asyncio.Lock()
        self._trouble = "The evenings are not open. Start Goshawk again."

    async def open(self) -> str | None:
        """Open it; a sentence about what was found wrong, if anything was. Raises StoreUnusable."""
        try:
            opened = await asyncio.to_thread(open_evenings, self._path)
        except StoreUnusable as error:
            self._trouble = str(error)
            raise
        self._db = opened.connection
        return opened.notice

    async def do(self, work: Callable[[sqlite3.Connection], T]) -> T:
        """What ``work`` gives; it goes to its end, whoever has given up waiting. Raises StoreUnusable, and what the work raises."""

        async def in_turn() -> T:
            async with self._storing:
                if self._db is None:
                    raise StoreUnusable(self._trouble)
                db = self._db
                return await asyncio.to_thread(lambda: work(db))

        return await to_its_end(in_turn())

    async def close(self) -> None:
        """Close it, behind what is under way."""
        async with self._storing:
            if self._db is not None:
                self._db.close()
                self._db = None
