"""A chain at work: stages in order, each with a bypass that keeps its latency."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import TypeAdapter

from goshawk.core.chain_slots import Chain, Slot
from goshawk.core.compiled import kernel
from goshawk.core.dsp.compressor import Compressor
from goshawk.core.dsp.de_esser import DeEsser
from goshawk.core.dsp.delay import CROSSFADE_MS, Delay
from goshawk.core.dsp.ducker import Ducker
from goshawk.core.dsp.equaliser import Equaliser
from goshawk.core.dsp.gate import Gate
from goshawk.core.dsp.high_pass import HighPass, HighPassSettings
from goshawk.core.dsp.leveller import Leveller
from goshawk.core.dsp.limiter import Limiter
from goshawk.core.dsp.suppressor import Suppressor
from goshawk.core.dsp.three_band import ThreeBand
from goshawk.core.dsp.trim import Trim
from goshawk.core.stage import Block, Stage, clean
from goshawk.units import ms_to_frames

STAGES: dict[str, Callable[..., Stage[Any]]] = {
    "trim": Trim,
    "high_pass": HighPass,
    "suppressor": Suppressor,
    "gate": Gate,
    "eq": Equaliser,
    "de_esser": DeEsser,
    "compressor": Compressor,
    "three_band": ThreeBand,
    "leveller": Leveller,
    "ducker": Ducker,
    "limiter": Limiter,
}
LONGEST_STAGE_LATENCY_MS = 50.0


@kernel
def _crossfade(wet: Block, dry: Block, weight: float, goal: float, step: float) -> float:
    """Blend in place; ``weight`` 1 is wet. A smooth step of the linear weight has no corners."""
    for n in range(wet.shape[0]):
        if weight < goal:
            weight = min(goal, weight + step)
        elif weight > goal:
            weight = max(goal, weight - step)
        smooth = weight * weight * (3.0 - 2.0 * weight)
        for c in range(wet.shape[1]):
            wet[n, c] = np.float32(smooth * wet[n, c] + (1.0 - smooth) * dry[n, c])
    return weight


class StagePlace:
    """One stage in the chain. It keeps running while bypassed, so that it is warm when it returns."""

    def __init__(self, slot: Slot, channels: int, max_frames: int) -> None:
        self.slot = slot
        self.stage = STAGES[slot.stage](slot.settings, channels, max_frames)
        longest = ms_to_frames(LONGEST_STAGE_LATENCY_MS)
        self._dry_delay = Delay(channels, longest, self.stage.latency_frames)
        self._dry = np.zeros((max_frames, channels), np.float32)
        self._after = np.zeros((max_frames, channels), np.float32)
        self.is_watched = False
        self._weight = self._goal = 0.0 if slot.is_bypassed else 1.0
        self._step = 1.0 / ms_to_frames(CROSSFADE_MS)

    @property
    def latency_frames(self) -> int:
        """Of the stage, bypassed or not."""
        return self.stage.latency_frames

    def apply(self, slot: Slot) -> None:
        """Take new settings."""
        if slot.settings != self.slot.settings:
            self.stage.apply(slot.settings)
            self._dry_delay.set_frames(self.stage.latency_frames)
        self._goal = 0.0 if slot.is_bypassed else 1.0
        self.slot = slot

    def process(self, block: Block) -> None:
        """Pass a clean block (see ``stage.clean``) through the stage, or past it, in place."""
        is_fading = self._weight != 1.0 or self._goal != 1.0
        dry = self._dry[: block.shape[0]]
        if is_fading or self.is_watched or self.stage.has_latency:
            dry[:] = block
            if self.stage.has_latency:
                self._dry_delay.process(dry)
        self.stage.run(block)
        if is_fading:
            self._weight = _crossfade(block, dry, self._weight, self._goal, self._step)
        if self.is_watched:
            self._after[: block.shape[0]] = block

    def before(self, frames: int) -> Block:
        """What entered in the last block, delayed by the stage's latency."""
        return self._dry[:frames]

    def after(self, frames: int) -> Block:
        """What left in the last block, while the place is watched."""
        return self._after[:frames]


def warm_up_stages() -> None:
    """Compile what every kind of stage runs, in the chain or not: at work, in a change of its settings,
    and on its way into a bypass. A kernel that is first called on air would make that block late."""
    adapter: TypeAdapter[Slot] = TypeAdapter(Slot)
    block = np.zeros((64, 1), np.float32)
    for name in STAGES:
        slot = adapter.validate_python({"id": name, "stage": name})
        place = StagePlace(slot, 1, len(block))
        place.process(block)
        place.apply(slot.model_copy(update={"is_bypassed": True}))
        if isinstance(place.stage, HighPass):  # A filter's new coefficients are blended in.
            place.stage.apply(HighPassSettings(frequency_hz=100.0))
        place.process(block)


@dataclass(frozen=True)
class KeyedPlace:
    """A ducker in a chain, and the latency of what follows it."""

    place: StagePlace
    ducker: Ducker
    behind_frames: int


MakePlace = Callable[[Slot, int], StagePlace]
"""Gives a stage in its place, for so many channels."""


class RunningChain:
    """The ordered stages that an input passes, made from an immutable list of slots. ``make`` gives the stages."""

    def __init__(
        self, chain: Chain, channels: int, max_frames: int, make: MakePlace | None = None
    ) -> None:
        self.channels = channels
        self._max_frames = max_frames
        self._places: list[StagePlace] = []
        self._duckers: list[KeyedPlace] = []
        self.apply(chain, make)

    def __iter__(self) -> Iterator[StagePlace]:
        return iter(self._places)

    @property
    def latency_frames(self) -> int:
        """Sum over the stages."""
        return sum(place.latency_frames for place in self._places)

    @property
    def duckers(self) -> list[KeyedPlace]:
        """Every ducker of the chain."""
        return self._duckers

    @property
    def key_lead_frames(self) -> int:
        """How long before the chain's end the voice must come to its duckers, for their look-ahead."""
        return max(
            (
                one.behind_frames + ms_to_frames(one.ducker.settings.look_ahead_ms)
                for one in self._duckers
                if not one.place.slot.is_bypassed
            ),
            default=0,
        )

    def apply(self, chain: Chain, make: MakePlace | None = None) -> None:
        """Take a new list: stages that stay keep their sound, new ones start from silence."""
        old = {(place.slot.id, place.slot.stage): place for place in self._places}
        places = []
        for slot in chain:
            place = old.get((slot.id, slot.stage))
            if place is None:
                place = (
                    make(slot, self.channels)
                    if make
                    else StagePlace(slot, self.channels, self._max_frames)
                )
            elif place.slot is not slot:
                place.apply(slot)
            places.append(place)
        self._places = places
        self._duckers = []
        behind = 0
        for place in reversed(places):
            if isinstance(place.stage, Ducker):
                self._duckers.append(KeyedPlace(place, place.stage, behind))
            behind += place.latency_frames

    def process(self, block: Block) -> Block:
        """Pass a block of shape (frames, channels) through all stages, in place."""
        clean(block)
        for place in self._places:
            place.process(block)
            clean(block)
        return block
