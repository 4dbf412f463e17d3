"""What stands in for the audio process and for the observer's process."""

from collections.abc import Callable
from typing import Any

from goshawk.core.rig import Rig
from goshawk.links import packed
from goshawk.observer import requests
from goshawk.observer.desk import Desk
from goshawk.observer.wanted import Begin, Wanted
from goshawk.timeline.memory import Memory
from goshawk.wanted import WantedSender


class SilentEngine:
    """Stands in for the engine's client and writes down what it was told."""

    is_running = True
    restarts = 0
    plan_number = 1
    frame_now = 0

    def __init__(self, memory: Memory) -> None:
        self.memory = memory
        self.told: list[tuple[Any, ...]] = []
        self.rig: Rig | None = None

    def apply(self, rig: Rig) -> None:
        self.rig = rig

    def __getattr__(self, name: str) -> Any:
        return lambda *values: self.told.append((name, *values))


def _over_the_link(message: Any, to: Any) -> Any:
    """As it arrives on the other side."""
    return to.decode(packed(message)[4:])


class ObserverBeside:
    """Stands in for the observer's client: its desk in the same process, spoken to in the same messages."""

    def __init__(
        self,
        memory: Memory,
        make_begin: Callable[[Wanted], Begin],
        make_wanted: Callable[[int], Wanted],
        heard: Callable[[requests.FromObserver], None],
        save: Callable[[requests.ToSave], Any],
    ) -> None:
        async def asked(what: requests.ToSave) -> None:
            ask = _over_the_link(requests.AskToSave(1, what), requests._from_observer)
            await save(ask.what)

        self._wanted = WantedSender(make_wanted)
        self.desk = Desk(
            memory,
            make_begin(self._wanted.begin()),
            lambda message: heard(_over_the_link(message, requests._from_observer)),
            asked,
        )
        self._wanted.connect(self._send)

    def _send(self, wanted: Wanted) -> None:
        self.desk.follow(_over_the_link(wanted, requests._to_observer))
        self._wanted.confirm(wanted.number)

    def changed(self) -> None:
        self._wanted.changed()
        self._wanted.flush()

    async def ask(self, what: requests.Request) -> Any:
        value = await self.desk.handle(
            _over_the_link(requests.Ask(1, what), requests._to_observer).what
        )
        return _over_the_link(requests.Answer(1, value), requests._from_observer).value

    async def stop(self) -> None: ...
