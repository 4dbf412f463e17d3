"""The open pages: what waits to be sent to each, and what all of them are told."""

import asyncio
from collections.abc import Callable
from typing import Literal

from goshawk.page_messages.live import Notice

WAITING_MESSAGES = 50


class LivePage:
    """One open page's queue: states and notices in order, readings only the newest."""

    def __init__(self) -> None:
        self._messages: asyncio.Queue[str] = asyncio.Queue(WAITING_MESSAGES)
        self._newest: dict[str, str] = {}
        self._wake = asyncio.Event()
        self.is_open = True

    def tell(self, message: str) -> None:
        """A message that must arrive; a page that does not read for long loses the oldest."""
        if self._messages.full():
            self._messages.get_nowait()
        self._messages.put_nowait(message)
        self._wake.set()

    def tell_newest(self, kind: str, message: str) -> None:
        """A message that the next one of its kind replaces."""
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


class Pages:
    """All that are open. ``state`` gives what every window shows, as JSON."""

    def __init__(self, state: Callable[[], str]) -> None:
        self._state = state
        self._open: set[LivePage] = set()

    def __bool__(self) -> bool:
        return bool(self._open)

    def add(self, page: LivePage) -> None:
        """One more."""
        self._open.add(page)

    def discard(self, page: LivePage) -> None:
        """One is gone."""
        page.is_open = False
        self._open.discard(page)

    def tell(self, message: str, kind: str = "") -> None:
        """A message for all; with a kind, the next of that kind takes its place where it still waits."""
        for page in self._open:
            if kind:
                page.tell_newest(kind, message)
            else:
                page.tell(message)

    def tell_state(self) -> None:
        """What is set, or stands, is another."""
        if self._open:
            self.tell(self._state())

    def notify(self, text: str, level: str, about: str = "") -> None:
        """Say a sentence in every window."""
        self.tell(notice(text, level, about))
        self.tell_state()


def notice(text: str, level: str, about: str = "") -> str:
    """A sentence as the message that it becomes."""
    kind: Literal["news", "trouble"] = "trouble" if level == "trouble" else "news"
    return Notice(level=kind, text=text, about=about).model_dump_json()
