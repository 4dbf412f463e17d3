"""One input's way from its device to the matrix: channels, chain, and the delays that keep all inputs together.

Every input waits for the slowest chain, and by its own delay. The main voice waits behind its chain, so that the
duckers of the others hear it as early as can be; the others wait ahead of theirs, so that what dips is in time with it.
"""

import numpy as np

from goshawk.core.chain_slots import MOST_STAGES, Slot
from goshawk.core.compiled import kernel
from goshawk.core.dsp.delay import CROSSFADE_MS, Delay
from goshawk.core.dsp.ducker import LONGEST_LOOK_AHEAD_MS
from goshawk.core.graph.chain import (
    LONGEST_STAGE_LATENCY_MS,
    MakePlace,
    RunningChain,
    StagePlace,
)
from goshawk.core.graph.pick import Pick
from goshawk.core.measure.levels import HopMeter
from goshawk.core.measure.speech_activity import SpeechActivity
from goshawk.core.routing import LONGEST_INPUT_DELAY_MS, InputSettings
from goshawk.core.stage import Block
from goshawk.core.steps import Integers, Step, StepProgram, copying
from goshawk.units import ms_to_frames

LONGEST_CHAIN_FRAMES = ms_to_frames(LONGEST_STAGE_LATENCY_MS) * MOST_STAGES
_LONGEST_FRAMES = (
    LONGEST_CHAIN_FRAMES
    + ms_to_frames(LONGEST_LOOK_AHEAD_MS)
    + ms_to_frames(LONGEST_INPUT_DELAY_MS)
)
WARM_UP_MS = 250.0
"""Between mono and stereo, the new chain runs beside the old one for so long before it is heard: its gate opens, its
noise estimate and its gains settle."""


@kernel
def _blend(new: Block, old: Block, counts: Integers) -> None:
    """Into ``new`` of shape (frames, 2), from ``old`` of one channel or two: ``old`` until the frames that are left,
    the first of the counts, are fewer than a fade, the second; then a crossfade."""
    left, fade_frames = counts[0], counts[1]
    for n in range(new.shape[0]):
        weight = 1.0 - min(left, fade_frames) / fade_frames
        weight = weight * weight * (3.0 - 2.0 * weight)
        for c in range(2):
            was = old[n, min(c, old.shape[1] - 1)]
            new[n, c] = np.float32(weight * new[n, c] + (1.0 - weight) * was)
        left = max(0, left - 1)
    counts[0] = left


@kernel
def _to_old_chain(old: Block, came: Block) -> None:
    """What has come in, of two channels, for a chain of as many or of one."""
    for n in range(old.shape[0]):
        if old.shape[1] == 2:
            old[n, 0], old[n, 1] = came[n, 0], came[n, 1]
        else:
            old[n, 0] = (came[n, 0] + came[n, 1]) * np.float32(0.5)


class Strip:
    """One input between its device and the matrix."""

    def __init__(self, settings: InputSettings, row: int, max_frames: int) -> None:
        self.row = row
        self.settings = settings
        self.pick = Pick(settings.device, settings.channels)
        self.activity = SpeechActivity()
        self.meter = HopMeter()
        """Of what comes in, ahead of everything."""
        self.stage_meters: dict[str, HopMeter] = {}
        self.chain = RunningChain(settings.chain, channels_of(settings), max_frames)
        self.is_main = False
        self.leaves_alone = np.zeros(1)
        """Whether it goes to outputs of its own: 1.0 or 0.0."""
        self._max_frames = max_frames
        self._sound = np.zeros((max_frames, self.chain.channels), np.float32)
        self._came = np.zeros((max_frames, 2), np.float32)
        self._leaving: tuple[RunningChain, Block] | None = None
        self._left = np.array([0, ms_to_frames(CROSSFADE_MS)])
        self._aligned = (0, 0)
        self._ahead, self._behind, self._as_it_came = self._delays = tuple(
            Delay(2, _LONGEST_FRAMES) for _ in range(3)
        )

    @property
    def delay_frames(self) -> int:
        """Its own delay."""
        return ms_to_frames(self.settings.delay_ms)

    def apply(self, settings: InputSettings, make: MakePlace) -> None:
        """Take new settings. Between mono and stereo another chain, of as many channels, takes over in a crossfade
        when it is warm."""
        self.settings = settings
        self.pick.choose(settings.device, settings.channels)
        channels = channels_of(settings)
        # Another change waits until the one before has been heard (see ``leave``).
        if channels != self.chain.channels and self._leaving is None:
            self._leaving = (self.chain, self._sound)
            self._left[0] = ms_to_frames(WARM_UP_MS) + ms_to_frames(CROSSFADE_MS)
            self.chain = RunningChain(settings.chain, channels, self._max_frames, make)
            self._sound = np.zeros((self._max_frames, channels), np.float32)
            self.stage_meters = {}
        else:
            self.chain.apply(settings.chain, make)

    def _make(self, slot: Slot, channels: int) -> StagePlace:
        return StagePlace(slot, channels, self._max_frames)

    def align(
        self, most_frames: int, key_ahead_frames: int, *, is_main: bool, at_once: bool
    ) -> None:
        """Wait for the slowest input, which takes ``most_frames``; the main voice comes to the duckers
        ``key_ahead_frames`` before it comes to the sum."""
        self.is_main = is_main
        self._aligned = (most_frames, key_ahead_frames)
        waits = most_frames - self.chain.latency_frames + self.delay_frames
        self._ahead.set_frames(0 if is_main else waits)
        self._behind.set_frames(waits if is_main else 0)
        self._as_it_came.set_frames(
            most_frames + self.delay_frames if is_main else self.chain.latency_frames
        )
        if at_once:
            for delay in self._delays:
                delay.reset()
        for one in self.chain.duckers:
            one.ducker.set_ahead(key_ahead_frames - one.behind_frames)

    def follow_latencies(self) -> None:
        """Every meter counts its hops from the device's sound on."""
        late = self._ahead.frames
        meters = {}
        for place in self.chain:
            late += place.latency_frames
            meter = self.stage_meters.get(place.slot.id)
            if meter is None:  # It joins while the others are within some hop.
                meter = HopMeter(late)
                meter.join(self.meter)
            meter.set_latency(late)
            meters[place.slot.id] = meter
        self.stage_meters = meters

    def enter(self, program: StepProgram, pick: Step, *playing: Step) -> Block:
        """From the device to the chain: measured, and as late as it has to be. ``pick`` takes what comes, of two
        channels, ``playing`` what plays in its place. Returns the block that is to pass the chain, shape
        (max_frames, 1 or 2)."""
        came, block = self._came, self._sound
        # Both channels are the same where the chain has one.
        program.add(came, pick, *playing, copying(block))
        program.add(block, self.meter.measuring)
        if self.settings.role == "voice":
            program.add(block, self.activity.step)
        program.add(came, self._ahead.step, copying(block))
        return block

    def leave(self, program: StepProgram, out: Block, as_it_came: Block) -> None:
        """Behind the chain: its sound into ``out``, what came in into ``as_it_came``, both of shape (max_frames, 2) and
        in time with the other inputs."""
        program.add(self._sound, copying(out))
        if self._leaving:
            chain, old = self._leaving
            program.add(old, Step(_to_old_chain, self._came))
            chain.add_to(program, old)
            program.add(out, Step(_blend, old, self._left))
        program.add(out, self._behind.step)
        program.add(self._came, copying(as_it_came))
        program.add(as_it_came, self._as_it_came.step)

    def follow_change(self) -> bool:
        """Behind a block: True if a change between mono and stereo has just been heard to its end."""
        if self._leaving is None or self._left[0] > 0:
            return False
        self._leaving = None
        self._change_again()
        return True

    def _change_again(self) -> None:
        """Take up a change between mono and stereo that came while another was under way."""
        if channels_of(self.settings) != self.chain.channels:
            self.apply(self.settings, self._make)
            self.align(*self._aligned, is_main=self.is_main, at_once=False)
            self.follow_latencies()

    def forget_older(self) -> None:
        """What has left the delays already must not come back with a longer one."""
        for delay in self._delays:
            delay.forget_older()

    def hear_key(self, program: StepProgram, key: Block) -> None:
        """What the main voice does in each block, for the duckers, shape (max_frames, 1)."""
        chains = [self.chain, *([self._leaving[0]] if self._leaving else [])]
        for one in (keyed for chain in chains for keyed in chain.duckers):
            program.add(key, one.ducker.hearing)


def channels_of(settings: InputSettings) -> int:
    """How many channels run through an input's chain."""
    return 2 if settings.channels == "stereo" else 1


def through_chain(one: InputSettings, sound: Block, key: Block) -> Block:
    """A whole recorded background input as it came, shape (frames, 2), behind its chain, the chain's latency taken
    out; the key, of shape (frames, 1), is in time with it."""
    running = RunningChain(one.chain, channels_of(one), _PIECE_FRAMES)
    late, ahead = running.latency_frames, ms_to_frames(LONGEST_LOOK_AHEAD_MS)
    out = np.zeros((len(sound) + late, running.channels), np.float32)
    out[: len(sound)] = sound[:, : running.channels]
    for keyed in running.duckers:
        keyed.ducker.set_ahead(ahead)
        keyed.ducker.reset()
    lead = np.zeros((late, 1), np.float32)
    padded = np.concatenate([lead, key, np.zeros((late + ahead, 1), np.float32)])
    for start in range(0, len(out), _PIECE_FRAMES):
        block = out[start : start + _PIECE_FRAMES]
        for keyed in running.duckers:
            # The sound comes to the ducker late by what stands ahead of it, the key as early as a dip may begin.
            at = start + ahead + keyed.behind_frames
            keyed.ducker.hear(padded[at : at + len(block)])
        running.process(block)
    shaped: Block = out[late:]
    return np.repeat(shaped, 2, axis=1) if running.channels == 1 else shaped


_PIECE_FRAMES = 1024
