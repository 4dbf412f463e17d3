"""Whether a microphone reaches each listener: from the gains in force, what arrives in the feeds, and who is at their ends.

Never read off a switch: what is told was measured by the audio process, and what was not measured lately is not known."""

from collections.abc import Collection, Mapping
from typing import Literal

import msgspec

from goshawk.core.graph.readings import InputReading
from goshawk.core.observed.time_window import TimeWindow
from goshawk.core.rig import Rig
from goshawk.core.routing import EXPECTED, FEEDS, FeedName
from goshawk.units import SAMPLE_RATE_HZ, linear_to_db

REACH_FRAMES = SAMPLE_RATE_HZ
"""A voice that arrived in the last second is heard: words have gaps."""

HEARD_DBFS = -90.0
"""What reaches a listener above this is heard: 16 bits hold it."""

Reach = Literal["hears", "open", "closed", "unknown"]
"""Of a feed: a voice arrives now; it would, but there is silence or nobody at its end; it cannot; nothing was measured lately."""

UNKNOWN: dict[FeedName, Reach] = dict.fromkeys(FEEDS, "unknown")


class VoicesNow(msgspec.Struct, frozen=True):
    """All voices together, of one reading, by the place of the feed in ``FEEDS``."""

    gains: list[float]
    """The largest gain with which a voice enters the feed at the reading's end, linear."""
    arrived: list[float]
    """The highest that a voice brought to the feed, linear."""
    leaves: list[bool]
    """Whether the feed leaves by an output that runs."""
    is_replaying: bool


def voices_now(
    inputs: Mapping[str, InputReading],
    rig: Rig,
    playing_outputs: Collection[str],
    *,
    is_replaying: bool,
) -> VoicesNow:
    """Gather what a reading says of all voices; ``playing_outputs`` are the ids of the outputs that run."""
    voices = [inputs[one.id] for one in rig.inputs if one.role == "voice" and one.id in inputs]
    places = range(len(FEEDS))
    ends = {one.source for one in rig.outputs if not one.is_muted and one.id in playing_outputs}
    return VoicesNow(
        [max((one.gains[place] for one in voices), default=0.0) for place in places],
        [max((one.reach[place] for one in voices), default=0.0) for place in places],
        [feed in ends for feed in FEEDS],
        is_replaying,
    )


class ReachMeter:
    """Keeps the last second of readings."""

    def __init__(self) -> None:
        self._window: TimeWindow[VoicesNow] = TimeWindow(REACH_FRAMES)

    def push(self, end_frame: int, voices: VoicesNow) -> None:
        """Take what a reading that ends at a frame says."""
        self._window.push(end_frame, voices)

    def forget(self) -> None:
        """Nothing is known any more."""
        self._window.forget()

    def copy(self) -> "ReachMeter":
        """Return a meter that does not change when this one does."""
        other = ReachMeter()
        other._window = self._window.copy()
        return other

    def of(self, feed: FeedName) -> Reach:
        """Say whether a microphone reaches a feed's listener."""
        if not len(self._window):
            return "unknown"
        now, place = self._window.newest, FEEDS.index(feed)
        if now.is_replaying:
            return "hears" if feed == "you" else "closed"  # It is for your ears alone.
        if linear_to_db(now.gains[place]) <= HEARD_DBFS:
            return "closed"
        loudest = max(one.arrived[place] for one in self._window)
        if linear_to_db(loudest) <= HEARD_DBFS:
            return "open"
        return "hears" if now.leaves[place] or feed not in EXPECTED else "open"

    def all(self) -> dict[FeedName, Reach]:
        """Say it of every feed."""
        return {feed: self.of(feed) for feed in FEEDS}
