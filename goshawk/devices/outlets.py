"""Where sound leaves: every output of the rig, each with its level, delay and mute, to a stand-in or into the ring of a device
of the computer. A block passes all of them in one compiled program.
"""

from collections.abc import Callable

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.device_readings import OutputReading
from goshawk.core.dsp.clock_follower import Follower
from goshawk.core.dsp.delay import Delay
from goshawk.core.dsp.frame_ring import Ring
from goshawk.core.routing import LONGEST_OUTPUT_DELAY_MS, OutputSettings
from goshawk.core.stage import Block, Floats, Glide, glide, greatest, is_gliding
from goshawk.core.steps import Integers, Step, StepProgram
from goshawk.devices.endpoint import Endpoint
from goshawk.units import SAMPLE_RATE_HZ, SILENCE_DBFS, db_to_linear, linear_to_db, ms_to_frames

Leaving = Callable[[str], tuple[Block, Floats]]
"""Where an output's source is to be found after every block, shape (max_frames, 2), and whether it may leave (1.0 or 0.0, in an
array of one)."""


@kernel
def send(
    source: Block,
    out: Block,
    level: Floats,
    may_leave: Floats,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
    peak: Floats,
) -> None:
    """An output's source at its level, into ``out``; shut if it may not leave. ``peak`` is raised."""
    target[0] = level[0] * may_leave[0]
    is_moving = is_gliding(now, between, target)
    gain = np.float32(now[0])
    for n in range(source.shape[0]):
        if is_moving:
            glide(now, between, target, a)
            gain = np.float32(now[0])
        out[n, 0], out[n, 1] = source[n, 0] * gain, source[n, 1] * gain
    peak[0] = max(peak[0], greatest(out[: source.shape[0]].reshape(-1)))


@kernel
def _shut(block: Block, now: Floats, between: Floats, target: Floats, a: float) -> None:
    """Behind a delay: what still lies in it does not leave while the output is mute."""
    is_moving = is_gliding(now, between, target)
    if not is_moving and now[0] == 1.0:
        return
    for n in range(block.shape[0]):
        if is_moving:
            glide(now, between, target, a)
        for c in range(2):
            block[n, c] *= np.float32(now[0])


@kernel
def _add(block: Block, total: Block) -> None:
    for n in range(block.shape[0]):
        for c in range(2):
            total[n, c] += block[n, c]


@kernel
def _nothing(block: Block) -> None:
    for n in range(block.shape[0]):
        for c in range(2):
            block[n, c] = np.float32(0.0)


class Outlet:
    """One output. ``endpoint`` is the device's; None: a stand-in."""

    def __init__(self, settings: OutputSettings, max_frames: int) -> None:
        self.settings = settings
        self.block = np.zeros((max_frames, 2), np.float32)
        self.endpoint: Endpoint | None = None
        self.follower: Follower | None = None
        self._level = np.zeros(1)
        self._peak = np.zeros(1)
        self._gain, self._open = Glide(1), Glide(1)
        self._gain.set(0.0)
        self._delay: Delay | None = None
        self.apply(settings)

    def apply(self, settings: OutputSettings) -> bool:
        """Take new settings. True if it has to be arranged anew."""
        is_other = (settings.source, settings.device) != (
            self.settings.source,
            self.settings.device,
        )
        self.settings = settings
        self._level[0] = 0.0 if settings.is_muted else db_to_linear(settings.level_db)
        self._open.set(0.0 if settings.is_muted else 1.0)
        frames = ms_to_frames(settings.delay_ms)
        if self._delay is None and frames:
            self._delay = Delay(2, ms_to_frames(LONGEST_OUTPUT_DELAY_MS), frames)
            is_other = True
        elif self._delay is not None:
            self._delay.set_frames(frames)
        return is_other

    def follow(self, endpoint: Endpoint, now_ns: Integers) -> bool:
        """Play into a device's ring. True if it has to be arranged anew: it is another device, or another rate."""
        if (
            endpoint is self.endpoint
            and self.follower
            and self.follower.rate_hz == endpoint.rate_hz
        ):
            return False
        self.endpoint = endpoint
        self.follower = Follower(
            endpoint.ring, endpoint.rate_hz, endpoint.target_ms, now_ns, is_output=True
        )
        return True

    def leave_device(self) -> None:
        """It goes to a stand-in from now on, or nowhere."""
        self.endpoint = self.follower = None

    def add_to(self, program: StepProgram, leaving: Leaving, total: Block | None) -> None:
        """Its way out, to a device or into the ``total`` that a stand-in gets."""
        source, may_leave = leaving(self.settings.source)
        g, o = self._gain, self._open
        program.add(
            source,
            Step(
                send, self.block, self._level, may_leave,
                g.now, g.between, g.target, g.coefficient, self._peak,
            ),
        )  # fmt: skip
        if self._delay is not None:
            shutting = Step(_shut, o.now, o.between, o.target, o.coefficient)
            program.add(self.block, self._delay.step, shutting)
        if self.follower is not None:
            program.add(self.block, self.follower.step)
        if total is not None:
            program.add(self.block, Step(_add, total))

    @property
    def latency_parts(self) -> list[tuple[str, float]]:
        """Name and ms of what lies between the engine and the air."""
        follower_ms = self.follower.latency_ms if self.follower else 0.0
        device_ms = self.endpoint.device_ms if self.endpoint else 0.0
        return [
            ("output delay", self.settings.delay_ms),
            ("output's clock follower", follower_ms),
            ("the output's device", device_ms),
        ]

    def reading(self, *, is_stand_in: bool) -> OutputReading:
        """How it does; the peak since the last call. What goes neither to a stand-in nor to a device waits for one."""
        peak_dbfs = round(max(SILENCE_DBFS, linear_to_db(float(self._peak[0]))), 1)
        self._peak[0] = 0.0
        endpoint, follower = self.endpoint, self.follower
        if endpoint is None or follower is None:
            state = "playing" if is_stand_in else "waiting"
            return {"state": state, "said": "", "peak_dbfs": peak_dbfs}
        return {
            "state": endpoint.state,
            "said": endpoint.said,
            "peak_dbfs": peak_dbfs,
            "delay_ms": round(sum(ms for _, ms in self.latency_parts), 2),
            "device_ms": round(endpoint.device_ms, 2),
            "clock_ppm": round(follower.clock_ppm),
            "rate_hz": endpoint.rate_hz,
            "dropouts": endpoint.dropouts,
            "overruns": endpoint.overruns,
            "grown": endpoint.grown,
        }


class Outlets:
    """All outputs."""

    def __init__(self, max_frames: int, stand_ins: tuple[str, ...], now_ns: Integers) -> None:
        """``stand_ins`` are outputs' devices that get the sum of what goes to each."""
        self._max_frames = max_frames
        self._now_ns = now_ns
        self.outlets: dict[str, Outlet] = {}
        self.sums = {name: np.zeros((max_frames, 2), np.float32) for name in stand_ins}
        """What each stand-in gets after every block, shape (max_frames, 2)."""
        self.version = 0
        """Another one whenever they have to be arranged anew."""
        self._program = StepProgram().finish()

    def apply(
        self,
        outputs: tuple[OutputSettings, ...],
        endpoint: Callable[[OutputSettings], Endpoint | None],
    ) -> None:
        """Take the rig's outputs; ``endpoint`` gives the device of each, None for stand-ins."""
        there = {one.id for one in outputs}
        for name in [name for name in self.outlets if name not in there]:
            del self.outlets[name]
            self.version += 1
        for one in outputs:
            outlet = self.outlets.get(one.id)
            if outlet is None:
                outlet = self.outlets[one.id] = Outlet(one, self._max_frames)
                self.version += 1
            elif outlet.apply(one):
                self.version += 1
            device = endpoint(one)
            if device is not None:
                self.version += outlet.follow(device, self._now_ns)
            elif outlet.endpoint is not None:
                outlet.leave_device()
                self.version += 1

    def arrange(self, leaving: Leaving) -> None:
        """Where everything that leaves is to be found has changed."""
        self._program = program = StepProgram(self._program)
        for total in self.sums.values():
            program.add(total, Step(_nothing))
        for outlet in self.outlets.values():
            outlet.add_to(program, leaving, self.sums.get(outlet.settings.device))
        program.finish()

    def run(self, frames: int) -> None:
        """Let a block out."""
        self._program.run(frames)

    def clock_ppm(self, device: str) -> float | None:
        """By how much a device's clock is faster by which something leaves; None if it does not run."""
        for outlet in self.outlets.values():
            follower = outlet.follower
            if outlet.settings.device == device and follower is not None and follower.is_running:
                return follower.clock_ppm
        return None

    def playing(self) -> dict[str, Endpoint]:
        """The device of the computer by which each source leaves, the first that plays, as ``latency_parts`` takes it."""
        found: dict[str, Endpoint] = {}
        for outlet in self.outlets.values():
            endpoint, settings = outlet.endpoint, outlet.settings
            if endpoint is not None and endpoint.state == "playing" and not settings.is_muted:
                found.setdefault(settings.source, endpoint)
        return found

    def latency_parts(self, source: str) -> list[tuple[str, float]]:
        """Name and ms of what lies between the engine and the air where a source leaves by a device of the computer, the
        first that plays; none if it does not."""
        for outlet in self.outlets.values():
            is_meant = outlet.settings.source == source and not outlet.settings.is_muted
            if is_meant and outlet.endpoint is not None and outlet.endpoint.state == "playing":
                return outlet.latency_parts
        return []

    def readings(self) -> dict[str, OutputReading]:
        """How each does, by its id. Devices may have turned out to run at another rate meanwhile."""
        for outlet in self.outlets.values():
            if outlet.endpoint is not None:
                self.version += outlet.follow(outlet.endpoint, self._now_ns)
        return {
            name: outlet.reading(is_stand_in=outlet.settings.device in self.sums)
            for name, outlet in self.outlets.items()
        }


def warm_up_outlets(max_frames: int) -> None:
    """Have all code compiled, or loaded, that an output or a device of the computer may need later."""
    now_ns = np.zeros(1, np.int64)
    everything = OutputSettings(id="everything", device="everything", delay_ms=1.0)
    outlet = Outlet(everything, max_frames)
    outlet.follow(Endpoint.of("out", "server:x", 256, 20.0), now_ns)
    block = np.zeros((max_frames, 2), np.float32)
    program = StepProgram()
    outlet.add_to(program, lambda source: (block, np.ones(1)), block)
    program.finish()
    Follower(Ring(), SAMPLE_RATE_HZ, 20.0, now_ns, is_output=False).step.load()
