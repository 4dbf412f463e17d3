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
from goshawk.core.dsp.delay import CROSSFADE_MS, Delay, copy_frames, delay
from goshawk.core.dsp.ducker import Ducker
from goshawk.core.dsp.equaliser import Equaliser
from goshawk.core.dsp.gate import Gate
from goshawk.core.dsp.high_pass import HighPass, HighPassSettings
from goshawk.core.dsp.insert import Insert
from goshawk.core.dsp.leveller import Leveller
from goshawk.core.dsp.limiter import Limiter
from goshawk.core.dsp.suppressor import Suppressor
from goshawk.core.dsp.three_band import ThreeBand
from goshawk.core.dsp.trim import Trim
from goshawk.core.stage import CLEAN, Block, Floats, Stage
from goshawk.core.steps import Integers, PackedBlock, Step, StepProgram
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
    "insert": Insert,
    "ducker": Ducker,
    "limiter": Limiter,
}
LONGEST_STAGE_LATENCY_MS = 50.0
"""Of all stages on the mean: few have any, and an insert, which may have more, is one of two."""


WEIGHT, GOAL, STEP, IS_WATCHED, HAS_LATENCY = range(5)
"""Of a stage's place: how much of it is heard (1: not bypassed), how much is to be, the step of a frame; whether its
sides are kept for listeners, and whether what passes by it has to wait."""


@kernel
def _enter(block: Block, dry: Block, state: Floats, ring: Block, counts: Integers) -> None:
    """Keep what enters, if somebody will ask for it."""
    is_fading = state[WEIGHT] != 1.0 or state[GOAL] != 1.0
    if is_fading or state[IS_WATCHED] == 1.0 or state[HAS_LATENCY] == 1.0:
        before = dry[: block.shape[0]]
        copy_frames(block, before)
        if state[HAS_LATENCY] == 1.0:
            delay(before, ring, counts)


@kernel
def _leave(wet: Block, dry: Block, after: Block, state: Floats) -> None:
    """Blend in place. A smooth step of the linear weight has no corners."""
    weight, goal, step = state[WEIGHT], state[GOAL], state[STEP]
    frames = wet.shape[0] if weight != 1.0 or goal != 1.0 else 0
    for n in range(frames):
        if weight < goal:
            weight = min(goal, weight + step)
        elif weight > goal:
            weight = max(goal, weight - step)
        smooth = weight * weight * (3.0 - 2.0 * weight)
        for c in range(wet.shape[1]):
            wet[n, c] = np.float32(smooth * wet[n, c] + (1.0 - smooth) * dry[n, c])
    state[WEIGHT] = weight
    if state[IS_WATCHED] == 1.0:
        after[: wet.shape[0]] = wet


class StagePlace:
    """One stage in the chain. It keeps running while bypassed, so that it is warm when it returns."""

    def __init__(self, slot: Slot, channels: int, max_frames: int) -> None:
        self.slot = slot
        self.stage = STAGES[slot.stage](slot.settings, channels, max_frames)
        longest = ms_to_frames(self.stage.longest_latency_ms)
        self._delay = Delay(channels, longest, self.stage.latency_frames)
        self.before = np.zeros((max_frames, channels), np.float32)
        self.after = np.zeros((max_frames, channels), np.float32)
        """What entered in the last block, delayed by the stage's latency, and what left it, while somebody watches."""
        self._state = np.zeros(5)
        self._state[[WEIGHT, GOAL]] = 0.0 if slot.is_bypassed else 1.0
        self._state[STEP] = 1.0 / ms_to_frames(CROSSFADE_MS)
        self._state[HAS_LATENCY] = self.stage.has_latency
        self._entering = Step(_enter, self.before, self._state, *self._delay.arrays)
        self._leaving = Step(_leave, self.before, self.after, self._state)

    @property
    def steps(self) -> tuple[Step, ...]:
        """Pass a clean block (see ``stage.clean``) through the stage, or past it, in place."""
        return self._entering, *self.stage.steps, self._leaving

    @property
    def latency_frames(self) -> int:
        """Of the stage, bypassed or not."""
        return self.stage.latency_frames

    def apply(self, slot: Slot) -> None:
        """Take new settings."""
        if slot.settings != self.slot.settings:
            self.stage.apply(slot.settings)
            self._delay.set_frames(self.stage.latency_frames)
        self._state[GOAL] = 0.0 if slot.is_bypassed else 1.0
        self.slot = slot

    @property
    def is_watched(self) -> bool:
        """Whether ``before`` and ``after`` are kept."""
        return bool(self._state[IS_WATCHED])

    def watch(self, is_watched: bool) -> None:
        """Keep ``before`` and ``after`` from now on, or no more."""
        self._state[IS_WATCHED] = is_watched


def warm_up_stage(name: str) -> None:
    """Compile what a kind of stage runs, in the chain or not: at work, in a change of its settings, and on its way into a bypass. A
    kernel that is first called on air would make that block late. Raises KeyError if there is no such stage."""
    adapter: TypeAdapter[Slot] = TypeAdapter(Slot)
    block = np.zeros((64, 1), np.float32)
    slot = adapter.validate_python({"id": name, "stage": name})
    place = StagePlace(slot, 1, len(block))
    program = StepProgram()
    program.add(block, *place.steps)
    program.finish()
    program.run(len(block))
    place.apply(slot.model_copy(update={"is_bypassed": True}))
    if isinstance(place.stage, HighPass):  # A filter's new coefficients are blended in.
        place.stage.apply(HighPassSettings(frequency_hz=100.0))
    program.run(len(block))
    place.stage.take_reading()


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
        self._packed = PackedBlock(np.zeros((max_frames, channels), np.float32))
        self._program: StepProgram | None = None
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
        self._tell_gates()
        self._program = None
        self._duckers = []
        behind = 0
        for place in reversed(places):
            if isinstance(place.stage, Ducker):
                self._duckers.append(KeyedPlace(place, place.stage, behind))
            behind += place.latency_frames

    def _tell_gates(self) -> None:
        """Every gate hears of voices from the last suppressor ahead of it."""
        speaks = None
        for place in self._places:
            if isinstance(place.stage, Suppressor):
                speaks = place.stage.speaks
            elif isinstance(place.stage, Gate):
                place.stage.hear_of_voice(speaks)

    @property
    def speaks(self) -> Floats | None:
        """How likely somebody speaks in each frame, as the last suppressor says; None if there is none."""
        found = [
            place.stage.speaks for place in self._places if isinstance(place.stage, Suppressor)
        ]
        return found[-1] if found else None

    def process(self, block: Block) -> Block:
        """Pass a block of shape (frames, channels) through all stages, in place."""
        if self._program is None:
            self._program = StepProgram()
            self.add_to(self._program, self._packed)
            self._program.finish()
        self._packed.point_at(block)
        self._program.run(len(block))
        return block

    def take_cycles(self) -> dict[str, int]:
        """What each stage has cost in ``process``, in cycles (see ``Program.take_cycles``)."""
        return self._program.take_cycles() if self._program else {}

    def add_to(self, program: StepProgram, block: Block | PackedBlock) -> None:
        """All stages, as steps of a program, on one of its blocks."""
        program.add(block, CLEAN)
        for place in self._places:
            program.group = place.slot.id
            program.add(block, *place.steps, CLEAN)
