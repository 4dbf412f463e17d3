"""The recorder as who starts it sees it: started, told, heard, and started again with a new folder if it is lost."""

import asyncio
import contextlib
import logging
import subprocess
from collections.abc import Awaitable, Callable

from goshawk.links import put
from goshawk.recorder import messages
from goshawk.system.ending import see_end
from goshawk.system.processes import start_process

log = logging.getLogger(__name__)

CLOSES_S = 60.0
"""So long a slow disk may take to close what is recorded."""

WRITES_S = 1.0
"""Nor is one waited for longer that nobody has a link to any more."""

TRY_AGAIN_S = 0.5
"""Where a process cannot be started, or its link breaks off."""


class RecorderClient:
    """One recording. ``heard`` takes what the recorder says; ``lost`` is awaited when it has gone without having finished,
    and gives the first message for another one, or None."""

    def __init__(
        self,
        memory_name: str,
        heard: Callable[[messages.FromRecorder], None],
        lost: Callable[[], Awaitable[messages.Begin | None]],
    ) -> None:
        self._memory_name, self._heard, self._lost = memory_name, heard, lost
        self._writer: asyncio.StreamWriter | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._running: asyncio.Task[None] | None = None
        self.is_ending = self._is_given_up = False
        self.finished = asyncio.Event()

    @property
    def pid(self) -> int | None:
        """Its process's number."""
        return self._process.pid if self._process else None

    def start(self, begin: messages.Begin) -> None:
        """Start it; it records as soon as its tracks' sounds are offered."""
        self._running = asyncio.create_task(self._keep_running(begin))

    def tell(self, message: messages.ToRecorder) -> None:
        """Say something; what is said while it is not there is of no use to the next one."""
        if self._writer:
            put(self._writer, message)

    async def end(self) -> None:
        """Have all written and closed."""
        self.is_ending = True
        self.tell(messages.End())
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(CLOSES_S):
                await self.finished.wait()
        if self._running:
            self._running.cancel()
            await asyncio.gather(self._running, return_exceptions=True)

    async def give_up(self) -> None:
        """End it without what it may still write: it has written nothing yet."""
        self.is_ending = self._is_given_up = True
        if self._running:
            self._running.cancel()
            await asyncio.gather(self._running, return_exceptions=True)
        self.finished.set()

    async def _keep_running(self, begin: messages.Begin) -> None:
        next_begin: messages.Begin | None = begin
        while next_begin is not None:
            is_finished = False
            try:
                is_finished = await self._run_one(next_begin)
            except Exception:
                # Whatever it was, also where no process can be started: another one may do.
                log.exception("the recorder's link broke off")
                await asyncio.sleep(TRY_AGAIN_S)
            if is_finished or self.is_ending:
                break
            log.warning("recorder lost, starting it again")
            next_begin = await self._lost()
        self.finished.set()

    async def _run_one(self, begin: messages.Begin) -> bool:
        self._process, end = start_process("goshawk.recorder.process", self._memory_name)
        reader, self._writer = await asyncio.open_connection(sock=end, limit=1 << 20)
        put(self._writer, begin)
        if self.is_ending:
            put(self._writer, messages.End())
        is_finished = False
        try:
            with contextlib.suppress(EOFError, ConnectionError):
                while True:
                    message = await messages.next_from_recorder(reader)
                    is_finished |= isinstance(message, messages.Finished)
                    try:
                        self._heard(message)
                    except Exception:  # One bad message must not end the link.
                        log.exception("what the recorder said could not be handled")
        finally:
            self._writer.close()
            self._writer = None
            # It writes what it has. On a drive that does not answer it is left to do that when it can.
            await see_end(self._process, WRITES_S, is_killed=self._is_given_up)
        return is_finished
