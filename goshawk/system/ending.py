"""Ending processes without waiting for ever: one that waits for a drive or a device that does not answer is not let go by the
system, even when it is killed."""

import asyncio
import logging
import subprocess
import time

from goshawk.system import processes
from goshawk.system.processes import LEFT_BEHIND

log = logging.getLogger(__name__)


async def see_end(
    process: "subprocess.Popen[bytes]", by_itself_s: float, *, is_killed: bool = True
) -> None:
    """Wait until it has ended: by itself for so long, else killed if it ``is_killed``. Returns in any case soon after that."""
    if await _is_gone(process, by_itself_s):
        return
    if is_killed:
        process.kill()
        if await _is_gone(process, processes.KILLED_S):
            return
    log.warning(LEFT_BEHIND, process.pid)


async def kill(process: asyncio.subprocess.Process) -> None:
    """The same at once, of a process with pipes."""
    process.kill()
    try:
        async with asyncio.timeout(processes.KILLED_S):
            await process.wait()
    except TimeoutError:
        log.warning(LEFT_BEHIND, process.pid)


async def _is_gone(process: "subprocess.Popen[bytes]", patience_s: float) -> bool:
    until = time.monotonic() + patience_s
    while process.poll() is None:
        if time.monotonic() >= until:
            return False
        await asyncio.sleep(0.01)
    return True
