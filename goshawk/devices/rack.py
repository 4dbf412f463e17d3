"""All devices together: what is plugged in, what it delivers each block, and where the feeds go."""

from collections.abc import Collection

import numpy as np

from goshawk.core.measure.click import make_click
from goshawk.core.rig import Rig
from goshawk.core.stage import Block
from goshawk.devices.attic import Interface, Laptop, Room
from goshawk.devices.base import DeviceReading, LoopSource, SilentSource, Source
from goshawk.devices.browser import TARGET_AGE_MS, BrowserMicrophone
from goshawk.devices.call_service import CallService
from goshawk.devices.catalog import DEVICES, INPUT_DEVICES, checked_fault
from goshawk.devices.encoder import Encoder
from goshawk.devices.file import FileSource
from goshawk.devices.port import Port
from goshawk.devices.sounds import load_sound
from goshawk.units import SAMPLE_RATE_HZ, db_to_linear

_IN_THE_ROOM = [info.id for info in INPUT_DEVICES if info.is_in_the_room]
_PLAYED = ("game", "player", "call")
"""What the computer plays, and so what a capture of everything takes."""

CLICK_DBFS = -12.0


class _Computer:
    """A capture of everything that plays: filled by the rack from the other programs."""

    channels = 2

    def __init__(self, max_frames: int) -> None:
        self.block = np.zeros((max_frames, 2), np.float32)

    def read(self, block: Block) -> None:
        block[:] = self.block[: len(block)]

    def status(self) -> DeviceReading:
        return {"state": "playing"}


class Rack:
    """Every input device behind its port, and the outputs."""

    def __init__(self, max_frames: int) -> None:
        self._room = Room(max_frames)
        self._interface = Interface(self._room)
        self._player = LoopSource(load_sound("music"))
        self._call = CallService(max_frames)
        self._computer = _Computer(max_frames)
        self.browser = BrowserMicrophone()
        self.encoder = Encoder()
        sources: dict[str, Source] = {
            "attic": self._interface,
            "laptop": Laptop(self._room),
            "browser": self.browser,
            "game": LoopSource(load_sound("game")),
            "player": self._player,
            "call": self._call,
            "computer": self._computer,
            "file": SilentSource("no file"),
        }
        self._ports = {name: Port(DEVICES[name], source) for name, source in sources.items()}
        self._buffers = {name: np.zeros((max_frames, 2), np.float32) for name in sources}
        self._played = np.zeros((max_frames, 2), np.float32)
        self._frames = 0
        self.is_watched = False

    def apply(self, rig: Rig) -> None:
        """Turn the devices' own knobs."""
        knobs = rig.devices
        self._room.perform(knobs.attic.performance)
        self._interface.set_preamp_gain_db(knobs.attic.preamp_gain_db)
        loud = rig.feeds.you.output == "loudspeakers"
        self._room.set_leak_db(knobs.loudspeakers.leak_db if loud else None)
        self._player.set_volume_db(knobs.player.volume_db)
        self._call.apply(knobs.call_service)
        file = self._ports["file"].source
        if isinstance(file, FileSource):
            file.is_looped = knobs.file.is_looped
        for port in self._ports.values():
            port.set_block_frames(rig.block_frames)

    def set_file(self, source: Source) -> None:
        """What plays as the file device."""
        self._ports["file"].source = source

    def fault(self, device: str, name: str, value: float | None) -> None:
        """Make something go wrong with a device. Raises NotFound or BadInput."""
        checked_fault(device, name, value)
        self._ports[device].fault(name, value)

    def click(self) -> None:
        """Make the click that delays are measured with, in the room, at the next block."""
        self._room.click(make_click(db_to_linear(CLICK_DBFS) / self._interface.gain))

    def read(self, frames: int, used: set[str]) -> dict[str, Block]:
        """The next block of every device that is used (or of all, while somebody watches them)."""
        self._frames += frames
        now_s = self._frames / SAMPLE_RATE_HZ
        self.browser.now_s = now_s
        wanted = set(self._ports) if self.is_watched else used & set(self._ports)
        if any(name in wanted for name in _IN_THE_ROOM):
            self._room.hear(self._played[:frames])
        blocks = {}
        is_captured = "computer" in wanted
        if is_captured:
            self._computer.block[:frames] = 0.0
        for name, port in self._ports.items():
            if name in wanted or (is_captured and name in _PLAYED):
                block = self._buffers[name][:frames]
                port.read(block, now_s)
                blocks[name] = block
                if is_captured and name in _PLAYED:
                    self._computer.block[:frames] += block
        return blocks

    def runs_by_our_clock(self, devices: Collection[str]) -> bool:
        """Whether none of these devices has a clock of its own."""
        return not any(self._ports[name].has_own_clock for name in devices if name in self._ports)

    def play(self, viewers: Block, you: Block, call: Block, *, is_late: bool) -> None:
        """Give the feeds to the devices that play them."""
        self.encoder.take(viewers, is_late=is_late)
        self._played[: len(you)] = you
        self._call.take(call)

    def latency_parts(self, device: str) -> list[tuple[str, float]]:
        """Name and ms of what lies between the air and the engine."""
        port = self._ports.get(device)
        if port is None:
            return []
        if device == "browser":
            return [("the page and its way here", TARGET_AGE_MS)]
        return port.latency_parts

    def statuses(self) -> dict[str, DeviceReading]:
        """How each input device does."""
        return {name: port.status() for name, port in self._ports.items()}
