"""What inserts of chains send out and get back: to and from devices of the computer, or a stand-in unit; and the click that
measures how long that takes.

What goes out is no feed, but whoever stands there hears it: it is shut when the input may not leave by an output of its own.
"""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.clock_follower import Follower
from goshawk.core.dsp.delay import Delay
from goshawk.core.dsp.insert import LONGEST_WAY_MS, Insert, InsertSettings
from goshawk.core.measure.click import ClickListener, make_click
from goshawk.core.stage import CLEAN, Block, Floats, Glide
from goshawk.core.steps import Integers, Step, StepProgram, copying
from goshawk.devices.catalog import PROCESSOR
from goshawk.devices.computer import ComputerStreams
from goshawk.devices.outlets import send
from goshawk.units import db_to_linear, frames_to_ms, ms_to_frames

UNIT_MS = 6.0
"""So long the stand-in unit takes."""

_DRIVE = 1.5
PROBE_DBFS = -18.0
_PATIENCE_FRAMES = ms_to_frames(LONGEST_WAY_MS) + 4800


@kernel
def _warm(block: Block, drive: float) -> None:
    """A soft bend that leaves quiet sound as it is: tanh(drive x) / drive."""
    for n in range(block.shape[0]):
        for c in range(2):
            block[n, c] = np.float32(np.tanh(drive * block[n, c]) / drive)


@kernel
def _probe(block: Block, probe: Block, place: Integers) -> None:
    """While a probe goes out, nothing else does. ``place`` is its next frame; beyond its end it is silence, less than none: there
    is no probe."""
    if place[0] < 0:
        return
    for n in range(block.shape[0]):
        x = probe[place[0], 0] if place[0] < probe.shape[0] else np.float32(0.0)
        block[n, 0], block[n, 1] = x, x
        place[0] += 1


class _Way:
    """One insert's way out and back."""

    def __init__(self, stage_id: str, stage: Insert, may_leave: Floats, max_frames: int) -> None:
        self.stage_id, self.stage, self.may_leave = stage_id, stage, may_leave
        self.block = np.zeros((max_frames, 2), np.float32)
        self.level, self.gain, self.peak = np.ones(1), Glide(1), np.zeros(1)
        self.gain.set(0.0)
        self.place = np.full(1, -1, np.int64)
        self.unit = Delay(2, ms_to_frames(UNIT_MS), ms_to_frames(UNIT_MS))
        self.listener: ClickListener | None = None
        self.rates_hz: tuple[int, ...] = ()


class Inserts:
    """All inserts of the mixer. ``before`` is run before each block passes, ``after`` behind it."""

    def __init__(self, max_frames: int, computer: ComputerStreams) -> None:
        self._max_frames = max_frames
        self._computer = computer
        self._probe = make_click(db_to_linear(PROBE_DBFS))
        self._ways: dict[str, _Way] = {}
        self._coming = StepProgram().finish()
        self._going = StepProgram().finish()
        self._measured: list[tuple[str, float | None]] = []

    def arrange(self, inserts: list[tuple[str, Insert, Floats]]) -> None:
        """The mixer has other inserts, or their devices are others."""
        before, self._ways = self._ways, {}
        self._coming, self._going = StepProgram(self._coming), StepProgram(self._going)
        for stage_id, stage, may_leave in inserts:
            way = before.get(stage_id)
            if way is None or way.stage is not stage or way.may_leave is not may_leave:
                way = _Way(stage_id, stage, may_leave, self._max_frames)
            self._ways[stage_id] = way
            self._lead(way)
        self._coming.finish()
        self._going.finish()

    def _lead(self, way: _Way) -> None:
        stage, g = way.stage, way.gain
        sending = Step(
            send, way.block, way.level, way.may_leave,
            g.now, g.between, g.target, g.coefficient, way.peak,
        )  # fmt: skip
        self._going.add(stage.sent, sending)
        self._going.add(way.block, Step(_probe, self._probe, way.place))
        out, back = ends = self._computer.insert(way.stage_id)
        way.rates_hz = tuple(one.rate_hz for one in ends if one is not None)
        now_ns = self._computer.now_ns
        if out is not None:
            follower = Follower(out.ring, out.rate_hz, out.target_ms, now_ns, is_output=True)
            self._going.add(way.block, follower.step)
        if stage.settings.sends_to == stage.settings.comes_from == PROCESSOR:
            self._going.add(way.block, Step(_warm, _DRIVE), way.unit.step)
            self._coming.add(way.block, copying(stage.returned))
        elif back is not None:
            follower = Follower(back.ring, back.rate_hz, back.target_ms, now_ns, is_output=False)
            self._coming.add(stage.returned, follower.step, CLEAN)

    def before(self, frames: int) -> None:
        """What has come back, for the next block."""
        self._coming.run(frames)
        for way in self._ways.values():
            is_there = self._is_back(way) and way.listener is None
            way.stage.is_back[0] = float(is_there and way.may_leave[0] > 0.0)
            if way.listener is not None:
                self._listen(way, frames)

    def after(self, frames: int) -> None:
        """What goes out of the last block."""
        self._going.run(frames)

    def _is_back(self, way: _Way) -> bool:
        settings = way.stage.settings
        if settings.sends_to == settings.comes_from == PROCESSOR:
            return True
        ends = self._computer.insert(way.stage_id)
        return all(one is not None and one.state == "playing" for one in ends)

    def measure(self, stage_id: str) -> None:
        """Send a click out; what is found comes with ``take_measured``. The sound passes dry meanwhile."""
        way = self._ways.get(stage_id)
        if way is None or not self._is_back(way):
            self._measured.append((stage_id, None))
            return
        way.listener = ClickListener(self._max_frames)
        way.place[0] = 0

    def _listen(self, way: _Way, frames: int) -> None:
        assert way.listener
        # The click goes out behind the block that has just passed: it is counted from that block's first frame on.
        if way.place[0] == 0:
            return
        way.listener.listen(way.stage.returned[:frames])
        if way.listener.heard_frames >= _PATIENCE_FRAMES:
            at = way.listener.found_frame()
            way_ms = None if at is None else round(frames_to_ms(at + frames), 2)
            self._measured.append((way.stage_id, way_ms))
            way.listener = None
            way.place[0] = -1

    def look(self) -> None:
        """Devices may have turned out to run at another rate: they are followed anew."""
        for way in self._ways.values():
            ends = self._computer.insert(way.stage_id)
            rates = tuple(one.rate_hz for one in ends if one is not None)
            if rates != way.rates_hz:
                self._computer.version += 1

    def take_measured(self) -> list[tuple[str, float | None]]:
        """Ways in ms that were measured since the last call, by the stage's id; None: nothing came back."""
        measured, self._measured = self._measured, []
        return measured


def warm_up_inserts(max_frames: int) -> None:
    """Have all code compiled, or loaded, that an insert may need later."""
    unit = InsertSettings(sends_to=PROCESSOR, comes_from=PROCESSOR)
    inserts = Inserts(max_frames, ComputerStreams())
    inserts.arrange([("unit", Insert(unit, 1, max_frames), np.ones(1))])
    inserts.measure("unit")
    for _ in range(2):
        inserts.after(max_frames)
        inserts.before(max_frames)
