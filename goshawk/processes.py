"""Starting the processes that the application consists of, and whether one of the system's is still there."""

import os
import socket
import subprocess
import sys

_GIVES_BACK = {
    "MALLOC_ARENA_MAX": "1",
    "MALLOC_MMAP_THRESHOLD_": "262144",
    "MALLOC_TRIM_THRESHOLD_": "262144",
}
"""The C library's allocator (glibc's; others take no notice) keeps what large arrays have left, for each thread, unless it
is told not to: a third of an observer's memory."""


def start_process(module: str, end: socket.socket, memory_name: str) -> "subprocess.Popen[bytes]":
    """Run one of our modules, with its end of a link and the name of the shared memory. ``end`` is closed here."""
    process = subprocess.Popen(
        [sys.executable, "-m", module, str(end.fileno()), memory_name],
        stdin=subprocess.DEVNULL,
        pass_fds=[end.fileno()],
        env={**_GIVES_BACK, **os.environ},
    )
    end.close()
    return process


def is_alive(pid: int) -> bool:
    """Whether there is a process of this number, also another user's."""
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        pass
    return True
