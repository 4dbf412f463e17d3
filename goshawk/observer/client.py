"""The observer as the web process sees it: started, told what is set and looked at, asked, and started again if it is
lost."""

import asyncio
import contextlib
import logging
import subprocess
from collections.abc import Awaitable, Callable
from typing import Any

from goshawk.errors import GoshawkError, ObserverLost, StoreUnusable
from goshawk.links import put
from goshawk.observer import wishes
from goshawk.system.ending import see_end
from goshawk.system.processes import start_process

log = logging.getLogger(__name__)

LONGEST_PAUSE_S = 5.0
ENDS_S = 1.0


class ObserverClient:
    """Keeps one observer running. ``begin`` makes the first message, ``heard`` takes what it says, ``save`` does what
    it wants saved, ``lost`` is called when it has gone (and is started again)."""

    def __init__(
        self,
        memory_name: str,
        begin: Callable[[], wishes.Begin],
        heard: Callable[[wishes.FromObserver], None],
        save: Callable[[wishes.ToSave], Awaitable[Any]],
        lost: Callable[[], None],
    ) -> None:
        self._memory_name = memory_name
        self._begin, self._heard, self._save, self._lost = begin, heard, save, lost
        self._writer: asyncio.StreamWriter | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._asked: dict[int, asyncio.Future[Any]] = {}
        self._count = 0
        self._newest: dict[type, wishes.ToObserver] = {}
        self._running: asyncio.Task[None] | None = None
        self._tasks: set[asyncio.Task[None]] = set()

    @property
    def pid(self) -> int | None:
        """Its process's number."""
        return self._process.pid if self._process else None

    def start(self) -> None:
        """Start it; what is said before it is there waits."""
        self._running = asyncio.create_task(self._keep_running())

    async def stop(self) -> None:
        """End it."""
        if self._running:
            self._running.cancel()
            await asyncio.gather(self._running, return_exceptions=True)
        for task in self._tasks:
            task.cancel()

    def follow(self, message: wishes.Follow | wishes.Shown) -> None:
        """What lasts: the newest of each kind is said again to one that is started anew."""
        self._newest[type(message)] = message
        self._send(message)

    async def ask(self, what: wishes.Wish) -> Any:
        """Have something done; what comes of it. Raises GoshawkError: what it says, or ObserverLost."""
        if self._writer is None:
            raise ObserverLost
        self._count += 1
        answer: asyncio.Future[Any] = asyncio.get_running_loop().create_future()
        self._asked[self._count] = answer
        self._send(wishes.Ask(self._count, what))
        return await answer

    def tell(self, what: wishes.Wish) -> None:
        """Have something done that nobody waits for."""
        self._send(wishes.Ask(0, what))

    def _send(self, message: wishes.ToObserver) -> None:
        if self._writer:
            put(self._writer, message)

    async def _keep_running(self) -> None:
        pause_s = 0.2
        while True:
            began = asyncio.get_running_loop().time()
            try:
                await self._run_one()
            except Exception:  # Whatever it was: another one is started.
                log.exception("the observer's link broke off")
            self._lost()
            log.warning("observer lost, starting it again")
            if asyncio.get_running_loop().time() - began > 60.0:
                pause_s = 0.2
            await asyncio.sleep(pause_s)
            pause_s = min(LONGEST_PAUSE_S, pause_s * 2.0)

    async def _run_one(self) -> None:
        self._process, end = start_process("goshawk.observer.process", self._memory_name)
        reader, self._writer = await asyncio.open_connection(sock=end, limit=1 << 20)
        try:
            self._send(self._begin())
            for message in self._newest.values():
                self._send(message)
            with contextlib.suppress(EOFError, ConnectionError):
                while True:
                    self._hear(await wishes.next_from_observer(reader))
        finally:
            self._writer.close()
            self._writer = None
            await see_end(self._process, ENDS_S)
            for answer in self._asked.values():
                if not answer.done():
                    answer.set_exception(ObserverLost())
            self._asked.clear()

    def _hear(self, message: wishes.FromObserver) -> None:
        match message:
            case wishes.Answer():
                asked = self._asked.pop(message.number, None)
                if asked is None or asked.done():
                    return
                if message.failure:
                    asked.set_exception(wishes.error_of(message.failure))
                else:
                    asked.set_result(message.value)
            case wishes.AskToSave(number, what):
                task = asyncio.create_task(self._save_and_answer(number, what))
                self._tasks.add(task)
                task.add_done_callback(self._tasks.discard)
            case _:
                try:
                    self._heard(message)
                except Exception:  # One bad message must not end the link.
                    log.exception("what the observer said could not be handled")

    async def _save_and_answer(self, number: int, what: wishes.ToSave) -> None:
        failure = None
        try:
            await self._save(what)
        except GoshawkError as error:
            failure = wishes.failure_of(error)
        except Exception:  # It waits for an answer, whatever happens.
            log.exception("what the observer wanted saved could not be")
            failure = wishes.failure_of(StoreUnusable("It could not be saved. Try again."))
        self._send(wishes.Answer(number, failure=failure))
