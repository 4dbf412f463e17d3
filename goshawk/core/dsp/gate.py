"""Gate: closes in pauses so that the room is not heard.

Signal flow: input → side-chain high-pass → peak detector → open/close decision with hysteresis and
hold → gain → times the input delayed by the look-ahead. The structure (separate thresholds, hold,
range, look-ahead by delaying the signal) is the classic noise gate: U. Zölzer (ed.), *DAFX*, 2nd ed.
(2011), chapter 4, dynamic range control.

Behind a suppressor that knows voices it can be told to open only where that hears one.

Attack and release are the time constants (63 % of the step) of the gain, as an amplitude.
"""

from typing import Self

import numpy as np
from pydantic import model_validator

from goshawk.core.compiled import kernel
from goshawk.core.dsp.delay import Delay
from goshawk.core.dsp.side_chain import high_pass_coefficients, loudest
from goshawk.core.settings import Settings, choice, number
from goshawk.core.stage import TINY, Block, Floats, Glide, Stage, StageReading, glide, is_gliding
from goshawk.core.steps import Step
from goshawk.units import db_to_linear, linear_to_db, ms_to_frames, one_pole_coefficient

DETECTOR_RELEASE_MS = 15.0
"""How slowly the detector falls: slow enough to bridge the cycles of a low voice."""

SILENT_RANGE_DB = 80.0
"""A range of this much means silence."""

LONGEST_LOOK_AHEAD_MS = 10.0
LIKELY_VOICE = 0.5
"""From this probability on it opens for a voice; at half of it one that has begun goes on."""


class GateSettings(Settings):
    """Settings of the gate."""

    open_threshold_dbfs: float = number(
        -47.0,
        -80.0,
        0.0,
        "dBFS",
        "Open threshold",
        "The gate opens when the peak level rises above this.",
        reads=(
            (-80, "opens for almost anything, including room noise"),
            (-58, "opens for whispers"),
            (-45, "opens for quiet words"),
            (-32, "opens for clear words; quiet beginnings may be cut"),
            (-18, "opens for loud words only"),
        ),
    )
    close_threshold_dbfs: float = number(
        -52.0,
        -80.0,
        0.0,
        "dBFS",
        "Close threshold",
        "The gate closes when the peak level stays below this.",
        reads=(
            (-80, "hardly ever closes"),
            (-60, "closes when all is quiet"),
            (-50, "closes soon after a word"),
            (-36, "closes within soft endings"),
        ),
    )
    range_db: float = number(
        18.0,
        6.0,
        SILENT_RANGE_DB,
        "dB",
        "Range",
        "Attenuation while the gate is closed. 80 dB is silence.",
        step=1.0,
        reads=(
            (6, "makes pauses slightly quieter"),
            (12, "makes pauses clearly quieter; the gate is hardly audible"),
            (24, "makes pauses almost silent; you may hear it open"),
            (50, "makes pauses silent"),
        ),
    )
    attack_ms: float = number(
        1.5,
        0.1,
        50.0,
        "ms",
        "Attack",
        "Time the gate takes to open.",
        taper="log",
        reads=(
            (0.1, "opens at once; a low voice may click"),
            (0.8, "opens before the ear notices"),
            (6, "fades in; hard beginnings lose their edge"),
            (20, "cuts off the first sounds of words"),
        ),
    )
    hold_ms: float = number(
        140.0,
        0.0,
        1000.0,
        "ms",
        "Hold",
        "Time the gate stays open after the level drops below the close threshold.",
        step=5.0,
        reads=(
            (0, "may flutter within a word"),
            (60, "stays open between syllables"),
            (180, "stays open between words"),
            (450, "stays open during short pauses"),
        ),
    )
    release_ms: float = number(
        180.0,
        5.0,
        2000.0,
        "ms",
        "Release",
        "Time the gate takes to close.",
        step=5.0,
        taper="log",
        reads=(
            (5, "closes abruptly"),
            (80, "closes with the end of the word"),
            (350, "closes slowly; room noise follows each word"),
        ),
    )
    look_ahead_ms: float = number(
        2.0,
        0.0,
        LONGEST_LOOK_AHEAD_MS,
        "ms",
        "Look-ahead",
        "Opens the gate this long before the sound. Adds the same delay.",
        reads=(
            (0, "opens with the word; adds no delay"),
            (0.5, "opens just before the word"),
            (5, "opens well before the word, and adds as much delay"),
        ),
    )
    side_chain_high_pass_hz: float = number(
        80.0,
        20.0,
        400.0,
        "Hz",
        "Side-chain high-pass",
        "The gate ignores rumble below this frequency.",
        step=5.0,
        taper="log",
        reads=(
            (20, "reacts to everything, including rumble"),
            (60, "ignores rumble"),
            (150, "ignores thumps and bass"),
        ),
    )

    is_for_voice: bool = choice(
        False,
        "Voice only",
        "Keys and clicks as loud as you do not open it. Needs a suppressor ahead of it that knows voices.",
    )

    @model_validator(mode="after")
    def _close_is_not_above_open(self) -> Self:
        if self.close_threshold_dbfs > self.open_threshold_dbfs:
            raise ValueError(
                f"the gate cannot close at {self.close_threshold_dbfs:g} dBFS, above where it opens "
                f"({self.open_threshold_dbfs:g} dBFS). Lower the closing threshold first."
            )
        return self


OPEN, HELD, GAIN, DETECTED, LOWEST, OPENINGS = range(6)
"""Places in the gate's state: is open, frames of hold left, gain now, detector, lowest gain since
the last reading, openings since the last reading."""


@kernel
def _gate(
    block: Block,
    level: Floats,
    speaks: Floats,
    state: Floats,
    thresholds: Floats,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
) -> None:
    """``level`` is what the undelayed signal is in each frame, ``speaks`` how likely it is a voice; thresholds: open, close, hold
    frames, coefficients of attack, release and detector, and the probability that is asked for. ``now[0]`` is the closed
    gate's gain."""
    frames, channels = block.shape
    is_moving = is_gliding(now, between, target)
    is_open, held, gain = state[OPEN], state[HELD], state[GAIN]
    detected, lowest = state[DETECTED], state[LOWEST]
    opens, closes, hold = thresholds[0], thresholds[1], thresholds[2]
    attack, release, falls = thresholds[3], thresholds[4], thresholds[5]
    likely = thresholds[6]
    for n in range(frames):
        if is_moving:
            glide(now, between, target, a)
        detected = max(level[n], detected * falls)
        detected = detected if detected > TINY else 0.0
        if detected >= opens and speaks[n] >= likely:
            if is_open == 0.0:
                state[OPENINGS] += 1.0
            is_open = 1.0
        if detected >= closes and speaks[n] >= 0.5 * likely:
            held = hold
        elif held > 0.0:
            held -= 1.0
        else:
            is_open = 0.0
        goal = 1.0 if is_open == 1.0 else now[0]
        coefficient = attack if goal > gain else release
        gain = goal + (gain - goal) * coefficient
        if abs(gain - goal) < 1e-9:
            gain = goal
        lowest = min(lowest, gain)
        for c in range(channels):
            block[n, c] = np.float32(block[n, c] * gain)
    state[OPEN], state[HELD], state[GAIN] = is_open, held, gain
    state[DETECTED], state[LOWEST] = detected, lowest


class Gate(Stage[GateSettings]):
    """Closes in pauses. Latency: the look-ahead."""

    has_latency = True

    def __init__(self, settings: GateSettings, channels: int, max_frames: int) -> None:
        longest = ms_to_frames(LONGEST_LOOK_AHEAD_MS)
        self._delay = Delay(channels, longest, ms_to_frames(settings.look_ahead_ms))
        self._level = np.zeros(max_frames)
        self._state = np.zeros(6)
        self._z = np.zeros((channels, 2))
        self._thresholds = np.zeros(7)
        self._speaks = np.ones(max_frames)
        self._heard_of: Floats | None = None
        self._k = np.zeros(5)
        self._glide = Glide(1)
        self._arrange()
        super().__init__(settings, channels, max_frames)
        self.reset()

    def hear_of_voice(self, speaks: Floats | None) -> None:
        """How likely each frame of a block is a voice, as a stage ahead writes it, shape (max_frames,); None where none does. The
        steps are others then."""
        if speaks is not self._heard_of:
            self._heard_of = speaks
            self._speaks = np.ones(len(self._level)) if speaks is None else speaks
            self._arrange()

    def _arrange(self) -> None:
        g = self._glide
        self.steps = (
            Step(loudest, self._k, self._z, self._level),
            self._delay.step,
            Step(
                _gate, self._level, self._speaks, self._state, self._thresholds, g.now, g.between, g.target, g.coefficient
            ),
        )  # fmt: skip

    def apply(self, settings: GateSettings) -> None:
        self.settings = settings
        self._k[:] = high_pass_coefficients(settings.side_chain_high_pass_hz)
        self._thresholds[:] = (
            db_to_linear(settings.open_threshold_dbfs),
            db_to_linear(settings.close_threshold_dbfs),
            ms_to_frames(settings.hold_ms),
            one_pole_coefficient(settings.attack_ms),
            one_pole_coefficient(settings.release_ms),
            one_pole_coefficient(DETECTOR_RELEASE_MS),
            LIKELY_VOICE if settings.is_for_voice else 0.0,
        )
        is_silent = settings.range_db >= SILENT_RANGE_DB
        self._glide.set(0.0 if is_silent else db_to_linear(-settings.range_db))
        self.latency_frames = ms_to_frames(settings.look_ahead_ms)
        self._delay.set_frames(self.latency_frames)

    def reset(self) -> None:
        self._delay.reset()
        self._z.fill(0.0)
        self._glide.settle()
        self._state[:] = (0.0, 0.0, self._glide.now[0], 0.0, 1.0, 0.0)

    def take_reading(self) -> StageReading:
        state = self._state
        reading: StageReading = {
            "is_open": bool(state[OPEN]),
            "gain_reduction_db": round(
                min(-linear_to_db(float(state[LOWEST])), SILENT_RANGE_DB), 1
            ),
            "openings": int(state[OPENINGS]),
        }
        state[LOWEST], state[OPENINGS] = state[GAIN], 0.0
        return reading
