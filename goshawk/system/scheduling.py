"""Who goes first: real-time scheduling of threads, where the system grants it, and processes that give way."""

import contextlib
import os
import sys
from collections.abc import Iterator
from functools import cache
from pathlib import Path


def take_realtime(priority: int) -> bool:
    """For the calling thread; False where the system refuses."""
    try:
        os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(priority))
    except (OSError, AttributeError):
        return False
    return True


@contextlib.contextmanager
def realtime(priority: int) -> Iterator[bool]:
    """For the calling thread and those that it begins meanwhile; gives whether it was granted."""
    try:
        before = os.sched_getscheduler(0), os.sched_getparam(0)
    except (OSError, AttributeError):
        yield False
        return
    is_granted = take_realtime(priority)
    try:
        yield is_granted
    finally:
        with contextlib.suppress(OSError):
            os.sched_setscheduler(0, *before)


@cache
def grants_realtime() -> bool:
    """Whether the system grants this process real-time scheduling."""
    with realtime(1) as is_granted:
        return is_granted


def is_kept_waiting(pid: int) -> bool:
    """Whether a process would go on if it were let: it waits for a processor, has one, or waits for a disk. False where the
    system does not say (Linux does, see proc(5))."""
    try:
        told = Path(f"/proc/{pid}/stat").read_text()
    except OSError:
        return False
    return told.rpartition(") ")[2][:1] in ("R", "D")


def cpu_s(pid: int) -> float:
    """Return the processor time in seconds that a process has used; 0 if it is gone, or the system does not say."""
    import psutil  # Not before somebody asks: the audio process begins without it.

    try:
        times = psutil.Process(pid).cpu_times()
    except (psutil.Error, OSError):
        return 0.0
    return float(times.user + times.system)


def give_way(steps: int) -> None:
    """Give way to everything that matters more, for as long as this process runs."""
    if sys.platform == "win32":
        import ctypes

        kernel = ctypes.windll.kernel32  # type: ignore[attr-defined,unused-ignore]
        below_normal = 0x4000
        kernel.SetPriorityClass(kernel.GetCurrentProcess(), below_normal)
    else:
        os.nice(steps)
