"""The audio process: wakes at absolute times, runs a block, answers its socket, never waits.

Real-time scheduling (SCHED_FIFO) is tried; where the system refuses it, the last half millisecond
before each block is spent looking at the clock, since plain sleep overshoots.
"""

import contextlib
import gc
import json
import os
import select
import socket
import time
from typing import Any

import numpy as np

from goshawk.engine import messages
from goshawk.engine.loop import MAX_FRAMES, AudioLoop
from goshawk.engine.plan import Plan
from goshawk.units import SAMPLE_RATE_HZ

READINGS_FRAMES = SAMPLE_RATE_HZ // 30
SPIN_S = 0.0005
RESYNC_BLOCKS = 8
"""Further behind than this, the missed time is given up (and counted) rather than caught up."""

SOUND_PACKET_FRAMES = 480
"""Sound goes out in pieces of 10 ms, or of a block if that is longer."""


def try_realtime() -> bool:
    """Ask for real-time scheduling; False where the system refuses."""
    try:
        os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(20))
    except (OSError, AttributeError):
        return False
    return True


class Clock:
    """Absolute times at which blocks are due, and how many came late."""

    def __init__(self, is_realtime: bool) -> None:
        self.is_realtime = is_realtime
        self.blocks = 0
        self.late_blocks = 0
        self.missed_blocks = 0
        self.busy_s = 0.0
        self._slowest_share = 0.0
        self.hurried_blocks = 0
        """So many blocks are run without waiting for their time."""
        self._due = time.monotonic()
        self._woke = self._due

    def wait(self, block_s: float) -> None:
        """Sleep until the next block is due."""
        if self.hurried_blocks:
            self.hurried_blocks -= 1
            self._due = self._woke = time.monotonic()
            return
        self._due += block_s
        left = self._due - time.monotonic()
        if left < -RESYNC_BLOCKS * block_s:
            missed = int(-left / block_s)
            self.missed_blocks += missed
            self._due += missed * block_s
        elif self.is_realtime:
            if left > 0:
                time.sleep(left)
        else:
            if left > SPIN_S:
                time.sleep(left - SPIN_S)
            while time.monotonic() < self._due:
                pass
        self._woke = time.monotonic()

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


class _Listening:
    """Sound at one point, gathered into packets."""

    def __init__(self) -> None:
        self.sound = np.zeros((SOUND_PACKET_FRAMES + MAX_FRAMES, 2), np.float32)
        self.frames = 0


class AudioProcess:
    """Ties the loop to the clock and the socket."""

    def __init__(self, end: socket.socket, plan: Plan) -> None:
        self._end = end
        self._loop = AudioLoop(plan)
        self._clock = Clock(is_realtime=False)
        self._listening: dict[str, _Listening] = {}
        self._dropped = 0
        self._next_readings = 0
        self._is_late = False
        self._is_running = True
        self._listen_at(plan)
        self._tell(self._loop.start_trouble)

    def run(self) -> None:
        """Until told to quit or the other end is gone."""
        gc.collect()
        gc.freeze()
        gc.disable()  # A collection takes milliseconds; nothing in the loop makes cycles.
        self._clock = Clock(try_realtime())
        try:
            with contextlib.suppress(EOFError, OSError):  # The other end is gone: so are we.
                messages.send(self._end, messages.READY)
                while self._is_running:
                    self._run_block()
        finally:
            gc.unfreeze()
            gc.enable()

    def _run_block(self) -> None:
        block_s = self._loop.block_frames / SAMPLE_RATE_HZ
        self._let_readers_follow()
        self._clock.wait(block_s)
        late_before = self._clock.late_blocks
        self._loop.run_block(is_late=self._is_late)
        for point, listening in self._listening.items():
            self._publish_sound(point, listening)
        if self._loop.frames >= self._next_readings:
            self._next_readings = max(self._next_readings, self._loop.frames - READINGS_FRAMES)
            self._next_readings += READINGS_FRAMES
            self._publish_readings()
        self._obey()
        self._clock.finished(block_s)
        self._is_late = self._clock.late_blocks > late_before

    def _let_readers_follow(self) -> None:
        """While a test hurries the clock, as fast as the readers follow; never else."""
        while self._clock.hurried_blocks and not messages.has_room(self._end):
            time.sleep(0.0005)
            self._obey()

    def _publish_sound(self, point: str, listening: _Listening) -> None:
        block = self._loop.point(point)
        frames = len(block)
        listening.sound[listening.frames : listening.frames + frames] = block
        listening.frames += frames
        if listening.frames >= SOUND_PACKET_FRAMES:
            packet = listening.sound[: listening.frames].tobytes()
            first = self._loop.frames - listening.frames
            listening.frames = 0
            body = messages.pack_sound(point, first, packet)
            if not messages.send(self._end, messages.SOUND, body):
                self._dropped += 1

    def _publish_readings(self) -> None:
        clock = self._clock
        readings = self._loop.take_readings()
        readings["engine"] = {
            "blocks": clock.blocks,
            "late_blocks": clock.late_blocks,
            "missed_blocks": clock.missed_blocks,
            "busy_s": clock.busy_s,
            "slowest_share": clock.take_slowest_share(),
            "dropped_packets": self._dropped,
            "block_frames": self._loop.block_frames,
            "is_realtime": clock.is_realtime,
        }
        if not messages.send(self._end, messages.READINGS, messages.pack_readings(readings)):
            self._dropped += 1
        rows = self._loop.take_rows()
        self._let_readers_follow()
        if messages.has_room(self._end):
            messages.send(self._end, messages.ROWS, messages.pack_readings(rows))

    def _obey(self) -> None:
        """Take what waits, a few messages at most, so that no flood makes a block late."""
        for _ in range(4):
            message = messages.receive(self._end)
            if message is None:
                return
            kind, body = message
            match kind:
                case messages.PLAN:
                    self._follow(messages.unpack_plan(body))
                case messages.MICROPHONE:
                    self._loop.rack.browser.push(*messages.unpack_microphone(body))
                case messages.MICROPHONE_STOPPED:
                    self._loop.rack.browser.stop()
                case messages.COMMAND:
                    self._command(**json.loads(body))
                case messages.QUIT:
                    self._is_running = False

    def _follow(self, plan: Plan) -> None:
        self._listen_at(plan)
        self._tell(self._loop.obey(plan))

    def _listen_at(self, plan: Plan) -> None:
        kept = self._listening
        self._listening = {point: kept.get(point) or _Listening() for point in plan.points}

    def _tell(self, sentences: list[str]) -> None:
        for sentence in sentences:
            messages.send(self._end, messages.NOTICE, sentence.encode())

    def _command(self, name: str, **given: Any) -> None:
        match name:
            case "click":
                self._loop.send_click()
            case "fault":
                self._loop.rack.fault(given["device"], given["fault"], given["value"])
            case "hurry" if os.environ.get(messages.TEST_CLOCK):
                self._clock.hurried_blocks = given["frames"] // self._loop.block_frames


def run(descriptor: int) -> None:
    """Entry of the audio process: the plan is what comes first."""
    end = socket.socket(fileno=descriptor)
    with contextlib.suppress(KeyboardInterrupt, EOFError):
        while (message := messages.receive(end)) is None:
            select.select([end], [], [])
        AudioProcess(end, messages.unpack_plan(message[1])).run()


if __name__ == "__main__":
    import sys

    run(int(sys.argv[1]))
