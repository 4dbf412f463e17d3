"""Keeps a process's background work going: what fails is logged, told, and started again."""

import asyncio
import logging
import time
from collections.abc import Awaitable, Callable, Coroutine
from typing import Any, Generic, TypeVar

log = logging.getLogger(__name__)

FIRST_PAUSE_S = 0.5
LONGEST_PAUSE_S = 10.0
CALM_S = 60.0
"""Work that went well for so long is started again quickly; what fails over and over is told once in so long."""


T = TypeVar("T")
_going_on: set[asyncio.Task[Any]] = set()


async def to_its_end(work: Coroutine[Any, Any, T]) -> T:
    """What ``work`` gives. Whoever waits for it may be cancelled, as a request whose client is gone: the work is not, so
    that nothing is left half done."""
    task = asyncio.get_running_loop().create_task(work)
    _going_on.add(task)
    task.add_done_callback(_finished)
    return await asyncio.shield(task)


def _finished(task: asyncio.Task[Any]) -> None:
    _going_on.discard(task)
    if not task.cancelled():
        task.exception()  # Seen, also where nobody waits any more.


class Supervisor:
    """Owns every task that no request waits for."""

    def __init__(self, tell: Callable[[str], None]) -> None:
        self._tell = tell
        self._tasks: set[asyncio.Task[None]] = set()
        self._told_at: dict[str, float] = {}

    def keep(self, what: str, work: Callable[[], Awaitable[None]]) -> asyncio.Task[None]:
        """Do ``work`` for ever: it is begun again when it ends by an error. ``what`` names it in a sentence."""
        return self._start(self._kept(what, work))

    def once(self, what: str, work: Coroutine[Any, Any, None]) -> asyncio.Task[None]:
        """Do ``work`` once; an error nobody foresaw is logged and told."""
        task = self._start(work)
        task.add_done_callback(lambda done: self._look(what, done))
        return task

    def _look(self, what: str, task: asyncio.Task[None]) -> None:
        if not task.cancelled() and (error := task.exception()):
            self._failed(what, "Try it again.", error)

    def _start(self, work: Coroutine[Any, Any, None]) -> asyncio.Task[None]:
        task = asyncio.get_running_loop().create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
        return task

    async def _kept(self, what: str, work: Callable[[], Awaitable[None]]) -> None:
        pause_s = FIRST_PAUSE_S
        while True:
            began = time.monotonic()
            try:
                await work()
                return
            except Exception as error:
                self._failed(what, "It was started again.", error)
            if time.monotonic() - began > CALM_S:
                pause_s = FIRST_PAUSE_S
            await asyncio.sleep(pause_s)
            pause_s = min(LONGEST_PAUSE_S, pause_s * 2.0)

    def _failed(self, what: str, advice: str, error: BaseException) -> None:
        log.error("%s broke off", what, exc_info=error)
        now = time.monotonic()
        if now - self._told_at.get(what, -CALM_S) >= CALM_S:
            self._told_at[what] = now
            self._tell(f"Something went wrong inside Goshawk: {what} broke off. {advice}")

    async def close(self) -> None:
        """Break everything off."""
        tasks = list(self._tasks)
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)


class NewestWish(Generic[T]):
    """Work that is done for one wish at a time; of those that come meanwhile, only the newest is done next."""

    def __init__(
        self, supervisor: Supervisor, what: str, work: Callable[[T], Awaitable[None]]
    ) -> None:
        self._supervisor, self._what, self._work = supervisor, what, work
        self._waiting: list[T] = []
        self._task: asyncio.Task[None] | None = None

    @property
    def has_newer(self) -> bool:
        """Whether what is being done is of the past already."""
        return bool(self._waiting)

    def ask(self, wish: T) -> None:
        """Have it done as soon as can be."""
        self._waiting = [wish]
        if self._task is None or self._task.done():
            self._task = self._supervisor.once(self._what, self._run())

    async def _run(self) -> None:
        while self._waiting:
            await self._work(self._waiting.pop())
