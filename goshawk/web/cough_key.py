"""The cough key: as long as anybody holds it, all voices are silent for everybody."""

import asyncio

from goshawk.bus import Bus
from goshawk.engine.client import EngineClient
from goshawk.web.events import StateChanged
from goshawk.web.live_page import LivePage

OUTLASTS_S = 3.0
"""So long a cough goes on when its page is gone: a connection that breaks while the key is held must not open the
microphone, and a page that is closed must not leave it shut."""


class CoughKey:
    """Knows who holds it."""

    def __init__(self, engine: EngineClient, bus: Bus) -> None:
        self._engine, self._bus = engine, bus
        self._holders: set[LivePage] = set()

    @property
    def is_held(self) -> bool:
        """Whether anybody holds it."""
        return bool(self._holders)

    def hold(self, page: LivePage, is_on: bool) -> None:
        """A page holds it, or lets go of it."""
        before = self.is_held
        (self._holders.add if is_on else self._holders.discard)(page)
        if self.is_held != before:
            self._engine.cough(self.is_held)
            self._bus.publish(StateChanged())

    def leave(self, page: LivePage) -> None:
        """A page is gone. Its connection may have broken while the key is held, which the next one says again."""
        if page in self._holders:
            asyncio.get_running_loop().call_later(OUTLASTS_S, self.hold, page, False)
