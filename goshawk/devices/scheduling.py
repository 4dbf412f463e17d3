"""Real-time scheduling of threads, where the system grants it."""

import contextlib
import os
from collections.abc import Iterator
from functools import cache


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
