"""What the audio process's coming and going means to everybody else."""

from goshawk.bus import Bus
from goshawk.engine.client import EngineClient, ForUser
from goshawk.engine.messages import Seen
from goshawk.web.events import EngineGone, Notified, StateChanged


class EngineNews:
    """Says that it plays, that it is gone, and what it says to the user."""

    def __init__(self, engine: EngineClient, bus: Bus) -> None:
        self._engine, self._bus = engine, bus
        self._is_shown_running = False
        bus.subscribe(Seen, self._see)
        bus.subscribe(ForUser, self._hear)

    def _see(self, _: Seen) -> None:
        if not self._is_shown_running:
            self._is_shown_running = True
            self._bus.publish(StateChanged())

    def _hear(self, said: ForUser) -> None:
        if not self._engine.is_running:
            self._is_shown_running = False
            self._bus.publish(EngineGone())
        self._bus.publish(Notified(said.text, "news" if said.is_over else "trouble", said.about))
