"""What a suppressor takes by one kind of knowledge alone, for the ears: by the room, or by what it knows of voices."""

from typing import Literal

import numpy as np

from goshawk.core.dsp.suppressor import WINDOW_FRAMES, Suppressor, SuppressorSettings
from goshawk.core.stage import Block

By = Literal["room", "voices"]


class TakenAlone:
    """A second suppressor that goes by the room alone: what it takes is the room's part, and the rest the other's. For blocks of
    up to ``max_frames``; what comes out is WINDOW_FRAMES later than what goes in."""

    latency_frames = WINDOW_FRAMES

    def __init__(self, max_frames: int) -> None:
        self._by_room = Suppressor(_by_room(SuppressorSettings()), 2, max_frames)
        self._before = np.zeros((WINDOW_FRAMES, 2), np.float32)
        self._after = np.zeros((WINDOW_FRAMES, 2), np.float32)

    def process(self, settings: SuppressorSettings, by: By, before: Block, after: Block) -> Block:
        """The part of what lies between both sides of the stage, which are in time with each other and have shape (frames, 1
        or 2); shape (frames, 2)."""
        wanted = _by_room(settings)
        if wanted != self._by_room.settings:
            self._by_room.apply(wanted)
        before, after = (np.repeat(one, 2 // one.shape[1], axis=1) for one in (before, after))
        heard = before.copy()
        self._by_room.process(heard)
        frames = len(before)
        befores, afters = (
            np.concatenate([self._before, before]),
            np.concatenate([self._after, after]),
        )
        self._before, self._after = befores[frames:], afters[frames:]
        taken: Block = befores[:frames] - heard if by == "room" else heard - afters[:frames]
        return taken


def _by_room(settings: SuppressorSettings) -> SuppressorSettings:
    return settings.model_copy(update={"knows_voices_percent": 0.0})
