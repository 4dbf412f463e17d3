"""Ducker: a background input dips while the voice speaks.

The key (the voice after its gate) → peak detector → open/close decision with hold → gain on the background.
It is compression with an external side-chain and a limited range, as broadcasters duck music under
an announcer: U. Zölzer (ed.), *DAFX*, 2nd ed. (2011), chapter 4, dynamic range control. The
sound under the key itself never reaches the decision, so a loud game cannot duck itself.

Attack and release are the time constants (63 % of the step) of the gain, as an amplitude.
"""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.delay import Delay, delay
from goshawk.core.dsp.gate import DETECTOR_RELEASE_MS
from goshawk.core.settings import Settings, number
from goshawk.core.stage import TINY, Block, Floats, Glide, Stage, StageReading, glide, is_gliding
from goshawk.core.steps import Step, copying
from goshawk.units import db_to_linear, linear_to_db, ms_to_frames, one_pole_coefficient

LONGEST_LOOK_AHEAD_MS = 20.0
LONGEST_KEY_DELAY_FRAMES = ms_to_frames(3000.0)
"""More than chains and the voice's own delay together can make of it."""

CLOSES_BELOW_DB = 3.0
"""Hysteresis: a word's quieter middle does not let the background back in."""


class DuckerSettings(Settings):
    """Settings of a ducker."""

    depth_db: float = number(
        8.0,
        0.0,
        30.0,
        "dB",
        "Depth",
        "How far this input is lowered while you speak.",
        step=0.5,
        reads=(
            (0, "does not dip"),
            (0.5, "dips a little"),
            (5, "dips enough for clear words"),
            (12, "dips so far that it is missed"),
            (22, "almost disappears under words"),
        ),
    )
    threshold_dbfs: float = number(
        -26.0,
        -80.0,
        0.0,
        "dBFS",
        "Threshold",
        "Ducks when the voice, after its gate, peaks above this.",
        step=0.5,
        reads=(
            (-80, "dips for any sound"),
            (-45, "dips for quiet words"),
            (-30, "dips for usual words"),
            (-14, "dips for loud words only"),
        ),
    )
    attack_ms: float = number(
        20.0,
        1.0,
        500.0,
        "ms",
        "Attack",
        "Time to reach full depth.",
        step=1.0,
        taper="log",
        reads=(
            (1, "dips at once; it may click"),
            (8, "dips before the word is clear"),
            (100, "dips slowly: first words lie under it"),
        ),
    )
    hold_ms: float = number(
        300.0,
        0.0,
        3000.0,
        "ms",
        "Hold",
        "Time it stays lowered after the last word.",
        step=10.0,
        reads=(
            (0, "comes up between syllables"),
            (150, "stays down over the gaps between words"),
            (800, "stays down over pauses"),
        ),
    )
    release_ms: float = number(
        450.0,
        10.0,
        5000.0,
        "ms",
        "Release",
        "Time to return to full level.",
        step=10.0,
        taper="log",
        reads=(
            (10, "comes back abruptly"),
            (200, "comes back within half a second"),
            (1200, "comes back so slowly that nobody hears it"),
        ),
    )
    look_ahead_ms: float = number(
        2.0,
        0.0,
        LONGEST_LOOK_AHEAD_MS,
        "ms",
        "Look-ahead",
        "Ducks this long before the word. Adds delay if it exceeds the delay of the voice's chain.",
        step=0.5,
        reads=(
            (0, "dips with the word"),
            (0.5, "begins just before the word"),
            (8, "begins well before the word"),
        ),
    )


OPEN, HELD, GAIN, DETECTED, LOWEST = range(5)
"""Places in the state: is down, frames of hold left, gain now, detector, lowest gain since the last reading."""


@kernel
def _duck(
    block: Block,
    key: Block,
    state: Floats,
    values: Floats,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
) -> None:
    """``key`` of shape (frames, 1). Values: open and close thresholds, hold frames, coefficients of attack,
    release and detector. ``now[0]`` is the gain while the voice speaks."""
    frames, channels = block.shape
    is_moving = is_gliding(now, between, target)
    is_down, held, gain = state[OPEN], state[HELD], state[GAIN]
    detected, lowest = state[DETECTED], state[LOWEST]
    opens, closes, hold = values[0], values[1], values[2]
    attack, release, falls = values[3], values[4], values[5]
    for n in range(frames):
        if is_moving:
            glide(now, between, target, a)
        detected = max(abs(float(key[n, 0])), detected * falls)
        detected = detected if detected > TINY else 0.0
        if detected >= opens:
            is_down = 1.0
        if is_down == 1.0 and detected >= closes:
            held = hold
        elif held > 0.0:
            held -= 1.0
        else:
            is_down = 0.0
        goal = now[0] if is_down == 1.0 else 1.0
        coefficient = attack if goal < gain else release
        gain = goal + (gain - goal) * coefficient
        if abs(gain - goal) < 1e-9:
            gain = goal
        lowest = min(lowest, gain)
        for c in range(channels):
            block[n, c] = np.float32(block[n, c] * gain)
    state[OPEN], state[HELD], state[GAIN] = is_down, held, gain
    key[:frames] = 0.0
    state[DETECTED], state[LOWEST] = detected, lowest


class Ducker(Stage[DuckerSettings]):
    """One background input's dip under the voice.

    The key comes ``ahead_frames`` before the voice does; the dip comes as much before it as the look-ahead says.
    Without a key it lets everything through."""

    def __init__(self, settings: DuckerSettings, channels: int, max_frames: int) -> None:
        self._key_delay = Delay(1, LONGEST_KEY_DELAY_FRAMES)
        self._key = np.zeros((max_frames, 1), np.float32)
        self._ahead_frames = 0
        self._state = np.zeros(5)
        self._values = np.zeros(6)
        self._glide = g = Glide(1)
        self.hearing = copying(self._key)
        """Takes what the voice does in the block that comes next, shape (frames, 1)."""
        self.steps = (
            Step(delay, *self._key_delay.arrays, block=self._key),
            Step(
                _duck,
                self._key,
                self._state,
                self._values,
                g.now,
                g.between,
                g.target,
                g.coefficient,
            ),
        )
        self._rest()
        super().__init__(settings, channels, max_frames)

    def _rest(self) -> None:
        self._state.fill(0.0)
        self._state[GAIN] = self._state[LOWEST] = 1.0

    def apply(self, settings: DuckerSettings) -> None:
        """Take new settings at a block boundary; heard without a click."""
        self.settings = settings
        threshold = db_to_linear(settings.threshold_dbfs)
        self._values[:] = (
            threshold,
            threshold * db_to_linear(-CLOSES_BELOW_DB),
            ms_to_frames(settings.hold_ms),
            one_pole_coefficient(settings.attack_ms),
            one_pole_coefficient(settings.release_ms),
            one_pole_coefficient(DETECTOR_RELEASE_MS),
        )
        self._glide.set(db_to_linear(-settings.depth_db))
        self.set_ahead(self._ahead_frames)

    def set_ahead(self, frames: int) -> None:
        """By how much the key comes earlier than the sound that it belongs to."""
        self._ahead_frames = frames
        self._key_delay.set_frames(frames - ms_to_frames(self.settings.look_ahead_ms))

    def hear(self, key: Block) -> None:
        """What the voice does in the block that comes next, shape (frames, 1)."""
        self._key[: len(key)] = key

    def reset(self) -> None:
        """Forget the voice."""
        self._rest()
        self._key_delay.reset()

    def take_reading(self) -> StageReading:
        """The deepest dip since the last call, in dB."""
        lowest, self._state[LOWEST] = self._state[LOWEST], self._state[GAIN]
        return {"gain_reduction_db": round(-linear_to_db(float(lowest)), 2)}
