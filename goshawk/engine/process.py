"""The audio process: wakes at absolute times, runs a block, answers its socket, never waits.

Real-time scheduling (SCHED_FIFO) is tried. Where the system refuses it, sleep overshoots by a tenth of a millisecond or
so; a block may come nearly its own length late, so that nothing is done against it.
"""

import contextlib
import gc
import os
import select
import socket
import sys
import time

import numpy as np

from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.engine import messages
from goshawk.engine.loop import AudioLoop
from goshawk.engine.plan import Plan
from goshawk.engine.plan_maker import PlanMaker
from goshawk.system.links import Packets, packets
from goshawk.system.scheduling import take_realtime
from goshawk.timeline.memory import SESSION, TEST_CLOCK, Memory
from goshawk.timeline.readings import EngineReading, ReadingsWriter
from goshawk.timeline.sound import SoundWriter
from goshawk.units import SAMPLE_RATE_HZ

READINGS_FRAMES = SAMPLE_RATE_HZ // 20
UNSEEN_READINGS_FRAMES = SAMPLE_RATE_HZ // 8
"""From readings to readings, while somebody looks and while nobody does."""

HOP_S = HOP_FRAMES / SAMPLE_RATE_HZ
SWITCH_S = 0.0001
ENGINE_PRIORITY = 20
STEER_PER_S = 0.03
MOST_STEER_PPM = 1000.0

RESYNC_BLOCKS = 8
"""Further behind than this, the missed time is given up (counted, and a gap on the timeline) rather than caught up."""

MOST_BEHIND_FRAMES = SAMPLE_RATE_HZ * 3 // 8
"""So far the slowest reader may be behind while a test hurries the clock: a second of sound is then left in the memory
for when it is not hurried any more."""


class Clock:
    """Absolute times at which blocks are due, and how many came late."""

    def __init__(self, is_realtime: bool) -> None:
        self.is_realtime = is_realtime
        self.blocks = 0
        self.late_blocks = 0
        self.missed_blocks = 0
        self.busy_s = 0.0
        self._slowest_share = 0.0
        self.hurried_frames = 0
        """So many frames pass without waiting for their time."""
        self._due = time.monotonic()
        self._woke = self._due
        self._faster_ppm = 0.0
        """By how much time runs faster here than by the system's clock: a device's, if it is followed."""
        self._is_ahead = False
        """Whether the last block was made one block early."""

    def steer(self, ppm: float | None, seconds: float) -> None:
        """Follow a device whose clock was found to be ``ppm`` faster, ``seconds`` after the last call; None: none is
        followed. Slowly, so that what finds out the difference can keep up."""
        if ppm is None:
            self._faster_ppm = 0.0
            return
        wanted = self._faster_ppm + ppm * min(1.0, STEER_PER_S * seconds)
        self._faster_ppm = max(-MOST_STEER_PPM, min(MOST_STEER_PPM, wanted))

    def wait(self, block_s: float, patience_s: float = 0.0, *, in_pairs: bool = False) -> int:
        """Sleep until the next block is due. Time that is missed is caught up to RESYNC_BLOCKS, or to ``patience_s`` if
        that is longer. ``in_pairs``: every second block follows the one before it at once, one block early, so that both find the
        processor's caches filled. Returns the frames, in whole hops, of the time that is given up."""
        if self.hurried_frames:
            self.hurried_frames = max(0, self.hurried_frames - round(block_s * SAMPLE_RATE_HZ))
            self._due = self._woke = time.monotonic()
            return 0
        missed_hops = 0
        self._due += block_s / (1.0 + self._faster_ppm * 1e-6)
        left = self._due - time.monotonic()
        if left < -max(RESYNC_BLOCKS * block_s, patience_s):
            missed_hops = int(-left / HOP_S)
            self.missed_blocks += round(missed_hops * HOP_S / block_s)
            self._due += missed_hops * HOP_S
        elif left > 0:
            self._is_ahead = in_pairs and not self._is_ahead
            if not self._is_ahead:
                time.sleep(left)
        self._woke = time.monotonic()
        return missed_hops * HOP_FRAMES

    def finished(self, block_s: float) -> None:
        """The block and all that goes with it (what is published and obeyed) is done: late if the device would have run
        out, one block after it was due."""
        now = time.monotonic()
        self.blocks += 1
        busy_s = now - self._woke
        self.busy_s += busy_s
        self._slowest_share = max(self._slowest_share, busy_s / block_s)
        if now > self._due + block_s:
            self.late_blocks += 1

    def take_slowest_share(self) -> float:
        """How much of its time the slowest block took, since the last call."""
        slowest, self._slowest_share = self._slowest_share, 0.0
        return slowest


class AudioProcess:
    """Ties the loop to the clock, the socket and the shared memory."""

    def __init__(self, end: Packets, memory: Memory, plan: Plan) -> None:
        self._end, self._memory = end, memory
        self._loop = AudioLoop(plan)
        self._readings = ReadingsWriter(memory)
        self._plans = PlanMaker(plan)
        self._clock = Clock(is_realtime=False)
        self._is_late = False
        self._has_begun = False
        self._every = READINGS_FRAMES
        """So many frames one reading stands for now."""

        self._is_running = True
        self._tell(self._loop.start_trouble)

    def make_plans_beside(self) -> None:
        """From now on, in a thread of its own. Whoever has Python gives it up quickly, so that no block waits long."""
        sys.setswitchinterval(SWITCH_S)
        self._plans.start()

    def run(self) -> None:
        """Until told to quit or the other end is gone."""
        gc.collect()
        gc.freeze()
        gc.disable()  # A collection takes milliseconds; nothing in the loop makes cycles.
        # The thread that makes plans was begun before: it is not given it.
        is_realtime = take_realtime(ENGINE_PRIORITY)
        if not self._has_begun:
            self._begin()
        self._clock = Clock(is_realtime)
        try:
            with contextlib.suppress(EOFError, OSError):  # The other end is gone: so are we.
                messages.send(self._end, messages.Ready())
                while self._is_running:
                    self._run_block()
        finally:
            gc.unfreeze()
            gc.enable()

    def _begin(self) -> None:
        """Take a place on the timeline: now, when the first block is due, and not while all was being made ready."""
        self._sound = SoundWriter(self._memory)
        self._loop.begin(self._sound, int(self._memory.head[SESSION]))
        self._sound.plan(self._loop.plan.number)
        self._said_frame, self._said_plan = self._loop.frames, -1
        self._has_begun = True

    def _run_block(self) -> None:
        hurried = self._clock.hurried_frames
        frames = self._loop.longest_frames if hurried else self._loop.block_frames
        block_s = frames / SAMPLE_RATE_HZ
        self._let_readers_follow()
        missed = self._clock.wait(
            block_s, self._loop.rack.computer.patience_s, in_pairs=self._loop.may_run_ahead
        )
        if missed:
            self._pass_over(missed)
        late_before = self._clock.late_blocks
        self._loop.run_block(frames, is_late=self._is_late)
        self._loop.publish(self._sound)
        plan = self._loop.plan
        # A new plan is said to be heard as soon as somebody may look.
        is_soon = plan.is_seen or plan.number != self._said_plan
        self._every = every = READINGS_FRAMES if is_soon else UNSEEN_READINGS_FRAMES
        if self._loop.frames - self._said_frame >= every:
            # Behind, they are not caught up.
            self._said_frame = max(self._said_frame + every, self._loop.frames - every)
            self._said_plan = plan.number
            self._clock.steer(self._loop.clock_ppm, every / SAMPLE_RATE_HZ)
            self._publish_readings()
        self._obey()
        self._take_over()
        self._clock.finished(block_s)
        self._is_late = self._clock.late_blocks > late_before

    def _pass_over(self, frames: int) -> None:
        """Time in which nothing was made has its frames too: whoever reads finds them missing, and what comes in time."""
        if self._loop.frames - self._said_frame >= HOP_FRAMES:
            self._publish_readings()  # They do not go on beyond it.
        self._loop.pass_over(frames)
        self._sound.pass_over(frames)
        self._said_frame = self._loop.frames

    def _let_readers_follow(self) -> None:
        """While a test hurries the clock, as fast as the readers follow; never else."""
        while self._clock.hurried_frames and self._is_ahead():
            time.sleep(0.0005)
            self._obey()
            self._take_over()

    def _is_ahead(self) -> bool:
        places = self._memory.places[self._memory.places >= 0]
        behind = self._readings.count - int(places.min()) if len(places) else 0
        return behind * self._every > MOST_BEHIND_FRAMES

    def _publish_readings(self) -> None:
        clock = self._clock
        engine = EngineReading(
            blocks=clock.blocks,
            late_blocks=clock.late_blocks,
            missed_blocks=clock.missed_blocks,
            busy_s=clock.busy_s,
            slowest_share=clock.take_slowest_share(),
            block_frames=self._loop.block_frames,
            is_realtime=clock.is_realtime,
            device_dropouts=self._loop.rack.computer.dropouts,
        )
        for stage_id, way_ms in self._loop.inserts.take_measured():
            messages.send(self._end, messages.InsertMeasured(stage_id, way_ms))
        readings = self._loop.take_readings(engine)
        self._readings.write(readings)
        messages.send(
            self._end, messages.Seen(readings.plan, readings.end_frame, readings.voices, engine)
        )

    def _obey(self) -> None:
        """Take what waits, a few messages at most, so that no flood makes a block late."""
        for _ in range(4):
            message = messages.receive_in_engine(self._end)
            match message:
                case None:
                    return
                case messages.NewPlan() | messages.TriedPlan():
                    self._plans.give(message)
                case messages.Microphone(rate_hz, channels, samples):
                    sound = np.frombuffer(samples, "<f4").reshape(-1, channels)
                    self._loop.rack.browser.push(rate_hz, sound)
                case messages.MicrophoneStopped():
                    self._loop.rack.browser.stop()
                case messages.Click():
                    self._loop.send_click()
                case messages.SayAloud(name, gain):
                    self._loop.aloud.say(name, gain)
                case messages.SendInsertClick(stage_id):
                    self._loop.inserts.measure(stage_id)
                case messages.MakeFault(device, fault, value):
                    self._loop.rack.fault(device, fault, value)
                case messages.Hurry(frames) if os.environ.get(TEST_CLOCK):
                    self._clock.hurried_frames = frames
                case messages.Quit():
                    self._is_running = False

    def _take_over(self) -> None:
        """Plans that are made, in their order."""
        while (made := self._plans.take()) is not None:
            if isinstance(made, str):
                self._tell([made])
                continue
            self._tell(self._loop.take_over(made))
            self._sound.plan(self._loop.plan.number)
            self._sound.offer(self._loop.offered)

    def _tell(self, sentences: list[str]) -> None:
        for sentence in sentences:
            messages.send(self._end, messages.Said(sentence))


def run(link: socket.socket, memory_name: str) -> None:
    """Entry of the audio process: the plan is what comes first. At its end, however the web process has ended, nothing
    of the shared memory is left."""
    end = packets(link)
    memory = Memory.open(memory_name)
    try:
        _play(end, memory)
    finally:
        memory.remove_if_left()


def _play(end: Packets, memory: Memory) -> None:
    with contextlib.suppress(EOFError):
        while (message := messages.receive_in_engine(end)) is None:
            select.select([end], [], [])
        if isinstance(message, messages.NewPlan):
            audio = AudioProcess(end, memory, message.read())
            audio.make_plans_beside()
            audio.run()
