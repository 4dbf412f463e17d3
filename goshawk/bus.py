"""A small bus for events inside one process: who publishes does not know who hears."""

from collections import defaultdict
from collections.abc import Callable
from typing import Any, TypeVar

E = TypeVar("E")


class Bus:
    """Passes each event on at once, by its class, to all who subscribed to that class, in the order in which they did."""

    def __init__(self) -> None:
        self._hearers: defaultdict[type, list[Callable[[Any], None]]] = defaultdict(list)

    def subscribe(self, kind: type[E], hear: Callable[[E], None]) -> None:
        """Call ``hear`` with every event of this class from now on."""
        self._hearers[kind].append(hear)

    def publish(self, event: object) -> None:
        """Pass an event on. One hearer's error keeps the others from nothing: the first is raised when all have heard."""
        first: Exception | None = None
        for hear in self._hearers[type(event)]:
            try:
                hear(event)
            except Exception as error:
                first = first or error
        if first is not None:
            raise first
