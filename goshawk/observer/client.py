"""The observer as the web process sees it: started, told what is set and looked at, asked, and started again if it is
lost."""

import asyncio
import contextlib
import logging
import subprocess
from dataclasses import dataclass
from typing import Any, Protocol

from goshawk.bus import Bus
from goshawk.errors import GoshawkError, ObserverLost, ObserverSilent, StoreUnusable
from goshawk.links import put
from goshawk.observer import requests
from goshawk.observer.wanted import Begin, ObserverWanted
from goshawk.silence import Silence
from goshawk.system.ending import see_end
from goshawk.system.processes import start_process
from goshawk.wanted import WantedSender

log = logging.getLogger(__name__)

LONGEST_PAUSE_S = 5.0
ENDS_S = 1.0
SILENT_S = 5.0
"""An observer that said nothing for so long is taken for hung, and replaced: it says twice a second that it goes on."""

START_S = 180.0
"""A first start compiles kernels."""


@dataclass(frozen=True)
class ObserverGone:
    """The observer is lost, and with it what it had measured and played; another one is started."""


class Document(Protocol):
    """What is wanted of the observer."""

    sender: WantedSender[ObserverWanted]

    def begin(self, wanted: ObserverWanted) -> Begin:
        """The first message to one that is started."""


class Keeper(Protocol):
    """Keeps what the observer wants saved."""

    async def save(self, what: requests.ToSave) -> None:
        """Keep it. Raises GoshawkError."""


class ObserverClient:
    """Keeps one observer running. What it says is published, and ``ObserverGone``."""

    def __init__(self, memory_name: str, document: Document, keeper: Keeper, bus: Bus) -> None:
        self._memory_name, self._document, self._keeper = memory_name, document, keeper
        self._bus, self._wanted = bus, document.sender
        self._silence = Silence()
        self._writer: asyncio.StreamWriter | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._asked: dict[int, asyncio.Future[Any]] = {}
        self._count = 0
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

    async def ask(self, what: requests.Request) -> Any:
        """Have something done; what comes of it. Whoever gives up waiting calls it off. Raises GoshawkError: what it says,
        ObserverLost, or ObserverSilent if there is no answer in time."""
        if self._writer is None:
            raise ObserverLost
        self._wanted.flush()
        self._count += 1
        number = self._count
        answer: asyncio.Future[Any] = asyncio.get_running_loop().create_future()
        self._asked[number] = answer
        self._send(requests.Ask(number, what))
        try:
            async with asyncio.timeout(requests.limit_s(what)):
                return await answer
        except TimeoutError:
            raise ObserverSilent from None
        finally:
            if self._asked.pop(number, None) is not None:
                self._send(requests.Cancel(number))

    def _send(self, message: requests.ToObserver) -> None:
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
            self._bus.publish(ObserverGone())
            log.warning("observer lost, starting it again")
            if asyncio.get_running_loop().time() - began > 60.0:
                pause_s = 0.2
            await asyncio.sleep(pause_s)
            pause_s = min(LONGEST_PAUSE_S, pause_s * 2.0)

    async def _run_one(self) -> None:
        self._process, end = start_process("goshawk.observer.process", self._memory_name)
        reader, self._writer = await asyncio.open_connection(sock=end, limit=1 << 20)
        self._silence.begin()
        watching = asyncio.create_task(self._silence.end_if_hung(self._process, SILENT_S, START_S))
        try:
            self._send(self._document.begin(self._wanted.begin()))
            self._wanted.connect(self._send)
            with contextlib.suppress(EOFError, ConnectionError):
                while True:
                    self._hear(await requests.next_from_observer(reader))
        finally:
            watching.cancel()
            self._wanted.disconnect()
            self._writer.close()
            self._writer = None
            await see_end(self._process, ENDS_S)
            for answer in self._asked.values():
                if not answer.done():
                    answer.set_exception(ObserverLost())
            self._asked.clear()

    def _hear(self, message: requests.FromObserver) -> None:
        match message:
            case requests.ObserverAlive(number):
                self._silence.heard()
                self._wanted.confirm(number)
            case requests.Answer():
                asked = self._asked.pop(message.number, None)
                if asked is None or asked.done():
                    return
                if message.failure:
                    asked.set_exception(requests.error_of(message.failure))
                else:
                    asked.set_result(message.value)
            case requests.AskToSave(number, what):
                task = asyncio.create_task(self._save_and_answer(number, what))
                self._tasks.add(task)
                task.add_done_callback(self._tasks.discard)
            case _:
                try:
                    self._bus.publish(message)
                except Exception:  # One bad message must not end the link.
                    log.exception("what the observer said could not be handled")

    async def _save_and_answer(self, number: int, what: requests.ToSave) -> None:
        failure = None
        try:
            await self._keeper.save(what)
        except GoshawkError as error:
            failure = requests.failure_of(error)
        except Exception:  # It waits for an answer, whatever happens.
            log.exception("what the observer wanted saved could not be")
            failure = requests.failure_of(StoreUnusable("It could not be saved. Try again."))
        self._send(requests.Answer(number, failure=failure))
