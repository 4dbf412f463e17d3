"""The evenings' own database, off the event loop."""

import asyncio
from pathlib import Path

from goshawk.errors import StoreUnusable
from goshawk.store.evenings.database import evenings_path, open_evenings
from goshawk.web.store_in_turn import StoreInTurn


class EveningStore(StoreInTurn):
    """Is opened when the program starts: a long history takes a moment."""

    def __init__(self, data_dir: Path) -> None:
        super().__init__(None, "The evenings are not open. Start Goshawk again.")
        self._path = evenings_path(data_dir)

    async def open(self) -> str | None:
        """Open it; a sentence about what was found wrong, if anything was. Raises StoreUnusable."""
        try:
            opened = await asyncio.to_thread(open_evenings, self._path)
        except StoreUnusable as error:
            self._trouble = str(error)
            raise
        self.connection = opened.connection
        return opened.notice
