"""What came lately, by the timeline: windows are in time, however often something comes."""

from collections import deque
from collections.abc import Iterator
from typing import Generic, TypeVar

T = TypeVar("T")
MOST_KEPT = 20_000
"""A window holds no more than this, whatever comes; the oldest go first."""


class TimeWindow(Generic[T]):
    """Values with the frame at which each ended; those that ended more than ``frames`` before the newest are dropped.

    At least the newest is kept. Where the frames go back, the timeline began anew, and so does the window."""

    def __init__(self, frames: int) -> None:
        self._frames = frames
        self._kept: deque[tuple[int, T]] = deque(maxlen=MOST_KEPT)

    def push(self, frame: int, value: T) -> None:
        """Keep a value that ended at a frame."""
        if self._kept and frame < self._kept[-1][0]:
            self._kept.clear()
        self._kept.append((frame, value))
        self.pass_to(frame)

    def pass_to(self, frame: int) -> None:
        """Drop what is too old at a frame, whether or not something came."""
        while len(self._kept) > 1 and frame - self._kept[0][0] > self._frames:
            self._kept.popleft()

    def forget(self) -> None:
        """Drop everything."""
        self._kept.clear()

    def copy(self) -> "TimeWindow[T]":
        """Return a window that does not change when this one does."""
        other: TimeWindow[T] = TimeWindow(self._frames)
        other._kept = self._kept.copy()
        return other

    @property
    def oldest(self) -> T:
        """The oldest value that is kept. Raises IndexError if there is none."""
        return self._kept[0][1]

    @property
    def newest(self) -> T:
        """The newest value. Raises IndexError if there is none."""
        return self._kept[-1][1]

    def __iter__(self) -> Iterator[T]:
        return (value for _, value in self._kept)

    def __len__(self) -> int:
        return len(self._kept)
