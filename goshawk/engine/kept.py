"""The sound of a recording's track, as the audio process offers it: what may not leave is silence there too."""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.stage import Block, Floats, Glide, glide
from goshawk.core.steps import Step


@kernel
def _keep(
    block: Block,
    out: Block,
    may_leave: Floats,
    now: Floats,
    between: Floats,
    target: Floats,
    coefficient: float,
) -> None:
    last = block.shape[1] - 1
    target[0] = may_leave[0]
    for n in range(block.shape[0]):
        glide(now, between, target, coefficient)
        # At rest the gain is 1 or 0 exactly, so that what is kept is what was heard, bit by bit.
        out[n, 0] = np.float32(block[n, 0] * now[0])
        out[n, 1] = np.float32(block[n, last] * now[0])


class SoundCopy:
    """Copies a sound into a block of its own, shape (max_frames, 2), without a click where it is shut or opened."""

    def __init__(self, max_frames: int) -> None:
        self.block = np.zeros((max_frames, 2), np.float32)
        self._gain = Glide(1)
        self._is_begun = False

    def step(self, may_leave: Floats) -> Step:
        """``may_leave`` is 1.0 or 0.0, in an array, and read anew in every block."""
        gain = self._gain
        if not self._is_begun:
            self._is_begun = True
            gain.set(float(may_leave[0]))
        return Step(
            _keep, self.block, may_leave, gain.now, gain.between, gain.target, gain.coefficient
        )
