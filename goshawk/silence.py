"""When a process that says nothing is taken for hung.

Silence is counted by looks that came in time: while the whole machine stands still, nobody can speak. A process that the system
lets wait for a processor or a disk has more patience; one that has used a processor all the while and said nothing has none."""

import asyncio
import logging
import subprocess
import time
from collections.abc import Callable

from goshawk.system.scheduling import cpu_s, is_kept_waiting

log = logging.getLogger(__name__)

LOOKS_EVERY_S = 0.1
LATE_LOOK_S = 0.5
"""A look that comes later than this after the last counts no more: the whole machine may have stood still, and the process with us."""

KEPT_WAITING_S = 15.0
"""How long a process may be silent that the system lets wait: on a machine that is short of processors, another would only come later."""

LOOPING_SHARE = 0.6
"""A process that used so much of a processor while it said nothing runs in circles."""


class Silence:
    """Counts how long one process has said nothing."""

    def __init__(self, clock_s: Callable[[], float] = time.monotonic) -> None:
        self._clock_s = clock_s
        self._silent_s, self._looked_at = 0.0, clock_s()
        self._used_s: float | None = None
        self._has_spoken = False

    def heard(self) -> None:
        """Note that it has spoken."""
        self._silent_s, self._used_s, self._has_spoken = 0.0, None, True

    def begin(self) -> None:
        """Begin anew, with another process."""
        self.heard()
        self._has_spoken = False
        self._looked_at = self._clock_s()

    async def end_if_hung(
        self, process: "subprocess.Popen[bytes]", patience_s: float, start_s: float
    ) -> None:
        """Look until the process hangs, and kill it then: its link ends with it, and whoever started it starts another. Until its
        first word it may take ``start_s``."""
        while not self.is_hung(process.pid, patience_s if self._has_spoken else start_s):
            await asyncio.sleep(LOOKS_EVERY_S)
        log.warning("process %s says nothing any more, and is replaced", process.pid)
        process.kill()

    def is_hung(self, pid: int, patience_s: float) -> bool:
        """Look once more: whether it has said nothing for so long that nothing more is to be expected of it."""
        now = self._clock_s()
        self._silent_s += min(now - self._looked_at, LATE_LOOK_S)
        self._looked_at = now
        if self._used_s is None:
            self._used_s = cpu_s(pid)
        if self._silent_s <= patience_s:
            return False
        if self._silent_s > max(patience_s, KEPT_WAITING_S) or not is_kept_waiting(pid):
            return True
        return cpu_s(pid) - self._used_s > LOOPING_SHARE * self._silent_s
