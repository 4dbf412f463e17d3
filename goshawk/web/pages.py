"""The open pages: what waits to be sent to each, and the sound that each plays."""

import asyncio

from goshawk.core.dsp.equaliser import EqualiserSettings
from goshawk.web.stage_sound import BandAlone

WAITING_MESSAGES = 50
WAITING_SOUND = 25
"""A page that takes its sound slower than it is made loses the oldest quarter of a second."""


class LivePage:
    """One open page's queue: states and notices in order, readings only the newest."""

    def __init__(self) -> None:
        self._messages: asyncio.Queue[str] = asyncio.Queue(WAITING_MESSAGES)
        self._newest: dict[str, str] = {}
        self._wake = asyncio.Event()

    def tell(self, message: str) -> None:
        """A message that must arrive; a page that does not read for long loses the oldest."""
        if self._messages.full():
            self._messages.get_nowait()
        self._messages.put_nowait(message)
        self._wake.set()

    def tell_newest(self, kind: str, message: str) -> None:
        """A message that the next one of its kind replaces."""
        self._newest[kind] = message
        self._wake.set()

    async def next(self) -> str:
        """What to send next."""
        while True:
            if not self._messages.empty():
                return self._messages.get_nowait()
            if self._newest:
                return self._newest.pop(next(iter(self._newest)))
            self._wake.clear()
            await self._wake.wait()


class Listener:
    """One page that plays the sound at a point (a feed, or one input), or gives its microphone."""

    def __init__(self) -> None:
        self.sound: asyncio.Queue[bytes] = asyncio.Queue(WAITING_SOUND)
        self.point = "you"
        self.dropped = 0
        self._band: BandAlone | None = None

    def band_alone(self, settings: EqualiserSettings, packet: bytes) -> bytes:
        """A packet with only what the band of ``point`` works on."""
        if self._band is None:
            self._band = BandAlone()
        return self._band.process(settings, self.point.rpartition(":")[2], packet)

    def hear(self, packet: bytes) -> None:
        """Queue a packet; the oldest is dropped for a slow page."""
        if self.sound.full():
            self.sound.get_nowait()
            self.dropped += 1
        self.sound.put_nowait(packet)
