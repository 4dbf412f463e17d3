"""The user's surroundings: a screen, keys that end a program, memory that killed programs have left."""

import asyncio
import contextlib
import os
import shutil
import signal
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

_SHARED_MEMORY = Path("/dev/shm")


def has_screen() -> bool:
    """Whether a browser that is opened can be seen; over a bare terminal it would take the terminal."""
    if sys.platform in ("win32", "darwin"):
        return True
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def on_end_asked(loop: asyncio.AbstractEventLoop, call: Callable[[], None]) -> None:
    """Call back when the user ends the program, or the system does; where a loop cannot do that, the program just ends."""
    for number in (signal.SIGINT, signal.SIGTERM):
        with contextlib.suppress(NotImplementedError):
            loop.add_signal_handler(number, call)


def shared_memory_left() -> int | None:
    """Bytes left for memory that processes share; None where the system does not show it."""
    return shutil.disk_usage(_SHARED_MEMORY).free if _SHARED_MEMORY.is_dir() else None


def shared_memories(prefix: str) -> Iterator[Path]:
    """Memories of this name on systems that show them as files; others tidy up themselves."""
    if _SHARED_MEMORY.is_dir():
        yield from _SHARED_MEMORY.glob(f"{prefix}*")
