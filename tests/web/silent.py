"""What stands in for the audio process and for the observer's process."""

from typing import Any

from goshawk.bus import Bus
from goshawk.core.rig import Rig, Tried
from goshawk.engine.spawn import Spawned
from goshawk.links import packed
from goshawk.observer import requests
from goshawk.observer.desk import Desk
from goshawk.observer.wanted import ObserverWanted
from goshawk.timeline.memory import Memory


class SilentEngine:
    """Stands in for the engine's client and writes down what it was told."""

    is_running = True
    restarts = 0
    plan_number = 1
    frame_now = 0

    def __init__(self, rig: Rig, bus: Bus, spawned: Spawned | None) -> None:
        self.memory = spawned.memory if spawned else Memory.local()
        self.told: list[tuple[Any, ...]] = []
        self.rig: Rig | None = rig

    def apply(self, rig: Rig, tried: Tried | None = None) -> None:
        self.rig = rig

    def __getattr__(self, name: str) -> Any:
        return lambda *values: self.told.append((name, *values))


def _over_the_link(message: Any, to: Any) -> Any:
    """As it arrives on the other side."""
    return to.decode(packed(message)[4:])


class ObserverBeside:
    """Stands in for the observer's client: its desk in the same process, spoken to in the same messages."""

    def __init__(self, memory: Memory, document: Any, keeper: Any, bus: Bus) -> None:
        async def asked(what: requests.ToSave) -> None:
            ask = _over_the_link(requests.AskToSave(1, what), requests._from_observer)
            await keeper.save(ask.what)

        self._wanted = document.sender
        self.desk = Desk(
            memory,
            document.begin(self._wanted.begin()),
            lambda message: bus.publish(_over_the_link(message, requests._from_observer)),
            asked,
        )
        self._wanted.connect(self._send)
        self._wanted.confirm(self._wanted.number)

    def _send(self, wanted: ObserverWanted) -> None:
        self.desk.follow(_over_the_link(wanted, requests._to_observer))
        self._wanted.confirm(wanted.number)

    async def ask(self, what: requests.Request) -> Any:
        value = await self.desk.handle(
            _over_the_link(requests.Ask(1, what), requests._to_observer).what
        )
        return _over_the_link(requests.Answer(1, value), requests._from_observer).value

    async def stop(self) -> None: ...
