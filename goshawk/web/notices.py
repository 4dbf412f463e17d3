"""Sentences for the user, said in every window."""

from goshawk.bus import Bus
from goshawk.web.events import Notified


class Notices:
    """Says what is new, and what is wrong."""

    def __init__(self, bus: Bus) -> None:
        self._bus = bus

    def news(self, text: str) -> None:
        """Say what has happened."""
        self._bus.publish(Notified(text, "news"))

    def trouble(self, text: str) -> None:
        """Say what is wrong, and what to do."""
        self._bus.publish(Notified(text, "trouble"))
