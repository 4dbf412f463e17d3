"""Insert: a place in the chain at which the sound goes out to something outside (a program, an outboard unit) and comes back.

Signal flow: what enters is given out (``sent``), and waits for as long as the way out and back takes; what has come back
(``returned``) takes its place in a crossfade, and gives it up again when nothing returns. So the latency is the same either way
and what follows never goes silent with the unit. The crossfade is of equal gain, since both sides are the same sound.
"""

import numpy as np
from pydantic import Field

from goshawk.core.compiled import kernel
from goshawk.core.dsp.delay import Delay, delay
from goshawk.core.settings import DeviceName, Settings, number
from goshawk.core.stage import (
    Block,
    Floats,
    Glide,
    Stage,
    StageReading,
    glide,
    greatest,
    is_gliding,
)
from goshawk.core.steps import Integers, Step
from goshawk.units import SILENCE_DBFS, db_to_linear, linear_to_db, ms_to_frames

LONGEST_WAY_MS = 250.0


class InsertSettings(Settings):
    """Settings of an insert."""

    sends_to: DeviceName = Field("", title="Send")
    comes_from: DeviceName = Field("", title="Return")
    way_ms: float = number(
        20.0,
        0.0,
        LONGEST_WAY_MS,
        "ms",
        "Round-trip latency",
        "Time from send to return. Measured with a click.",
        step=0.1,
        reads=(
            (0, "returns at once"),
            (1, "delays the dry signal by the same time"),
            (60, "adds much delay"),
        ),
    )
    return_db: float = number(
        0.0,
        -24.0,
        24.0,
        "dB",
        "Return level",
        "Level of the returned signal.",
        step=0.5,
        reads=(
            (-24, "returns quieter"),
            (-0.5, "returns at the same level"),
            (0.6, "returns louder"),
        ),
    )


@kernel
def _insert(
    block: Block,
    sent: Block,
    returned: Block,
    ring: Block,
    counts: Integers,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
    is_back: Floats,
    peak: Floats,
) -> None:
    """``now`` and the like: how much of what returned is heard, and its gain. ``is_back``: 1.0 while something returns."""
    frames, channels = block.shape
    last = channels - 1
    for n in range(frames):
        sent[n, 0], sent[n, 1] = block[n, 0], block[n, last]
    delay(block, ring, counts)
    peak[0] = max(peak[0], greatest(returned[:frames].reshape(-1)))
    target[0] = is_back[0]
    is_moving = is_gliding(now, between, target)
    if not is_moving and now[0] == 0.0:
        return
    for n in range(frames):
        if is_moving:
            glide(now, between, target, a)
        for c in range(channels):
            wet = float(returned[n, c])
            if channels == 1:
                wet = 0.5 * (float(returned[n, 0]) + float(returned[n, 1]))
            block[n, c] = np.float32(block[n, c] + now[0] * (now[1] * wet - block[n, c]))


class Insert(Stage[InsertSettings]):
    """Latency: the way out and back, whether something returns or not."""

    has_latency = True
    longest_latency_ms = LONGEST_WAY_MS

    def __init__(self, settings: InsertSettings, channels: int, max_frames: int) -> None:
        self.sent = np.zeros((max_frames, 2), np.float32)
        """What goes out, after every block, shape (max_frames, 2)."""
        self.returned = np.zeros((max_frames, 2), np.float32)
        """What has come back, to be there before every block, clean, shape (max_frames, 2)."""
        self.is_back = np.zeros(1)
        """Whether something comes back: 1.0 or 0.0."""
        self._peak = np.zeros(1)
        self._glide = g = Glide(2)
        self._delay = Delay(channels, ms_to_frames(LONGEST_WAY_MS), ms_to_frames(settings.way_ms))
        self.steps = (
            Step(
                _insert, self.sent, self.returned, *self._delay.arrays,
                g.now, g.between, g.target, g.coefficient, self.is_back, self._peak,
            ),
        )  # fmt: skip
        super().__init__(settings, channels, max_frames)

    def apply(self, settings: InsertSettings) -> None:
        self.settings = settings
        self._glide.set(float(self.is_back[0]), db_to_linear(settings.return_db))
        self.latency_frames = ms_to_frames(settings.way_ms)
        self._delay.set_frames(self.latency_frames)

    def reset(self) -> None:
        self._delay.reset()
        self._glide.settle()

    def take_reading(self) -> StageReading:
        peak_dbfs = max(SILENCE_DBFS, linear_to_db(float(self._peak[0])))
        self._peak[0] = 0.0
        return {"level_dbfs": peak_dbfs, "is_back": bool(self.is_back[0])}
