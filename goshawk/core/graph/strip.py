"""A plain input's way through the graph: delay, then EQ and ducker. What a feed takes before the fader is the
input as it came, delayed alone."""

import numpy as np

from goshawk.core.chain_slots import MOST_STAGES
from goshawk.core.dsp.delay import Delay
from goshawk.core.dsp.ducker import LONGEST_LOOK_AHEAD_MS, Ducker
from goshawk.core.dsp.equaliser import Equaliser
from goshawk.core.graph.chain import LONGEST_STAGE_LATENCY_MS
from goshawk.core.graph.pick import Pick
from goshawk.core.measure.tap import RawTap, Tap
from goshawk.core.stage import Block
from goshawk.core.wiring import InputSettings
from goshawk.units import ms_to_frames

LONGEST_CHAIN_FRAMES = ms_to_frames(LONGEST_STAGE_LATENCY_MS) * MOST_STAGES
_LONGEST_FRAMES = LONGEST_CHAIN_FRAMES + ms_to_frames(LONGEST_LOOK_AHEAD_MS)


class Strip:
    """One input between its device and the matrix."""

    def __init__(
        self, settings: InputSettings, row: int, delay_frames: int, max_frames: int
    ) -> None:
        self.row = row
        self.settings = settings
        self.pick = Pick(settings.device, settings.channels)
        self.delay = Delay(2, _LONGEST_FRAMES, delay_frames)
        self.tap = Tap()
        self.raw = RawTap()
        self._eq = Equaliser(settings.eq, 2, max_frames)
        self._ducker = Ducker(settings.ducker, _LONGEST_FRAMES, max_frames)

    def apply(self, settings: InputSettings, key_ahead_frames: int) -> None:
        """Take new settings; the key comes ``key_ahead_frames`` before the sound of this row does."""
        self.settings = settings
        self.pick.choose(settings.device, settings.channels)
        if settings.eq != self._eq.settings:
            self._eq.apply(settings.eq)
        self._ducker.apply(settings.ducker, key_ahead_frames)

    def shape(self, block: Block, key: Block) -> None:
        """EQ and ducker, in place: a block of shape (frames, 2), a key of shape (frames, 1)."""
        self._eq.process(block)
        self._ducker.process(block, key)

    def take_dip_db(self) -> float:
        """The ducker's deepest dip since the last call."""
        return self._ducker.take_reduction_db()


def shaped(settings: InputSettings, sound: Block, key: Block) -> Block:
    """A whole recorded input, shape (frames, 2), after its EQ and its ducker; the key, of shape (frames, 1), is in
    time with it."""
    strip = Strip(settings, 0, 0, len(sound))
    ahead = ms_to_frames(settings.ducker.look_ahead_ms)
    strip.apply(settings, ahead)
    out = sound.copy()
    strip.shape(out, np.concatenate([key[ahead:], np.zeros((min(ahead, len(key)), 1), np.float32)]))
    return out


def look_ahead_frames(inputs: tuple[InputSettings, ...], chained: str) -> int:
    """The longest look-ahead of the duckers that are on."""
    return max(
        (
            ms_to_frames(one.ducker.look_ahead_ms)
            for one in inputs
            if one.ducker.is_on and one.id != chained
        ),
        default=0,
    )
