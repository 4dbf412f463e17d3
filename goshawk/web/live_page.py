"""One open page, as services see it."""

import asyncio

WAITING_MESSAGES = 50

FIGURES = frozenset({"readings", "levels", "spectra", "balance"})
"""The kinds of messages that a hidden page does not get."""


class LivePage:
    """One open page's queue: states and notices in order, readings only the newest."""

    def __init__(self) -> None:
        self._messages: asyncio.Queue[str] = asyncio.Queue(WAITING_MESSAGES)
        self._newest: dict[str, str] = {}
        self._wake = asyncio.Event()
        self.is_open = True
        self.is_shown = True
        """Whether it is visible."""

    def tell(self, message: str) -> None:
        """A message that must arrive; a page that does not read for long loses the oldest."""
        if self._messages.full():
            self._messages.get_nowait()
        self._messages.put_nowait(message)
        self._wake.set()

    def tell_newest(self, kind: str, message: str) -> None:
        """A message that the next one of its kind replaces. A hidden page gets no figures."""
        if kind in FIGURES and not self.is_shown:
            return
        self._newest[kind] = message
        self._wake.set()

    async def next(self) -> str:
        """What to send next."""
        while True:
            if not self._messages.empty():
                return self._messages.get_nowait()
            if self._newest:
                return self._newest.pop(next(iter(self._newest)))
            self._wake.clear()
            await self._wake.wait()
