"""Hearing the voice raw, or through another chain, in place of its own, at equal loudness and without a gap.

The other chain runs beside the first as long as it is compared, so that it is warm when it is heard.
"""

from typing import Literal

import numpy as np

from goshawk.core.chain_slots import Chain
from goshawk.core.compiled import kernel
from goshawk.core.dsp.delay import Delay
from goshawk.core.graph.chain import MakePlace, RunningChain
from goshawk.core.stage import Block, Floats, Glide, glide
from goshawk.core.steps import Step, StepProgram, copying
from goshawk.units import db_to_linear

Heard = Literal["chain", "raw", "other"]


@kernel
def _blend(
    voice: Block, raw: Block, other: Block, now: Floats, between: Floats, target: Floats, a: float
) -> None:
    for n in range(voice.shape[0]):
        glide(now, between, target, a)
        for c in range(voice.shape[1]):
            voice[n, c] = np.float32(
                now[0] * voice[n, c] + now[1] * raw[n, c] + now[2] * other[n, c]
            )


class Comparison:
    """What is heard in place of the chain's output."""

    def __init__(self, channels: int, max_frames: int, longest_frames: int) -> None:
        self.channels, self._max_frames = channels, max_frames
        self._raw = np.zeros((max_frames, channels), np.float32)
        self._other_sound = np.zeros((max_frames, channels), np.float32)
        self._delay = Delay(channels, longest_frames, 0)
        self._other: RunningChain | None = None
        self._glide = Glide(3)
        self.choose("chain", 0.0)

    def set_other(self, chain: Chain | None, make: MakePlace) -> None:
        """The chain to compare with; None: no more."""
        if chain is None:
            self._other = None
        elif self._other is None:
            self._other = RunningChain(chain, self.channels, self._max_frames, make)
        else:
            self._other.apply(chain, make)

    def choose(self, heard: Heard, gain_db: float) -> None:
        """Hear one of the three, with a gain."""
        gain = db_to_linear(gain_db)
        self._glide.set(*(gain if heard == one else 0.0 for one in ("chain", "raw", "other")))

    def keep_raw(self, program: StepProgram, voice: Block, latency_frames: int) -> None:
        """Ahead of the chain, which has this latency: remember the voice, and run it through the other chain."""
        self._delay.set_frames(latency_frames)
        program.add(voice, copying(self._raw), copying(self._other_sound))
        program.add(self._raw, self._delay.step)
        if self._other:
            self._other.add_to(program, self._other_sound)

    def put(self, program: StepProgram, voice: Block) -> None:
        """Behind the chain: what is to be heard, in its place."""
        g = self._glide
        program.add(
            voice,
            Step(_blend, self._raw, self._other_sound, g.now, g.between, g.target, g.coefficient),
        )
