"""How a process is told what is wanted of it: one numbered document, sent until it is confirmed.

Start, restart and change are the same path: whoever holds the state says that something is another, and the newest document is
made and sent as soon as the one before is confirmed. So a burst of changes costs one document, and a slow process gets no queue."""

from collections.abc import Callable
from typing import Generic, TypeVar

W = TypeVar("W")


class WantedSender(Generic[W]):
    """Owns the numbers of one process's documents. ``make`` makes the newest document, with the number that it gets."""

    def __init__(self, make: Callable[[int], W]) -> None:
        self._make = make
        self._send: Callable[[W], None] | None = None
        self.number = 0
        """Of the newest document that was sent."""
        self.confirmed = 0
        """Of the newest document that is followed."""
        self._is_changed = False

    @property
    def is_confirmed(self) -> bool:
        """Whether all that is wanted is followed."""
        return self._send is not None and self.confirmed == self.number and not self._is_changed

    def begin(self) -> W:
        """Return the newest document for a process that starts: as its first message."""
        self._is_changed = False
        self.number += 1
        return self._make(self.number)

    def connect(self, send: Callable[[W], None]) -> None:
        """Send what changes from now on by ``send``; the first document has been given with ``begin``."""
        self._send = send

    def disconnect(self) -> None:
        """The process is gone: what changes waits for the next one."""
        self._send = None

    def changed(self) -> None:
        """Something that the document says is another: send the newest, now or once the last is confirmed."""
        self._is_changed = True
        self._send_if_free()

    def flush(self) -> None:
        """Send what is another now, ahead of a request that counts on it."""
        if self._is_changed and self._send is not None:
            self._is_changed = False
            self.number += 1
            self._send(self._make(self.number))

    def confirm(self, number: int) -> None:
        """Note that a document is followed. Of an older process, or an older document, nothing is noted."""
        if number == self.number:
            self.confirmed = number
            self._send_if_free()

    def _send_if_free(self) -> None:
        if self.confirmed == self.number:
            self.flush()
