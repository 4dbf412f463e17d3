"""The piece of memory that the processes share: its parts, how it is made, opened, given back and swept.

It is named after the process that made it, so that what a killed one has left is known at the next start.
"""

import contextlib
import os
import secrets
import time
from collections.abc import Iterator
from multiprocessing import resource_tracker
from multiprocessing.shared_memory import SharedMemory
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goshawk.errors import TimelineLost
from goshawk.system.desktop import shared_memories, shared_memory_left
from goshawk.system.processes import is_alive

TEST_CLOCK = "GOSHAWK_TEST_CLOCK"
"""An environment variable, set for tests alone: the engine's clock can then be driven, faster than time, but no faster
than the readers follow that have a place."""

HURRIED_PLACE, RECORDER_PLACE = 0, 1
"""The observer's, and the recorder's."""

RING_FRAMES = 1 << 16
"""1.37 s of every sound: a reader that is slower loses some, and sees it."""

SLOTS = 64
"""So many sounds at a time; what nobody asks for takes none."""

NAME_BYTES = 64
LOG_BYTES = 1 << 22
"""Some twenty seconds of readings."""

READER_PLACES = 8
PLANS = 512
"""So many of the newest plans are known by the frame from which each is heard."""

GAPS = 128
"""So many of the newest stretches that were never made are known: more than can lie in what is kept of a sound."""

(
    MAGIC, FRAMES, SESSION, WRITTEN_NS, NAMES, LOGGED_BYTES, LOGGED, PLANNED, PASSED_OVER, HEAD_FIELDS,
) = range(10)  # fmt: skip
"""Header: that it is ours; the next frame (all before are there); how many audio processes have begun; when the last
block was written, by the system's monotonic clock; how often a name has changed; bytes and readings ever logged; plans
ever taken; stretches that were ever passed over."""

FIRST_AT, NEXT_AT, LATE, LATE_SINCE, LATE_BEFORE, BEFORE_SINCE, SLOT_FIELDS = range(7)
"""Of a sound, in frames of the timeline: where it began without a gap, where it goes on, by how much its sound is
later than at its device, since which frame, and by how much it was before, since which."""

_MAGIC = 0x60_54_A3_03
_PREFIX = "goshawk-"
_LEFT_TRIES, _LEFT_WAIT_S = 20, 0.01
"""A link breaks a little before the system knows that its other end's process is gone."""
_ITEMS = 8 * (HEAD_FIELDS + READER_PLACES)
_SLOTS_AT = _ITEMS
_NAMES_AT = _SLOTS_AT + 8 * SLOTS * SLOT_FIELDS
_PLANS_AT = _NAMES_AT + SLOTS * NAME_BYTES
_GAPS_AT = _PLANS_AT + 8 * 2 * PLANS
_SOUND_AT = -(-(_GAPS_AT + 8 * 2 * GAPS) // 4096) * 4096
_LOG_AT = _SOUND_AT + SLOTS * RING_FRAMES * 2 * 4
SIZE = _LOG_AT + LOG_BYTES


class _Shared(SharedMemory):
    """A reader that still holds a part of it when it goes is no fault: the part goes with the reader."""

    def close(self) -> None:
        with contextlib.suppress(BufferError):
            super().close()

    def __del__(self) -> None:
        with contextlib.suppress(OSError):
            self.close()


class Memory:
    """The memory's parts as arrays."""

    def __init__(self, buffer: memoryview | bytearray, shared: SharedMemory | None = None) -> None:
        self._shared = shared
        self.name = shared.name if shared else ""

        def part(at: int, kind: Any, shape: tuple[int, ...]) -> NDArray[Any]:
            count = int(np.prod(shape))
            return np.frombuffer(buffer, kind, count, at).reshape(shape)

        self.head: NDArray[np.int64] = part(0, np.int64, (HEAD_FIELDS,))
        self.places: NDArray[np.int64] = part(8 * HEAD_FIELDS, np.int64, (READER_PLACES,))
        """Of readers that a hurried clock waits for: readings they have handled, -1 where there is none."""
        self.slots: NDArray[np.int64] = part(_SLOTS_AT, np.int64, (SLOTS, SLOT_FIELDS))
        self.names: NDArray[np.bytes_] = part(_NAMES_AT, f"S{NAME_BYTES}", (SLOTS,))
        self.plans: NDArray[np.int64] = part(_PLANS_AT, np.int64, (PLANS, 2))
        """Number of each plan that was taken, and the frame from which it is heard."""
        self.gaps: NDArray[np.int64] = part(_GAPS_AT, np.int64, (GAPS, 2))
        """Where each stretch began that was passed over, and where sound goes on."""
        self.sound: NDArray[np.float32] = part(_SOUND_AT, np.float32, (SLOTS, RING_FRAMES, 2))
        self.log: NDArray[np.uint8] = part(_LOG_AT, np.uint8, (LOG_BYTES,))

    @classmethod
    def local(cls) -> "Memory":
        """One that this process has to itself."""
        memory = cls(bytearray(SIZE))
        memory._begin()
        return memory

    @classmethod
    def make(cls) -> "Memory":
        """A new one, to be opened by its name. Raises TimelineLost if the system has no room."""
        left = shared_memory_left()
        if left is not None and left < SIZE:
            # The system takes what is asked for as given, and ends whoever writes more than there is.
            raise TimelineLost(
                f"The memory that processes share is nearly full: {left >> 20} MB are left, {(SIZE >> 20) + 1} are needed. "
                "Close other programs, or let the system have more of it, and start Goshawk again."
            )
        name = f"{_PREFIX}{os.getpid()}-{secrets.token_hex(4)}"
        try:
            with _untracked():
                shared = _Shared(name, create=True, size=SIZE)
        except OSError as error:
            raise TimelineLost(
                f"The system has no memory to share between processes ({error.strerror}). Close other programs, and "
                "start Goshawk again."
            ) from None
        memory = cls(shared.buf or bytearray(), shared)
        memory._begin()
        return memory

    @classmethod
    def open(cls, name: str) -> "Memory":
        """One that another process has made. Raises TimelineLost if it is gone."""
        try:
            with _untracked():
                shared = _Shared(name)
        except (OSError, ValueError):
            raise TimelineLost("What the processes share is gone. Start Goshawk again.") from None
        memory = cls(shared.buf or bytearray(), shared)
        if memory.head[MAGIC] != _MAGIC:
            raise TimelineLost(
                "What the processes share is of another version. Start Goshawk again."
            )
        return memory

    def _begin(self) -> None:
        self.places.fill(-1)
        self.head[MAGIC] = _MAGIC

    def remove(self) -> None:
        """No process can open it any more; those that have go on with it until they end."""
        if self._shared:
            with _untracked(), contextlib.suppress(FileNotFoundError):
                self._shared.unlink()

    def remove_if_left(self) -> None:
        """For a process that was started by who made it: if that was ended from outside, nobody else removes it."""
        owner = self.name.removeprefix(_PREFIX).partition("-")[0]
        for _ in range(_LEFT_TRIES):
            if str(os.getppid()) != owner:
                self.remove()
                return
            time.sleep(_LEFT_WAIT_S)


def sweep() -> None:
    """Remove what killed processes have left."""
    for path in shared_memories(_PREFIX):
        owner = path.name.removeprefix(_PREFIX).partition("-")[0]
        if owner.isdigit() and not is_alive(int(owner)):
            path.unlink(missing_ok=True)


@contextlib.contextmanager
def _untracked() -> Iterator[None]:
    """Python's tracker would take a memory away from all when one process ends, and costs a process of its own; who
    made it removes it (from Python 3.13 on there is a switch for it)."""
    kept = resource_tracker.register, resource_tracker.unregister
    resource_tracker.register = resource_tracker.unregister = lambda *given: None
    try:
        yield
    finally:
        resource_tracker.register, resource_tracker.unregister = kept
