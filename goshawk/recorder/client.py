"""The recorder as who starts it sees it: started, told, heard, and started again with a new folder if it is lost."""

import asyncio
import contextlib
import logging
import subprocess
from collections.abc import Awaitable, Callable

from goshawk.links import put
from goshawk.recorder import messages
from goshawk.recorder.wanted import RecorderWanted
from goshawk.silence import Silence
from goshawk.system.ending import see_end
from goshawk.system.processes import start_process
from goshawk.wanted import WantedSender

log = logging.getLogger(__name__)

CLOSES_S = 60.0
"""So long a slow disk may take to close what is recorded."""

WRITES_S = 1.0
"""Nor is one waited for longer that nobody has a link to any more."""

SILENT_S, START_S = 2.0, 60.0
"""A recorder that said nothing for so long is taken for hung, and replaced: it says four times a second that it goes on. Until its
first word it may take longer."""

TRY_AGAIN_S = 0.5
"""Where a process cannot be started, or its link breaks off."""


class RecorderClient:
    """One recording, or a recorder that waits for one. ``make_wanted`` makes the document of what is wanted, ``heard`` takes what the
    recorder says; ``lost`` is awaited when it has gone without having finished, and says whether another one goes on."""

    def __init__(
        self,
        memory_name: str,
        make_wanted: Callable[[int], RecorderWanted],
        heard: Callable[[messages.FromRecorder], None],
        lost: Callable[[], Awaitable[bool]],
    ) -> None:
        self._memory_name, self._heard, self._lost = memory_name, heard, lost
        self._wanted = WantedSender(make_wanted)
        self._silence = Silence()
        self._writer: asyncio.StreamWriter | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._running: asyncio.Task[None] | None = None
        self.is_ending = self._is_given_up = False
        self.finished = asyncio.Event()

    @property
    def pid(self) -> int | None:
        """Its process's number."""
        return self._process.pid if self._process else None

    def start(self) -> None:
        """Start it; it records as soon as its tracks' sounds are offered."""
        self._running = asyncio.create_task(self._keep_running())

    def changed(self) -> None:
        """Something that is wanted is another."""
        self._wanted.changed()

    def tell(self, message: messages.RigOfPlan) -> None:
        """Say which rig a plan has; one that is started anew begins with the newest."""
        if self._writer:
            self._wanted.flush()
            put(self._writer, message)

    async def end(self) -> None:
        """Have all written and closed; what is wanted says where it ends."""
        self.is_ending = True
        self.changed()
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(CLOSES_S):
                await self.finished.wait()
        await self.give_up(is_killed=False)

    async def give_up(self, *, is_killed: bool = True) -> None:
        """End it without what it may still write: it has written nothing yet."""
        self.is_ending = True
        self._is_given_up = is_killed
        if self._running:
            self._running.cancel()
            await asyncio.gather(self._running, return_exceptions=True)
        self.finished.set()

    async def _keep_running(self) -> None:
        while True:
            is_finished = False
            try:
                is_finished = await self._run_one()
            except Exception:
                # Whatever it was, also where no process can be started: another one may do.
                log.exception("the recorder's link broke off")
                await asyncio.sleep(TRY_AGAIN_S)
            if is_finished or self.is_ending:
                break
            log.warning("recorder lost, starting it again")
            if not await self._lost():
                break
        self.finished.set()

    async def _run_one(self) -> bool:
        self._process, end = start_process("goshawk.recorder.process", self._memory_name)
        reader, self._writer = await asyncio.open_connection(sock=end, limit=1 << 20)
        self._silence.begin()
        watching = asyncio.create_task(self._silence.end_if_hung(self._process, SILENT_S, START_S))
        is_finished = False
        try:
            self._send(self._wanted.begin())
            self._wanted.connect(self._send)
            with contextlib.suppress(EOFError, ConnectionError):
                while True:
                    message = await messages.next_from_recorder(reader)
                    self._silence.heard()
                    is_finished |= isinstance(message, messages.Finished)
                    if isinstance(message, messages.RecorderAlive):
                        self._wanted.confirm(message.wanted)
                        continue
                    try:
                        self._heard(message)
                    except Exception:  # One bad message must not end the link.
                        log.exception("what the recorder said could not be handled")
        finally:
            watching.cancel()
            self._wanted.disconnect()
            self._writer.close()
            self._writer = None
            # It writes what it has. On a drive that does not answer it is left to do that when it can.
            await see_end(self._process, WRITES_S, is_killed=self._is_given_up)
        return is_finished

    def _send(self, wanted: RecorderWanted) -> None:
        if self._writer:
            put(self._writer, wanted)
