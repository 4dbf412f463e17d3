"""The user's surroundings: a screen, keys that end a program, memory that killed programs have left."""

import contextlib
import os
import shutil
import signal
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import asyncio

_SHARED_MEMORY = Path("/dev/shm")


def have_standard_streams() -> None:
    """What starts a program without a terminal may have closed its standard streams: libraries ask them what they are, and what is
    opened next would stand in their places and get what is written to them."""
    for number, name in enumerate(("stdin", "stdout", "stderr")):
        try:
            os.fstat(number)
        except OSError:
            # The lowest number that is free is this one; what is started from here has it too.
            os.set_inheritable(os.open(os.devnull, os.O_RDWR), True)
        if getattr(sys, name) is None:
            setattr(sys, name, os.fdopen(number, "w" if number else "r", closefd=False))


def has_screen() -> bool:
    """Whether a browser that is opened can be seen; over a bare terminal it would take the terminal."""
    if sys.platform in ("win32", "darwin"):
        return True
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def ending_signals() -> list[signal.Signals]:
    """By which the user ends a program (Ctrl+C, closing its terminal), or the system does; but those that it was told to outlive
    (``nohup``)."""
    names = ("SIGINT", "SIGTERM", "SIGHUP")
    known = [signal.Signals[name] for name in names if hasattr(signal, name)]
    return [one for one in known if signal.getsignal(one) != signal.SIG_IGN]


def end_with_the_terminal() -> None:
    """A terminal that is closed ends the program as Ctrl+C does, so that all is put away."""
    for number in ending_signals():
        if number.name == "SIGHUP":
            signal.signal(number, lambda *given: signal.raise_signal(signal.SIGTERM))


def leave_the_end_to_who_started_it() -> None:
    """Ctrl+C in a terminal, its closing, and the system when it shuts down reach all processes at once; but what is recorded has
    to be closed first, and the sound to be led out. A process ends when its link does; what it starts itself hears of no key
    either, but may be ended."""
    for number in ending_signals():
        is_key = number is signal.SIGINT
        signal.signal(number, signal.SIG_IGN if is_key else lambda number, frame: None)


def on_end_asked(loop: "asyncio.AbstractEventLoop", call: Callable[[], None]) -> None:
    """Call back when the user ends the program, or the system does; where a loop cannot do that, the program just ends."""
    for number in ending_signals():
        with contextlib.suppress(NotImplementedError):
            loop.add_signal_handler(number, call)


def shared_memory_left() -> int | None:
    """Bytes left for memory that processes share; None where the system does not show it."""
    return shutil.disk_usage(_SHARED_MEMORY).free if _SHARED_MEMORY.is_dir() else None


def shared_memories(prefix: str) -> Iterator[Path]:
    """Memories of this name on systems that show them as files; others tidy up themselves."""
    if _SHARED_MEMORY.is_dir():
        yield from _SHARED_MEMORY.glob(f"{prefix}*")
