"""A database off the event loop: one piece of work after the other, since all of it shares one connection."""

import asyncio
import sqlite3
from collections.abc import Callable
from typing import TypeVar

from goshawk.errors import StoreUnusable
from goshawk.supervisor import to_its_end

T = TypeVar("T")
CLOSED = "Goshawk is just being closed. Start it again."


class StoreInTurn:
    """Owns a connection. While there is none, work is refused with the sentence ``trouble``."""

    def __init__(self, connection: sqlite3.Connection | None, trouble: str = CLOSED) -> None:
        self.connection, self._trouble = connection, trouble
        self._storing = asyncio.Lock()

    async def do(self, work: Callable[[sqlite3.Connection], T]) -> T:
        """What ``work`` gives; it goes to its end, whoever has given up waiting. Raises StoreUnusable, and what the work raises."""

        async def in_turn() -> T:
            async with self._storing:
                db = self.connection
                if db is None:
                    raise StoreUnusable(self._trouble)
                return await asyncio.to_thread(work, db)

        return await to_its_end(in_turn())

    async def close(self) -> None:
        """Close it, behind what is being written."""
        async with self._storing:
            if self.connection is not None:
                self.connection.close()
                self.connection, self._trouble = None, CLOSED
