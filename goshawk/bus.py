"""Passes events from one part of a process to others. The publisher does not know who hears them."""

import logging
from collections import defaultdict
from collections.abc import Callable
from typing import Any, TypeVar

log = logging.getLogger(__name__)

E = TypeVar("E")


class Bus:
    """Passes each event on at once, by its class, to all who subscribed to that class, in the order in which they did."""

    def __init__(self) -> None:
        self._hearers: defaultdict[type, list[Callable[[Any], None]]] = defaultdict(list)

    def subscribe(self, kind: type[E], hear: Callable[[E], None]) -> None:
        """Call ``hear`` with every event of this class from now on."""
        self._hearers[kind].append(hear)

    def publish(self, event: object) -> None:
        """Pass an event on. An error in one hearer is logged. It does not stop the others, or the publisher: a change is still saved."""
        for hear in self._hearers[type(event)]:
            try:
                hear(event)
            except Exception:
                log.exception("an event could not be handled: %s", type(event).__name__)
