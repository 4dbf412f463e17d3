"""Whether a microphone reaches each listener, from what the engine itself says: no lamp waits for a figure."""

import asyncio
import math
import time
from collections.abc import Callable

from goshawk.bus import Bus
from goshawk.core.observed.reach import UNKNOWN, Reach, ReachMeter
from goshawk.core.routing import FeedName
from goshawk.engine.messages import Seen
from goshawk.page_messages import live
from goshawk.web.events import EngineGone, PageMessage

STALE_S = 1.0
"""What was measured longer ago says nothing of now."""

LOOKS_EVERY_S = 0.1


class ReachLamps:
    """Shows every page whom a microphone reaches, whenever that changes."""

    def __init__(self, bus: Bus, clock_s: Callable[[], float] = time.monotonic) -> None:
        self._bus, self._clock_s = bus, clock_s
        self._meter = ReachMeter()
        self._measured_at = -math.inf
        self._plan = 0
        self._shown = ""
        bus.subscribe(Seen, self._see)
        bus.subscribe(EngineGone, self._forget)

    @property
    def reach(self) -> dict[FeedName, Reach]:
        """Whom a microphone reaches now; "unknown" where nothing was measured lately."""
        if self._clock_s() - self._measured_at > STALE_S:
            return dict(UNKNOWN)
        return self._meter.all()

    @property
    def message(self) -> str:
        """The same for pages, with the plan that is heard."""
        return live.Lamps(reach=self.reach, plan=self._plan).model_dump_json()

    def _see(self, seen: Seen) -> None:
        """Take what the engine says of a reading."""
        self._measured_at, self._plan = self._clock_s(), seen.plan
        self._meter.push(seen.end_frame, seen.voices)
        self._show()

    def _forget(self, _: EngineGone) -> None:
        """Nothing is known."""
        self._measured_at, self._plan = -math.inf, 0
        self._meter.forget()
        self._show()

    def _show(self) -> None:
        message = self.message
        if message != self._shown:
            self._shown = message
            self._bus.publish(PageMessage(message, "lamps"))

    async def keep(self) -> None:
        """For ever: that nothing is measured any more is shown, too."""
        while True:
            await asyncio.sleep(LOOKS_EVERY_S)
            self._show()
