"""An audio loop that plays as fast as it can, onto a memory as the audio process does."""

from typing import Any

from goshawk.core.observed.reach import VoicesNow
from goshawk.core.rig import Rig
from goshawk.engine.loop import AudioLoop
from goshawk.engine.plan import Plan
from goshawk.observer.wanted import ObserverWanted
from goshawk.timeline.memory import SESSION, Memory
from goshawk.timeline.readings import EngineReading, ReadingsWriter
from goshawk.timeline.sound import SoundWriter
from tests.conftest import RATE_HZ

BLOCKS = 400
NOBODY = VoicesNow([0.0] * 4, [0.0] * 4, [False] * 4, False)
"""What a reading says of voices that reach nobody."""


def engine_reading(**given: float) -> EngineReading:
    """What an audio process that does well says of itself."""
    usual = {"busy_s": 0.1, "blocks": BLOCKS, "late_blocks": 0, "missed_blocks": 0}
    more = {"block_frames": 256, "slowest_share": 0.2, "is_realtime": False}
    return EngineReading(**{**usual, **more, **given})


def wanted_for(rig: Rig, **more: Any) -> ObserverWanted:
    """What is wanted of an observer: a rig that is heard, and what is given."""
    return ObserverWanted(**{"number": 1, "rig": rig.model_dump_json().encode(), **more})


class Playing:
    """The loop, and what it writes."""

    def __init__(self, plan: Plan, memory: Memory | None = None) -> None:
        self.memory = memory or Memory.local()
        self.loop = AudioLoop(plan)
        self.sound, self.readings = SoundWriter(self.memory), ReadingsWriter(self.memory)
        self.loop.begin(self.sound, int(self.memory.head[SESSION]))
        self.sound.plan(plan.number)
        self._since_reading = 0

    def obey(self, plan: Plan) -> None:
        """Another plan."""
        assert self.loop.obey(plan) == []
        self.sound.plan(plan.number)
        self.sound.offer(self.loop.offered)

    def pass_over(self, frames: int) -> None:
        """Let so many frames, whole hops, be missed."""
        self.loop.pass_over(frames)
        self.sound.pass_over(frames)

    def pass_by(self, seconds: float) -> None:
        """Let time pass, by blocks as long as they may be: sound every block, readings some ten times a second."""
        frames = self.loop.longest_frames
        for _ in range(max(1, round(seconds * RATE_HZ / frames))):
            self.loop.run_block(frames)
            self.loop.publish(self.sound)
            self._since_reading += frames
            if self._since_reading >= RATE_HZ // 10:
                self._since_reading = 0
                self.readings.write(self.loop.take_readings(engine_reading()))
