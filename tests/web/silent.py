"""What stands in for the audio process and for the observer's process."""

import asyncio
from collections.abc import Callable
from typing import Any

from goshawk.core.rig import Rig
from goshawk.links import packed
from goshawk.observer import wishes
from goshawk.observer.desk import Desk
from goshawk.timeline.memory import Memory


class SilentEngine:
    """Stands in for the engine's client and writes down what it was told."""

    is_running = True
    restarts = 0
    plan_number = 1

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
        begin: wishes.Begin,
        heard: Callable[[wishes.FromObserver], None],
        save: Callable[[wishes.ToSave], Any],
    ) -> None:
        async def asked(what: wishes.ToSave) -> None:
            ask = _over_the_link(wishes.AskToSave(1, what), wishes._from_observer)
            await save(ask.what)

        self.desk = Desk(
            memory,
            begin,
            lambda message: heard(_over_the_link(message, wishes._from_observer)),
            asked,
        )

    def follow(self, message: wishes.Follow | wishes.Shown) -> None:
        arrived = _over_the_link(message, wishes._to_observer)
        if isinstance(arrived, wishes.Follow):
            self.desk.follow(arrived)
        else:
            self.desk.look_at(arrived)

    async def ask(self, what: wishes.Wish) -> Any:
        value = await self.desk.do(_over_the_link(wishes.Ask(1, what), wishes._to_observer).what)
        return _over_the_link(wishes.Answer(1, value), wishes._from_observer).value

    def tell(self, what: wishes.Wish) -> None:
        asyncio.get_running_loop().create_task(self.ask(what))

    async def stop(self) -> None: ...
