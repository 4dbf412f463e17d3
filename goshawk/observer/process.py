"""The observer's process: the desk, tied to the link to the web process. It ends with the web process, however that
ends."""

import asyncio
import logging
import os
import socket
from functools import partial
from typing import Any

from goshawk.errors import GoshawkError, ObserverLost, StoreUnusable
from goshawk.links import put
from goshawk.observer import requests
from goshawk.observer.desk import Desk
from goshawk.observer.wanted import Begin, ObserverWanted
from goshawk.system.scheduling import give_way
from goshawk.timeline.memory import HURRIED_PLACE, TEST_CLOCK, Memory

log = logging.getLogger(__name__)

NICENESS = 5
"""The sound on air goes first, and so does what a page asks of the web process."""

ENDS_S = 5.0
"""Nobody waits for what does not end when it should; while the web process is there, it waits less long than that."""

SAVES_S = 60.0
"""So long the web process may take to save something: a disk may be slow."""

PASSING_BYTES = 1 << 20
"""So much the web process has not taken yet: what the next message of its kind replaces is left out then."""


class _Link:
    """Sends in order; asks, and hands on the answers."""

    def __init__(self, writer: asyncio.StreamWriter) -> None:
        self._writer = writer
        self._asked: dict[int, asyncio.Future[Any]] = {}
        self._count = 0

    def say(self, message: requests.FromObserver) -> None:
        passing = isinstance(message, requests.ToPages) and message.kind
        if passing and self._writer.transport.get_write_buffer_size() > PASSING_BYTES:
            return
        put(self._writer, message)

    async def ask(self, what: requests.ToSave) -> Any:
        self._count += 1
        answer: asyncio.Future[Any] = asyncio.get_running_loop().create_future()
        self._asked[self._count] = answer
        number = self._count
        self.say(requests.AskToSave(number, what))
        try:
            async with asyncio.timeout(SAVES_S):
                return await answer
        except TimeoutError:
            raise StoreUnusable("It could not be saved in time. Try again.") from None
        finally:
            self._asked.pop(number, None)

    def answered(self, answer: requests.Answer) -> None:
        asked = self._asked.pop(answer.number, None)
        if asked is None or asked.done():
            return
        if answer.failure:
            asked.set_exception(requests.error_of(answer.failure))
        else:
            asked.set_result(answer.value)


async def _answer(desk: Desk, link: _Link, ask: requests.Ask) -> None:
    try:
        value = await desk.handle(ask.what)
    except GoshawkError as error:
        link.say(requests.Answer(ask.number, failure=requests.failure_of(error)))
    except Exception:
        link.say(requests.Answer(ask.number, failure=requests.failure_of(ObserverLost())))
        raise
    else:
        link.say(requests.Answer(ask.number, value))


def _drop(answering: dict[int, "asyncio.Task[None]"], number: int, _: object) -> None:
    answering.pop(number, None)


async def _serve(end: socket.socket, memory: Memory) -> None:
    reader, writer = await asyncio.open_connection(sock=end, limit=1 << 20)
    link = _Link(writer)
    begin = await requests.next_to_observer(reader)
    assert isinstance(begin, Begin)
    place = HURRIED_PLACE if os.environ.get(TEST_CLOCK) else None
    desk = Desk(memory, begin, link.say, link.ask, place)
    desk.start()
    answering: dict[int, asyncio.Task[None]] = {}
    try:
        while True:
            match message := await requests.next_to_observer(reader):
                case ObserverWanted():
                    desk.follow(message)
                case requests.Ask(number):
                    task = desk.supervisor.once("what was asked for", _answer(desk, link, message))
                    answering[number] = task
                    task.add_done_callback(partial(_drop, answering, number))
                case requests.Cancel(number):
                    if number in answering:
                        answering[number].cancel()
                case requests.Answer():
                    link.answered(message)
    finally:
        async with asyncio.timeout(ENDS_S):
            await desk.close()


async def _serve_to_the_end(end: socket.socket, memory: Memory) -> None:
    try:
        await _serve(end, memory)
    except (EOFError, ConnectionError):  # The web process has ended.
        pass
    except Exception:
        log.exception("the observer broke off")
    finally:
        memory.remove_if_left()
        os._exit(
            0
        )  # Neither work in threads nor what does not end when it should may hold up the end.


def run(link: socket.socket, memory_name: str) -> None:
    """Entry of the process."""
    give_way(NICENESS)
    asyncio.run(_serve_to_the_end(link, Memory.open(memory_name)))
