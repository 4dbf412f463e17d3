"""The takes on their way through the planned stages, and what is told of them there."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from goshawk.core.chain_slots import Slot
from goshawk.core.dsp.de_esser import DeEsser, DeEsserSettings
from goshawk.core.dsp.suppressor import LearnedRoom
from goshawk.core.measure.levels import HOP_FRAMES, PAUSE, SPEECH
from goshawk.core.measure.long_term_spectrum import (
    THIRD_CENTRES_HZ,
    above_reference_db,
    mean_power,
    thirds_db,
)
from goshawk.core.measure.room import learn_room, settled
from goshawk.core.measure.stage_work import first_syllable_losses
from goshawk.core.measure.take import (
    SETTLE_HOPS,
    VOICES,
    Activity,
    TakeFigures,
    TakeKind,
    activity_of,
    hops_of,
    level_shares,
    measure_take,
    power_level_db,
)
from goshawk.core.rendering import render
from goshawk.core.rules.sound_check import stages
from goshawk.core.rules.sound_check.advice import SPREAD_DB, Wish
from goshawk.core.stage import Block, Floats
from goshawk.units import SAMPLE_RATE_HZ

LONGEST_TAKE_S = 15.0


BODY_DB = 12.0
"""Softer moments of a voice are lost in a room that is near it."""


Tell = Callable[[str, float], None]


Sounds = dict[TakeKind, Block]

Activities = dict[TakeKind, Activity]


def activities_of(takes: Sounds) -> Activities:
    """Of every take, each of shape (frames, 1)."""
    return {kind: activity_of(sound) for kind, sound in takes.items()}


def measured(takes: Sounds, activities: Activities | None = None) -> dict[TakeKind, TakeFigures]:
    """Figures of every take, each of shape (frames, 1), with their ``activities_of`` if they are known."""
    activities = activities or activities_of(takes)
    return {kind: measure_take(kind, sound, activities[kind]) for kind, sound in takes.items()}


def shortened(sound: Block) -> Block:
    """No more than LONGEST_TAKE_S of a take: more would tell little and take long."""
    return np.ascontiguousarray(sound[: round(LONGEST_TAKE_S * SAMPLE_RATE_HZ)])


def measure_levels(kind: TakeKind, sound: Block, activity: Activity) -> list[float]:
    """Distribution of levels as in ``TakeFigures``."""
    rms = hops_of(sound)[0]
    return level_shares(rms[activity == SPEECH] if kind in VOICES else rms[SETTLE_HOPS:])


@dataclass
class TakesHeard:
    """The takes, what is told of them, and what arrives at the next stage (``sounds``)."""

    takes: Sounds
    wish: Wish
    tell: Tell
    known: Activities = field(default_factory=dict)
    """Of takes that were measured before: half the work of a check."""

    sounds: Sounds = field(default_factory=dict)
    activity: Activities = field(default_factory=dict)
    figures: dict[TakeKind, TakeFigures] = field(default_factory=dict)
    has_compressor: bool = False

    def passed(self, slot: Slot, sounds: Sounds) -> Sounds:
        """The takes behind one stage, its latency taken out."""
        out: Sounds = {}
        for kind, sound in sounds.items():
            late = np.concatenate([sound, np.zeros((HOP_FRAMES * 4, 1), np.float32)])
            rendered, latency = render(late, (slot,))
            out[kind] = rendered[latency : latency + len(sound)]
        return out

    def peaks(self, kind: TakeKind, share: float, sounds: Sounds | None = None) -> float:
        """A percentile of the 10 ms peaks: in speech, or of the whole quiet take."""
        peak = hops_of((sounds or self.sounds)[kind])[1]
        peak = peak[self.activity[kind] == SPEECH] if kind in VOICES else peak[SETTLE_HOPS:]
        return float(np.percentile(peak, share))

    def level(self, kind: TakeKind, sounds: Sounds) -> float:
        """Speech level, of the moments no more than BODY_DB under the loud ones: in a take that is near the noise
        the softer ones cannot be told, and the voices' levels must be comparable."""
        rms = hops_of(sounds[kind])[0][self.activity[kind] == SPEECH]
        return power_level_db(rms[rms > np.percentile(rms, 95) - BODY_DB]) or 0.0

    def noise(self, sounds: Sounds) -> float:
        """Median level in the pauses of the usual take, or of the room if it has too few."""
        pauses = hops_of(sounds["usual"])[0][self.activity["usual"] == PAUSE]
        if len(pauses) < 50:
            pauses = hops_of(sounds["room"])[0][SETTLE_HOPS:]
        return float(np.median(pauses))

    def under_speech(self) -> float:
        """From usual speech down to the room, now."""
        room = hops_of(self.sounds["room"])[0][SETTLE_HOPS:]
        return self.level("usual", self.sounds) - float(np.median(room))

    def room_moves_db(self) -> float:
        """From the room's median level to that of its loudest moments, now."""
        middle, loud = np.percentile(hops_of(self.sounds["room"])[0][SETTLE_HOPS:], [50, 95])
        return float(loud - middle)

    def compressor_takes_db(self) -> float:
        """By about how much a compressor will bring speech nearer to the room: by what it takes off the spread."""
        spread = self.spread(self.takes)
        return max(0.0, spread - SPREAD_DB[self.wish.steadiness]) if self.has_compressor else 0.0

    def spread(self, sounds: Sounds) -> float:
        return self.level("big", sounds) - self.level("low", sounds)

    def above_reference(self, kinds: dict[TakeKind, float], sounds: Sounds) -> Floats:
        """Mean of the voices' thirds above the reference, weighted."""
        total, weight = np.zeros(len(THIRD_CENTRES_HZ)), 0.0
        for kind, share in kinds.items():
            power = mean_power(sounds[kind][:, 0].astype(float), self.activity[kind] == SPEECH)
            if power is not None:
                total += share * above_reference_db(thirds_db(power))
                weight += share
        return total / max(weight, 1.0)

    @property
    def lowest_note(self) -> float | None:
        notes = [self.figures[kind].pitch_low_hz for kind in VOICES]
        return min((note for note in notes if note), default=None)

    def rumble_under_speech(self) -> tuple[float, float]:
        """By how much what lies under the voice is softer than the usual speech: in that speech, and in the
        room."""
        speech = self.level("usual", self.sounds)
        found = []
        for kind in ("usual", "room"):
            wanted = self.activity[kind] == (SPEECH if kind == "usual" else PAUSE)
            power = mean_power(self.sounds[kind][:, 0].astype(float), wanted)
            if power is None:
                found.append(100.0)
                continue
            hz = np.arange(len(power)) * SAMPLE_RATE_HZ / (2 * (len(power) - 1))
            under = hz < stages.UNDER_LOWEST_NOTE * (self.lowest_note or 100.0)
            found.append(speech - float(10.0 * np.log10(max(power[under].sum(), 1e-16))))
        return found[0], found[1]

    def learned_room(self) -> LearnedRoom | None:
        """The room as it arrives here; None if it is not steady enough."""
        return learn_room(settled(self.sounds["room"][:, 0].astype(np.float64))).room

    def cut_syllables(self, before: Sounds, after: Sounds) -> int:
        """First syllables that lost more than LOST_DB between two places."""
        count = 0
        for kind in VOICES:
            levels = [np.stack(hops_of(one[kind]), axis=1) for one in (before, after)]
            count += len(first_syllable_losses(levels[0], levels[1], self.activity[kind]))
        return count

    def sharpest(self) -> float:
        """The 98th percentile, over the usual speech, of what the de-esser's detector reads."""
        stage = DeEsser(
            DeEsserSettings(frequency_hz=stages.DE_ESSER_HZ, amount_db=0.0), 1, HOP_FRAMES
        )
        activity, sound, ratios = self.activity["usual"], self.sounds["usual"].copy(), []
        for number in range(len(activity)):
            stage.process(sound[number * HOP_FRAMES : (number + 1) * HOP_FRAMES])
            ratios.append(stage.take_reading()["sibilance_db"])
        return float(np.percentile(np.array(ratios)[activity == SPEECH], 98))
