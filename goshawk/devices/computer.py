"""The computer's own devices, as the engine has them: which streams a plan needs, and the rings that they fill and empty.

Nothing is opened, and no library is loaded, before a plan names such a device.
"""

from collections.abc import Collection, Mapping

import numpy as np

from goshawk.core.computer import insert_key, microphone_key
from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS, VIRTUAL, FeedName, OutputSettings
from goshawk.devices.capture import Capture
from goshawk.devices.endpoint import PAIR, SERVER, Direction, Endpoint, is_real
from goshawk.devices.opener import Opener
from goshawk.system.scheduling import grants_realtime
from goshawk.units import frames_to_ms

SMALLEST_BUFFER_BLOCKS = 3
PATIENCE = 0.6
"""Of a buffer, so much can be caught up."""

ALONE_S = 0.25
"""So much is caught up where no device of the computer waits, but pages and stand-ins: later it is heard, but all of it."""

CLICK_FRAMES, CLICK_BUFFER_MS = 256, 40.0
"""Of the streams that hear what devices play, while a click is on its way."""

CAUTIOUS_BUFFER_MS = 60.0
"""Where the system grants no real-time scheduling."""


def _monitor_of(device: str) -> str:
    """What a sound server's device plays, to be heard."""
    name, at, pair = device.partition(PAIR)
    return f"{name}.monitor{at}{pair}"


def buffer_ms(rig: Rig) -> float:
    """How much lies between the engine and a device: what the rig says, or as little as the system allows."""
    block_ms = frames_to_ms(rig.block_frames)
    if rig.device_buffer_ms:
        return max(rig.device_buffer_ms, 2.0 * block_ms)
    least = SMALLEST_BUFFER_BLOCKS * block_ms
    return least if grants_realtime() else max(least, CAUTIOUS_BUFFER_MS)


class ComputerStreams:
    """Streams by what they are for."""

    def __init__(self) -> None:
        self.now_ns = np.zeros(1, np.int64)
        """When the block is made, by the system's monotonic clock."""
        self.opener = Opener()
        self._endpoints: dict[tuple[str, Direction, str, int, float], Endpoint] = {}
        self._captures: dict[str, Capture] = {}
        self._outputs: dict[str, Endpoint] = {}
        self._back: dict[FeedName, Capture] = {}
        self._inserts: dict[str, tuple[Endpoint | None, Endpoint | None]] = {}
        self.version = 0
        """Another one whenever an insert has other devices."""

    @property
    def captures(self) -> Mapping[str, Capture]:
        """What comes in, by the name of the device in the rig; of virtual loudspeakers, their key."""
        return self._captures

    @property
    def patience_s(self) -> float:
        """How long devices play on while no block comes; ALONE_S if there are none."""
        return min(
            (one.buffer_ms * PATIENCE / 1000.0 for one in self._endpoints.values()), default=ALONE_S
        )

    @property
    def dropouts(self) -> int:
        """How often any of them had too little or far too much."""
        return sum(one.dropouts + one.overruns for one in self._endpoints.values())

    @property
    def is_used(self) -> bool:
        """Whether anything is open, or wanted to be."""
        return bool(self._endpoints)

    def output(self, one: OutputSettings) -> Endpoint | None:
        """The device of an output; None for a stand-in, or where there is none."""
        return self._outputs.get(one.id)

    def insert(self, stage_id: str) -> tuple[Endpoint | None, Endpoint | None]:
        """Where an insert sends to, and where it comes back from; None for what is no device of the computer."""
        return self._inserts.get(stage_id, (None, None))

    def listen_back(self, playing: Mapping[str, Endpoint]) -> dict[FeedName, Capture]:
        """Hear what the sound server's devices play by which feeds leave, until this is called again: for measuring."""
        self._back = {
            feed: Capture(
                Endpoint.of("in", _monitor_of(playing[feed].device), CLICK_FRAMES, CLICK_BUFFER_MS),
                self.now_ns,
            )
            for feed in FEEDS
            if feed in playing and playing[feed].device.startswith(f"{SERVER}:")
        }
        self._want()
        return dict(self._back)

    def _want(self) -> None:
        back = (capture.endpoint for capture in self._back.values())
        self.opener.want([*self._endpoints.values(), *back])

    def apply(
        self, rig: Rig, virtual: Mapping[str, str], watched: Collection[str], cards_round: int
    ) -> None:
        """Take a plan: ``virtual`` has the devices that were made for keys, ``watched`` devices whose level is looked at."""
        before, self._endpoints = self._endpoints, {}
        buffer = buffer_ms(rig)

        def endpoint(what: str, direction: Direction, device: str) -> Endpoint:
            key = (what, direction, device, rig.block_frames, buffer)
            found = before.get(key) or Endpoint.of(direction, device, rig.block_frames, buffer)
            self._endpoints[key] = found
            return found

        comes: dict[str, str] = {name: name for name in watched if is_real(name)}
        for one in rig.inputs:
            if one.device in virtual:
                comes[one.device] = virtual[one.device]
            elif is_real(one.device):
                comes[one.device] = one.device
        captures = {}
        for name, device in comes.items():
            there = endpoint("", "in", device)
            was = self._captures.get(name)
            captures[name] = was if was and was.endpoint is there else Capture(there, self.now_ns)
        self._captures = captures
        self._outputs = {}
        for output in rig.outputs:
            device = output.device
            if device == VIRTUAL:
                device = virtual.get(microphone_key(output.source), "")
            if is_real(device):
                self._outputs[output.id] = endpoint(output.id, "out", device)
        inserts: dict[str, tuple[Endpoint | None, Endpoint | None]] = {}
        for slot in (slot for one in rig.inputs for slot in one.chain if slot.stage == "insert"):
            goes, comes_back = slot.settings.sends_to, slot.settings.comes_from
            goes = virtual.get(insert_key(slot.id), "") if goes == VIRTUAL else goes
            comes_back = virtual.get(comes_back, comes_back)
            inserts[slot.id] = (
                endpoint(slot.id, "out", goes) if is_real(goes) else None,
                endpoint(slot.id, "in", comes_back) if is_real(comes_back) else None,
            )
        if inserts != self._inserts:
            self._inserts = inserts
            self.version += 1
        self.opener.cards_round = cards_round
        self._want()
