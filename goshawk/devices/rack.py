"""All devices together: what is plugged in, what it delivers each block, and where the feeds go."""

import time
from collections.abc import Collection, Mapping

import numpy as np

from goshawk.core.device_info import DeviceInfo
from goshawk.core.device_readings import DeviceReading
from goshawk.core.measure.click import make_click
from goshawk.core.rig import Rig
from goshawk.core.stage import Block
from goshawk.core.steps import Step, StepProgram
from goshawk.devices.attic import Interface, Laptop, Room
from goshawk.devices.base import LoopSource, SilentSource, Source
from goshawk.devices.browser import TARGET_AGE_MS, BrowserMicrophone
from goshawk.devices.call_service import CallService
from goshawk.devices.capture import Capture
from goshawk.devices.catalog import DEVICES, INPUT_DEVICES, checked_fault
from goshawk.devices.computer import ComputerStreams
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
    """A capture of everything that plays: the rack gives it the sum of the other programs."""

    channels = 2

    def read(self, block: Block) -> None:
        """It is there already."""

    def steps(self) -> tuple[Step, ...] | None:
        return None

    def status(self) -> DeviceReading:
        return {"state": "playing"}


class Rack:
    """Every input device behind its port, and the outputs."""

    def __init__(self, max_frames: int) -> None:
        self._max_frames = max_frames
        self._room = Room(max_frames)
        self._interface = Interface(self._room)
        self._player = LoopSource(load_sound("music"))
        self._call = CallService(max_frames)
        self.browser = BrowserMicrophone()
        self.encoder = Encoder()
        sources: dict[str, Source] = {
            "attic": self._interface,
            "laptop": Laptop(self._room),
            "browser": self.browser,
            "game": LoopSource(load_sound("game")),
            "player": self._player,
            "call": self._call,
            "computer": _Computer(),
            "file": SilentSource("no file"),
        }
        self._ports = {name: Port(DEVICES[name], source) for name, source in sources.items()}
        self._buffers = {name: np.zeros((max_frames, 2), np.float32) for name in sources}
        self._click = np.zeros((0, 1), np.float32)
        """What is left of a click, put into what devices of the computer give: nobody can make one in their room."""
        self._played = np.zeros((max_frames, 2), np.float32)
        self._frames = 0
        self.is_watched = False
        self._mono = {name: np.zeros((max_frames, 1), np.float32) for name in sources}
        self.computer = ComputerStreams()
        self._made_for: frozenset[str] | None = None
        self._program = StepProgram().finish()
        self._by_hand: list[str] = []

    def apply(self, rig: Rig) -> None:
        """Turn the devices' own knobs."""
        self._made_for = None
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

    def apply_computer(
        self, rig: Rig, virtual: Mapping[str, str], watched: Collection[str], cards_round: int
    ) -> None:
        """Take what of the computer's devices a plan needs; see ``Computer.apply``."""
        self._made_for = None
        self.computer.apply(rig, virtual, watched, cards_round)
        captures = self.computer.captures
        for name in [name for name in self._ports if name not in DEVICES and name not in captures]:
            for kept in (self._ports, self._buffers, self._mono):
                del kept[name]
        for name, capture in captures.items():
            port = self._ports.get(name)
            if port is None:
                self._buffers[name] = np.zeros((self._max_frames, 2), np.float32)
                self._mono[name] = self._buffers[name][:, :1]
                self._ports[name] = Port(DeviceInfo(name, name, "", "interface", 2), capture)
            else:
                port.source = capture

    def set_file(self, source: Source) -> None:
        """What plays as the file device."""
        self._made_for = None
        self._ports["file"].source = source

    def fault(self, device: str, name: str, value: float | None) -> None:
        """Make something go wrong with a device. Raises NotFound or BadInput."""
        checked_fault(device, name, value)
        self._ports[device].fault(name, value)
        self._made_for = None

    def click(self) -> None:
        """Make the click that delays are measured with, in the room, and in what the computer's devices give, at the next
        block."""
        self._room.click(make_click(db_to_linear(CLICK_DBFS) / self._interface.gain))
        self._click = make_click(db_to_linear(CLICK_DBFS))

    def read(self, frames: int, used: set[str]) -> dict[str, Block]:
        """The next block of every device that is used (or of all, while somebody watches them)."""
        self._frames += frames
        now_s = self._frames / SAMPLE_RATE_HZ
        self.browser.now_s = now_s
        self.computer.now_ns[0] = time.monotonic_ns()
        wanted = frozenset(self._ports if self.is_watched else used & self._ports.keys())
        if wanted != self._made_for:
            self._make(wanted)
        if self._is_room_heard:
            self._room.prepare(self._played[:frames])
        self._program.run(frames)
        for name in self._by_hand:
            self._ports[name].read(self._buffers[name][:frames], now_s)
        blocks = {name: self._buffers[name][:frames] for name in self._read}
        if len(self._click):
            piece, self._click = self._click[:frames], self._click[frames:]
            for name in self.computer.captures:
                if name in blocks:
                    blocks[name][: len(piece)] += piece
        if "computer" in wanted:
            total = blocks["computer"]
            total.fill(0.0)
            for name in _PLAYED:
                total += blocks[name]
            self._ports["computer"].read(total, now_s)
        return blocks

    def _make(self, wanted: frozenset[str]) -> None:
        """How these devices are read: by one program, but for those with a clock of their own, or with something wrong.
        A capture of everything comes when all that plays has been read."""
        self._made_for = wanted
        is_captured = "computer" in wanted
        self._read = [
            name for name in self._ports if name in wanted or (is_captured and name in _PLAYED)
        ]
        self._is_room_heard = any(name in wanted for name in _IN_THE_ROOM)
        self._program, self._by_hand = StepProgram(self._program), []
        if self._is_room_heard:
            self._program.add(self._room.whole_air, *self._room.steps())
        for name in self._read:
            steps = self._ports[name].steps(self._buffers[name], self._mono[name])
            if steps is None and name != "computer":
                self._by_hand.append(name)
            for block, step in steps or ():
                self._program.add(block, step)
        self._program.finish()

    def runs_by_our_clock(self, devices: Collection[str]) -> bool:
        """Whether none of these devices has a clock of its own."""
        if self.computer.is_used:
            return False
        return not any(self._ports[name].has_own_clock for name in devices if name in self._ports)

    def play(self, viewers: Block, you: Block, call: Block, *, is_late: bool) -> None:
        """Give the stand-ins what leaves for them: the encoder, your ears, the call."""
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
        if isinstance(port.source, Capture):
            return port.source.latency_parts
        return port.latency_parts

    def statuses(self) -> dict[str, DeviceReading]:
        """How each input device does."""
        for capture in self.computer.captures.values():
            if capture.follows_anew():
                self._made_for = None
        return {name: port.status() for name, port in self._ports.items()}
