"""Who listens and looks where: which sounds the audio process offers for it, and the sound that goes to each listener."""

import asyncio
from collections.abc import Awaitable, Callable

from goshawk.core.graph.stations import at_stage
from goshawk.core.routing import FEEDS
from goshawk.core.stage import Block
from goshawk.engine.client import EngineClient
from goshawk.engine.plan import LISTEN
from goshawk.timeline.sound import SoundReader
from goshawk.web.live_page import LivePage
from goshawk.web.observer_document import ObserverDocument

WAITING_SOUND = 25
"""A page that takes its sound slower than it is made loses the oldest quarter of a second."""

PASS_ON_S = 0.01
LOOKS_UP_S = 0.25
"""Who gets no sound looks so often whether it is over."""


class Listener:
    """One page that plays the sound at a point (a feed, an input, a side of a stage, one band of an EQ), or gives its
    microphone."""

    def __init__(self) -> None:
        self.sound: asyncio.Queue[bytes] = asyncio.Queue(WAITING_SOUND)
        self.point = "you"
        self.dropped = 0

    def hear(self, packet: bytes) -> None:
        """Queue a packet; the oldest is dropped for a slow page."""
        if self.sound.full():
            self.sound.get_nowait()
            self.dropped += 1
        self.sound.put_nowait(packet)

    def take(self, at: int, samples: Block) -> None:
        """A piece, shape (frames, 2), whose first frame was there at ``at``."""
        self.hear(samples.tobytes())

    async def send_to(
        self, send: Callable[[bytes], Awaitable[None]], end: asyncio.Event | None = None
    ) -> None:
        """Give packets on, for ever or until ``end`` is set."""
        while end is None or not end.is_set():
            try:
                async with asyncio.timeout(LOOKS_UP_S):
                    packet = await self.sound.get()
            except TimeoutError:
                continue
            await send(packet)


class Points:
    """Tells the audio process which sounds are asked for, and the observer what is looked at."""

    def __init__(self, engine: EngineClient, document: ObserverDocument) -> None:
        self._engine, self._document = engine, document
        self._listeners: set[Listener] = set()
        self._readers: dict[str, SoundReader] = {}
        self._stages: dict[LivePage, str] = {}
        self._chains: dict[LivePage, str] = {}
        self._learning = ""
        self._recorded: list[str] = []
        self._wake = asyncio.Event()

    @property
    def stages(self) -> list[str]:
        """The stages whose spectra are looked at."""
        return sorted({name for name in self._stages.values() if name})

    @property
    def chains(self) -> list[str]:
        """The inputs whose chains are looked at, beside the main voice's."""
        return sorted(set(self._chains.values()))

    def listen(self, listener: Listener, point: str | None) -> None:
        """A page wants the sound at a point, or no longer (None)."""
        if point is None:
            self._listeners.discard(listener)
        else:
            listener.point = point
            self._listeners.add(listener)
            self._wake.set()
        self._follow()

    def watch_stage(self, page: LivePage, stage_id: str) -> None:
        """A page shows a stage's spectra, or none ("")."""
        if self._stages.pop(page, "") == stage_id:
            self._stages |= {page: stage_id} if stage_id else {}
            return
        if stage_id:
            self._stages[page] = stage_id
        self._follow()
        self._document.show(stages=tuple(self.stages))

    def watch_chain(self, page: LivePage, input_id: str) -> None:
        """A page shows an input's chain, or only the main voice's ("")."""
        self._chains.pop(page, None)
        if input_id:
            self._chains[page] = input_id
        self._document.show(chains=tuple(self.chains))

    def learn(self, stage_id: str) -> None:
        """A room is learned for a suppressor, or for none ("")."""
        if stage_id != self._learning:
            self._learning = stage_id
            self._follow()

    def record(self, names: list[str]) -> None:
        """These sounds are recorded from now on; none: nothing is."""
        if names != self._recorded:
            self._recorded = names
            self._follow()

    def _follow(self) -> None:
        points = {_offered(one.point) for one in self._listeners}
        points |= {at_stage(side, one) for one in self.stages for side in ("before", "after")}
        if self._learning:
            points.add(at_stage("before", self._learning))
        points |= set(self._recorded)
        self._engine.set_points(sorted(points))

    async def pass_on(self) -> None:
        """For ever: the sound to its listeners."""
        while True:
            if not self._listeners:
                self._readers.clear()
                self._wake.clear()
                await self._wake.wait()
            self.pass_on_once()
            await asyncio.sleep(PASS_ON_S)

    def pass_on_once(self) -> None:
        """What is new."""
        wanted = {_offered(one.point) for one in self._listeners}
        for name in [name for name in self._readers if name not in wanted]:
            del self._readers[name]
        for name in wanted:
            reader = self._readers.get(name)
            if reader is None:
                reader = self._readers[name] = SoundReader(self._engine.memory, name)
            for piece in reader.read():
                for listener in self._listeners:
                    if _offered(listener.point) == name:
                        listener.take(piece.at, piece.samples)


def _offered(point: str) -> str:
    return f"{LISTEN}:{point}" if point in FEEDS else point
