"""The click that delays are measured with: sent in at the main voice's device, looked for in every feed, and, where a feed leaves
by the sound server, in what its device plays."""

from collections.abc import Callable

import numpy as np

from goshawk.core.measure.click import ClickListener
from goshawk.core.routing import FEEDS, FeedName
from goshawk.core.stage import Block
from goshawk.devices.capture import Capture
from goshawk.devices.outlets import Outlets
from goshawk.devices.rack import Rack
from goshawk.units import SAMPLE_RATE_HZ, frames_to_ms

PATIENCE_S = 1.6
"""The longest feed delay and room for the rest."""

OPENING_S = 4.0
"""So long is waited for the devices' own sound to come back before the click is sent."""


class ClickTrial:
    """One measurement after the other. ``feed`` gives what left for a listener in the last block."""

    def __init__(self, rack: Rack, outlets: Outlets, max_frames: int) -> None:
        self._rack, self._outlets = rack, outlets
        self._max_frames = max_frames
        self._block = np.zeros((max_frames, 2), np.float32)
        self._feeds: dict[FeedName, ClickListener] = {}
        self._looped: dict[FeedName, tuple[Capture, ClickListener]] = {}
        self._waits_frames = 0
        self._measured: dict[FeedName, float | None] | None = None

    @property
    def is_running(self) -> bool:
        """Whether a click is on its way, or about to be."""
        return bool(self._feeds)

    def forget(self) -> None:
        """Give it up."""
        self._feeds, self._looped = {}, {}

    def start(self) -> None:
        """Begin: at once, or as soon as what the devices play is heard."""
        self._feeds = {feed: ClickListener(self._max_frames) for feed in FEEDS}
        self._looped = {
            feed: (capture, ClickListener(self._max_frames))
            for feed, capture in self._rack.computer.listen_back(self._outlets.playing()).items()
        }
        self._waits_frames = round(OPENING_S * SAMPLE_RATE_HZ) if self._looped else 0
        if not self._looped:
            self._rack.click()

    def listen(self, frames: int, voice: str, feed: Callable[[FeedName, int], Block]) -> None:
        """Behind a block; ``voice`` is the main voice's device."""
        for capture, _ in self._looped.values():
            if self._waits_frames:
                capture.read(self._block[:frames])
        if self._waits_frames:
            are_there = all(capture.is_running for capture, _ in self._looped.values())
            self._waits_frames = 0 if are_there else max(0, self._waits_frames - frames)
            if not self._waits_frames:
                self._rack.click()  # It comes with the next block.
            return
        for name, listener in self._feeds.items():
            listener.listen(feed(name, frames))
        for capture, listener in self._looped.values():
            capture.read(self._block[:frames])
            listener.listen(self._block[:frames])
        if self._feeds["viewers"].heard_frames >= PATIENCE_S * SAMPLE_RATE_HZ:
            self._finish(frames, voice)

    def _finish(self, block_frames: int, voice: str) -> None:
        found: dict[FeedName, float | None] = {}
        for name, listener in self._feeds.items():
            at = listener.found_frame()
            # One block passes before the engine has the click, and one before it is played.
            found[name] = (
                None if at is None else round(frames_to_ms(at) + 2 * frames_to_ms(block_frames), 2)
            )
        coming_ms = sum(ms for _, ms in self._rack.latency_parts(voice))
        for name, (capture, listener) in self._looped.items():
            at = listener.found_frame()
            # What was heard is as old as what is given out of its ring, by the device's own word older. If the device was not
            # heard, the way within the engine is not the whole: nothing was measured.
            heard_ms = sum(ms for _, ms in capture.latency_parts)
            found[name] = None if at is None else round(coming_ms + frames_to_ms(at) - heard_ms, 2)
        self._measured = found
        self._rack.computer.listen_back({})
        self.forget()

    def take(self) -> dict[FeedName, float | None] | None:
        """What was measured since the last call, in ms; None for a feed to which it did not come."""
        measured, self._measured = self._measured, None
        return measured
