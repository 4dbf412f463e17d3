"""What the page hears again of a recording, or of the last minutes on air: pieces as files, of which few are kept."""

from collections.abc import Callable
from pathlib import Path

from goshawk.observer import requests
from goshawk.observer.client import ObserverClient
from goshawk.store.work_folder import WorkFolder

PIECES_KEPT = 32


class HeardAgain:
    """Has the observer make pieces; each goes when enough others were asked for."""

    def __init__(self, work: WorkFolder, observer: ObserverClient) -> None:
        self._work, self._observer, self._count = work, observer, 0

    async def piece(self, wish: Callable[[str], requests.Request]) -> Path:
        """The WAV file that ``wish`` makes where it is told to. Raises GoshawkError."""
        self._count = (self._count + 1) % PIECES_KEPT
        target = self._work.named("listen-back") / f"{self._count}.wav"
        await self._observer.ask(wish(str(target)))
        return target
