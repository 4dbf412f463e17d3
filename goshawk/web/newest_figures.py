"""The newest figures of what plays: kept for whoever asks, and passed on to pages."""

from goshawk.bus import Bus
from goshawk.engine.client import EngineClient
from goshawk.observer import requests
from goshawk.observer.client import ObserverGone
from goshawk.page_messages.live import Levels
from goshawk.web.events import EngineGone, PageMessage


class NewestFigures:
    """Figures of what does not play any more are not kept."""

    def __init__(self, engine: EngineClient, bus: Bus) -> None:
        self._engine, self._bus = engine, bus
        self.text: str | None = None
        """As JSON; None until the engine plays."""
        bus.subscribe(requests.ToPages, self._hear)
        bus.subscribe(EngineGone, self._forget)
        bus.subscribe(ObserverGone, self._forget)

    @property
    def levels(self) -> Levels | None:
        """The same, read."""
        return Levels.model_validate_json(self.text) if self.text else None

    def _hear(self, said: requests.ToPages) -> None:
        if said.kind == "levels":
            if not self._engine.is_running:
                return
            self.text = said.text
        self._bus.publish(PageMessage(said.text, said.kind))

    def _forget(self, _: EngineGone | ObserverGone) -> None:
        self.text = None
