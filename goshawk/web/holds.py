"""What holds add to the trims of inputs, until it is in the trims themselves."""

from goshawk.bus import Bus
from goshawk.core.rig import Rig
from goshawk.engine.client import EngineClient
from goshawk.observer import requests
from goshawk.observer.client import ObserverGone
from goshawk.web.events import RigHeard
from goshawk.web.observer_document import ObserverDocument


class Holds:
    """The observer says what is added; here it is given to the engine, and let go where an input is held no more."""

    def __init__(self, engine: EngineClient, document: ObserverDocument, bus: Bus) -> None:
        self._engine, self._document = engine, document
        self.held_db: dict[str, float] = {}
        bus.subscribe(requests.Hold, self._hear)
        bus.subscribe(RigHeard, self._follow_rig)
        bus.subscribe(ObserverGone, self._forget)

    def _hold(self, held_db: dict[str, float]) -> None:
        if held_db == self.held_db:
            return
        self.held_db = held_db
        self._engine.hold(held_db)

    def _hear(self, said: requests.Hold) -> None:
        self._hold(said.held_db)

    def _forget(self, _: ObserverGone) -> None:
        self._hold({})

    def _follow_rig(self, said: RigHeard) -> None:
        if no_more := [name for name in self.held_db if not _is_held(said.rig, name)]:
            self.let_go(no_more)

    def let_go(self, inputs: list[str]) -> None:
        """What these inputs' holds had added is in their trims now."""
        held_db = {name: db for name, db in self.held_db.items() if name not in inputs}
        if held_db != self.held_db:
            self._hold(held_db)
            self._document.take_trims(inputs)


def _is_held(rig: Rig, input_id: str) -> bool:
    one = rig.input(input_id)
    return one is not None and one.is_held
