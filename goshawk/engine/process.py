"""The audio process: wakes at absolute times, runs a block, answers its socket, never waits.

Real-time scheduling (SCHED_FIFO) is tried; where the system refuses it, the last half millisecond
before each block is spent looking at the clock, since plain sleep overshoots.
"""

import contextlib
import gc
import json
import os
import socket
import time
from pathlib import Path
from typing import Any

import numpy as np

from goshawk.core.rig import Rig
from goshawk.engine import messages
from goshawk.engine.loop import AudioLoop
from goshawk.units import SAMPLE_RATE_HZ

READINGS_PER_S = 30
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
        self._due = time.monotonic()
        self._woke = self._due

    def wait(self, block_s: float) -> None:
        """Sleep until the next block is due."""
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
        """The block is ready: late if the device would have run out, one block after it was due."""
        now = time.monotonic()
        self.blocks += 1
        self.busy_s += now - self._woke
        if now > self._due + block_s:
            self.late_blocks += 1


class AudioProcess:
    """Ties the loop to the clock and the socket."""

    def __init__(self, end: socket.socket, rig: Rig) -> None:
        self._end = end
        self._loop = AudioLoop(rig)
        self._clock = Clock(is_realtime=False)
        self._listeners = 0
        self._dropped = 0
        self._sound = np.zeros((SOUND_PACKET_FRAMES + 1024, 2), np.float32)
        self._sound_frames = 0
        self._next_readings = 0.0
        self._is_running = True

    def run(self) -> None:
        """Until told to quit or the other end is gone."""
        gc.collect()
        gc.freeze()
        gc.disable()  # A collection takes milliseconds; nothing in the loop makes cycles.
        self._clock = Clock(try_realtime())
        with contextlib.suppress(EOFError, OSError):  # The other end is gone: so are we.
            messages.send(self._end, messages.READY)
            while self._is_running:
                self._run_block()

    def _run_block(self) -> None:
        block_s = self._loop.block_frames / SAMPLE_RATE_HZ
        self._clock.wait(block_s)
        feed = self._loop.run_block()
        self._clock.finished(block_s)
        if self._listeners:
            self._publish_sound(feed)
        now = time.monotonic()
        if now >= self._next_readings:
            self._next_readings = max(now, self._next_readings + 1.0 / READINGS_PER_S)
            self._publish_readings()
        self._obey()

    def _publish_sound(self, feed: np.ndarray[Any, Any]) -> None:
        frames = len(feed)
        self._sound[self._sound_frames : self._sound_frames + frames] = feed
        self._sound_frames += frames
        if self._sound_frames >= SOUND_PACKET_FRAMES:
            packet = self._sound[: self._sound_frames].tobytes()
            self._sound_frames = 0
            if not messages.send(self._end, messages.SOUND, packet):
                self._dropped += 1

    def _publish_readings(self) -> None:
        clock = self._clock
        readings = self._loop.take_readings()
        readings["engine"] = {
            "blocks": clock.blocks,
            "late_blocks": clock.late_blocks,
            "missed_blocks": clock.missed_blocks,
            "busy_s": clock.busy_s,
            "dropped_packets": self._dropped,
            "block_frames": self._loop.block_frames,
            "is_realtime": clock.is_realtime,
        }
        if not messages.send(self._end, messages.READINGS, messages.pack_readings(readings)):
            self._dropped += 1

    def _obey(self) -> None:
        """Take what waits, a few messages at most, so that no flood makes a block late."""
        for _ in range(4):
            message = messages.receive(self._end)
            if message is None:
                return
            kind, body = message
            match kind:
                case messages.RIG:
                    self._loop.apply(Rig.model_validate_json(body))
                case messages.MICROPHONE:
                    self._loop.browser.push(*messages.unpack_microphone(body))
                case messages.MICROPHONE_STOPPED:
                    self._loop.browser.stop()
                case messages.SOURCE_FILE:
                    self._play_file(json.loads(body))
                case messages.LISTENERS:
                    self._listeners = body[0]
                    self._sound_frames = 0
                case messages.QUIT:
                    self._is_running = False

    def _play_file(self, path: str | None) -> None:
        try:
            self._loop.play_file(Path(path) if path else None)
        except (OSError, ValueError):
            self._loop.play_file(None)
            messages.send(
                self._end,
                messages.NOTICE,
                b"The sound file is gone or damaged, so the microphone is silent. Choose it again.",
            )


def run(descriptor: int, rig_json: str) -> None:
    """Entry of the audio process."""
    end = socket.socket(fileno=descriptor)
    with contextlib.suppress(KeyboardInterrupt):
        AudioProcess(end, Rig.model_validate_json(rig_json)).run()


if __name__ == "__main__":
    import sys

    run(int(sys.argv[1]), sys.stdin.read())
