"""Starting the processes that the application consists of, and what there is to know of the system's."""

import logging
import os
import socket
import subprocess
import sys

from goshawk.system.links import offer

log = logging.getLogger(__name__)

_GIVES_BACK = {
    "MALLOC_ARENA_MAX": "1",
    "MALLOC_MMAP_THRESHOLD_": "262144",
    "MALLOC_TRIM_THRESHOLD_": "262144",
}
"""The C library's allocator (glibc's; others take no notice) keeps what large arrays have left, for each thread, unless it
is told not to: a third of an observer's memory."""


HANDLES = 8
"""More files than a link to the sound server takes."""


def start_process(
    module: str, memory_name: str, *, keeps_borders: bool = False
) -> "tuple[subprocess.Popen[bytes], socket.socket]":
    """Run one of our modules (its ``run``, see ``goshawk.child``) on the shared memory; the process, and our end of the link to it.
    Raises OSError."""
    link = offer(keeps_borders=keeps_borders)
    process = subprocess.Popen(
        [sys.executable, "-m", "goshawk.child", module, link.place, memory_name],
        stdin=subprocess.DEVNULL,
        pass_fds=link.handles,
        env={**_GIVES_BACK, **os.environ, **link.environment},
    )
    try:
        return process, link.taken(lambda: process.poll() is None)
    except OSError:
        kill_now(process)
        raise


KILLED_S = 1.0
"""The system lets a process go sooner, unless it waits for a drive or a device that does not answer."""

LEFT_BEHIND = "process %s does not end and is left behind"


def kill_now(process: "subprocess.Popen[bytes]") -> None:
    """End it at once, and wait for that no longer than it makes sense."""
    process.kill()
    try:
        process.wait(KILLED_S)
    except subprocess.TimeoutExpired:
        log.warning(LEFT_BEHIND, process.pid)


def may_open(count: int) -> bool:
    """Whether so many more files may be opened: libpulse ends the process that uses it where it cannot open its own."""
    opened = []
    try:
        for _ in range(count):
            opened.append(os.open(os.devnull, os.O_RDONLY))
    except OSError:
        return False
    finally:
        for one in opened:
            os.close(one)
    return True


def is_alive(pid: int) -> bool:
    """Whether there is a process of this number, also another user's."""
    if sys.platform == "win32":
        return _is_alive_on_windows(pid)
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        pass
    return True


def _is_alive_on_windows(pid: int) -> bool:
    import ctypes

    kernel = ctypes.windll.kernel32  # type: ignore[attr-defined,unused-ignore]
    still_active, may_ask = 259, 0x1000
    handle = kernel.OpenProcess(may_ask, False, pid)
    if not handle:
        return False
    code = ctypes.c_ulong()
    kernel.GetExitCodeProcess(handle, ctypes.byref(code))
    kernel.CloseHandle(handle)
    return code.value == still_active


def most_resident_mb() -> int | None:
    """The most memory that this process has had; None where the system does not say."""
    if sys.platform == "win32":
        return None
    import resource

    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return round(most / (1 << 20 if sys.platform == "darwin" else 1 << 10))
