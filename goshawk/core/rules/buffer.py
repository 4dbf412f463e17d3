"""Which buffer to use: the smallest whose blocks are all in time, with something to spare.

Blocks are due at a fixed pace, so one that takes longer than it lasts is heard as a crackle. What else
the machine does (the game above all) comes and goes, hence the reserve.
"""

from pydantic import BaseModel

from goshawk.core.rig import BlockFrames
from goshawk.units import frames_to_ms

MOST_SHARE = 0.8
"""The slowest block may take this much of its time: a fifth is kept for a busier moment."""


class BufferTrial(BaseModel):
    """One size, tried for some seconds."""

    block_frames: BlockFrames
    blocks: int
    late_blocks: int
    slowest_share: float

    @property
    def holds(self) -> bool:
        """Whether it can be relied on."""
        return self.late_blocks == 0 and self.slowest_share <= MOST_SHARE


class BufferAdvice(BaseModel):
    """The size to use and why."""

    block_frames: BlockFrames
    text: str


def advise_buffer(trials: list[BufferTrial]) -> BufferAdvice:
    """The smallest size that holds, if every larger one tried holds too; else the largest.

    ``trials``: at least one."""
    ordered = sorted(trials, key=lambda one: one.block_frames, reverse=True)
    best = None
    for trial in ordered:
        if not trial.holds:
            break
        best = trial
    if best is None:
        largest = ordered[0]
        return BufferAdvice(
            block_frames=largest.block_frames,
            text=f"No size held: even {largest.block_frames} frames had {largest.late_blocks} late "
            "blocks. Close other programs and search again.",
        )
    text = (
        f"{best.block_frames} frames ({frames_to_ms(best.block_frames):.1f} ms): none of "
        f"{best.blocks} blocks was late, the slowest took {best.slowest_share * 100:.0f} % of its time."
    )
    smaller = [one for one in ordered if one.block_frames < best.block_frames]
    if smaller:
        failed = smaller[0]
        text += (
            f" With {failed.block_frames}, {failed.late_blocks} came late."
            if failed.late_blocks
            else f" With {failed.block_frames}, one took {failed.slowest_share * 100:.0f} %."
        )
    return BufferAdvice(block_frames=best.block_frames, text=text)
