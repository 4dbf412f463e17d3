"""The recorder's process: a session, tied to the link to who started it. It ends when the recording is written, also when who
started it is gone; nothing of it runs on compiled kernels."""

import goshawk

goshawk.runs_kernels = (
    False  # It computes little: it is there sooner, and smaller, without a compiler.
)

import asyncio  # noqa: E402
import contextlib  # noqa: E402
import logging  # noqa: E402
import os  # noqa: E402
import socket  # noqa: E402

from goshawk.links import put  # noqa: E402
from goshawk.recorder import messages  # noqa: E402
from goshawk.recorder.session import Session  # noqa: E402
from goshawk.recorder.wanted import RecorderWanted  # noqa: E402
from goshawk.system.scheduling import give_way  # noqa: E402
from goshawk.timeline.memory import (  # noqa: E402
    LOGGED,
    RECORDER_PLACE,
    TEST_CLOCK,
    Memory,
)

log = logging.getLogger(__name__)

NICENESS = 3
"""Behind the sound on air, ahead of all figures: what it does not take in time is lost."""

TICK_S, TICK_HURRIED_S, STATUS_EVERY_S = 0.1, 0.002, 0.25
PASSING_BYTES = 1 << 20


class _Recorder:
    """Waits for what is to be recorded, records it to its end, and says twice a second or so that it goes on."""

    def __init__(self, memory: Memory, writer: asyncio.StreamWriter) -> None:
        self._memory, self._writer = memory, writer
        self._loop = asyncio.get_running_loop()
        self._is_hurried = bool(os.environ.get(TEST_CLOCK))
        self._wanted = 0
        self._has_work = asyncio.Event()
        self.session: Session | None = None

    def _say_from_thread(self, message: messages.FromRecorder) -> None:
        with contextlib.suppress(RuntimeError):  # The loop has ended: nobody listens.
            self._loop.call_soon_threadsafe(self.say, message)

    def say(self, message: messages.FromRecorder) -> None:
        """What passes is left out where the other end does not take it."""
        is_passing = isinstance(message, messages.Status)
        if not (is_passing and self._writer.transport.get_write_buffer_size() > PASSING_BYTES):
            put(self._writer, message)

    def follow(self, wanted: RecorderWanted) -> None:
        """Another document of what is wanted."""
        self._wanted = wanted.number
        if wanted.recorded is not None and self.session is None:
            self.session = Session(
                self._memory, wanted.recorded, self._say_from_thread, waits=self._is_hurried
            )
            self._has_work.set()
        if wanted.recorded is not None and self.session is not None:
            self.session.follow(wanted.recorded)
        self.say(messages.RecorderAlive(wanted.number))

    def end(self) -> None:
        """Who wanted it is gone: what was recorded until now is written."""
        if self.session is not None:
            self.session.end()
        self._has_work.set()

    async def say_alive(self) -> None:
        """For ever."""
        while True:
            self.say(messages.RecorderAlive(self._wanted))
            await asyncio.sleep(STATUS_EVERY_S)

    async def run(self) -> None:
        """Until all is written."""
        await self._has_work.wait()
        if self.session is None:
            return
        said_at = 0.0
        while not self.session.is_at_end:
            is_behind = (
                await asyncio.to_thread(self._turn, self.session)
                if self._is_hurried
                else self._turn(self.session)
            )
            now = self._loop.time()
            if now - said_at > STATUS_EVERY_S:
                said_at = now
                if status := self.session.status():
                    self.say(status)
            if not is_behind:
                await asyncio.sleep(TICK_HURRIED_S if self._is_hurried else TICK_S)
            else:
                await asyncio.sleep(0)
        self._memory.places[RECORDER_PLACE] = -1
        finished = await asyncio.to_thread(self.session.close)
        self.say(finished)
        with contextlib.suppress(ConnectionError):
            await self._writer.drain()

    def _turn(self, session: Session) -> bool:
        logged = int(self._memory.head[LOGGED])
        is_behind = session.turn()
        if self._is_hurried and not is_behind:
            self._memory.places[RECORDER_PLACE] = logged
        return is_behind


async def _serve(end: socket.socket, memory: Memory) -> None:
    reader, writer = await asyncio.open_connection(sock=end, limit=1 << 20)
    recorder = _Recorder(memory, writer)
    running = asyncio.create_task(recorder.run())
    beside = [
        following := asyncio.create_task(_follow(reader, recorder)),
        asyncio.create_task(recorder.say_alive()),
    ]
    await asyncio.wait({running, following}, return_when=asyncio.FIRST_COMPLETED)
    # Who started it may be gone: what was recorded until then is written.
    recorder.end()
    await running
    for task in beside:
        task.cancel()
    writer.close()


async def _follow(reader: asyncio.StreamReader, recorder: _Recorder) -> None:
    with contextlib.suppress(EOFError, ConnectionError):
        while True:
            match message := await messages.next_to_recorder(reader):
                case RecorderWanted():
                    recorder.follow(message)
                case messages.RigOfPlan():
                    if recorder.session is not None:
                        recorder.session.heard(message)


def run(link: socket.socket, memory_name: str) -> None:
    """Entry of the process."""
    os.umask(0o077)
    give_way(NICENESS)
    memory = Memory.open(memory_name)
    try:
        with contextlib.suppress(EOFError, ConnectionError):
            asyncio.run(_serve(link, memory))
    finally:
        memory.remove_if_left()
