"""The whole: devices → inputs → each its chain → sends → the four feeds.

Made from one immutable rig. It is driven by a clock (live) or as fast as it can (offline), with the
same samples as a result. (Longer than other modules: the order in which a block passes stands in one place.) All inputs wait for the slowest chain, so that what was together in the room is together for
every listener. The main voice goes first: the others' duckers hear it as it leaves its gate (the chain's last one;
without one, as it leaves the chain).
"""

from collections.abc import Callable

import numpy as np

from goshawk.core.chain_slots import Chain
from goshawk.core.compiled import kernel
from goshawk.core.dsp.insert import Insert
from goshawk.core.dsp.k_weighting import LoudnessMeter
from goshawk.core.dsp.suppressor import Suppressor
from goshawk.core.graph.chain import StagePlace
from goshawk.core.graph.comparison import Comparison, Heard
from goshawk.core.graph.feed import Feed
from goshawk.core.graph.gains import Gains
from goshawk.core.graph.making import Parts
from goshawk.core.graph.matrix import ROWS, Matrix
from goshawk.core.graph.playback import Playback, Replayed
from goshawk.core.graph.readings import InputReading, MixReadings
from goshawk.core.graph.stations import (
    KEY,
    MICROPHONE,
    RAW,
    STAGE_SIDES,
    comes_in,
    feed_station,
    to_viewers,
)
from goshawk.core.graph.strip import LONGEST_CHAIN_FRAMES, Strip
from goshawk.core.measure.levels import HopMeter
from goshawk.core.measure.speech_activity import SpeechActivity
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS, FeedName
from goshawk.core.stage import Block, Floats
from goshawk.core.steps import Step, StepProgram, copying
from goshawk.core.who_hears import Playing, feeds_leave

STRIPS = "strips"
"""What all inputs' ways to the matrix cost together, beside the stages."""

MOST_HOPS = 32
"""So many hops go out with one reading at most."""


class Mixer:
    """Everything between the devices, for blocks of up to ``max_frames``."""

    def __init__(
        self, rig: Rig, max_frames: int, stopwatch: Callable[[], float] = lambda: 0.0
    ) -> None:
        """``stopwatch`` gives a time in seconds, for the cost of each stage."""
        self._max_frames = max_frames
        self._stopwatch = stopwatch
        self._program: StepProgram | None = None
        self._made: StepProgram | None = None
        """The program that has run last."""
        self.version = 0
        """Another one whenever a block has begun to pass by another program."""
        self._ledgers: tuple[int, dict[FeedName, list[tuple[str, int]]]] = (-1, {})
        self._cycles: dict[str, int] = {}
        self._ran_s = 0.0
        """What programs have cost since the last reading: by group, and in all."""
        self._sources: dict[str, Block] = {}
        """What every device gives, by its name, shape (max_frames, 2)."""
        self._in_place = np.zeros((max_frames, 2), np.float32)
        """What the main voice's device gives, or what plays in its place."""
        self._played_version = 0
        self._key_is_open = np.zeros(1)
        self._silence = np.zeros((max_frames, 2), np.float32)
        self._matrix = Matrix(max_frames)
        self._strips: dict[str, Strip] = {}
        self._leaving: list[Strip] = []
        self._feeds = {feed: Feed(rig.feeds.of(feed), max_frames) for feed in FEEDS}
        self._activity = SpeechActivity()
        self._microphone_meter = HopMeter()
        self._loudness = LoudnessMeter(2, max_frames)
        self._true_peak = TruePeakMeter(2, max_frames)
        self._raw = np.zeros((max_frames, 2), np.float32)
        self._key = np.zeros((max_frames, 1), np.float32)
        self._key_place = ""
        self._key_ahead = 0
        self._most_frames = 0
        self._playback = Playback(max_frames)
        self._gains = Gains(self._matrix, self._playback)
        self._comparison: Comparison | None = None
        self._compared: tuple[Heard, float, Chain | None] | None = None
        self._watched: frozenset[str] = frozenset()
        self._taken = 0
        self.frames = 0
        self.apply(rig, at_once=True)

    @property
    def bad_samples(self) -> dict[str, int]:
        """How many samples of each input were no numbers, by its id."""
        return {name: strip.pick.bad_samples for name, strip in self._strips.items()}

    def latency_frames(self, feed: FeedName = "viewers") -> int:
        """From an input's sample to the feed's, without the devices at either end."""
        feed_ = self._feeds[feed]
        return self.mixed_latency_frames + feed_.ceiling.latency_frames + feed_.delay.frames

    @property
    def mixed_latency_frames(self) -> int:
        """From an input's sample to the sum of all: the slowest chain, and what a look-ahead adds to it."""
        return self._most_frames

    @property
    def voice_latency_frames(self) -> int:
        """From the main voice's sample to the sum: what all take, and its own delay."""
        return self._most_frames + (self.main.delay_frames if self.main else 0)

    @property
    def _through_frames(self) -> int:
        """The longest that a sound stays within the inputs' chains and delays."""
        delays = [strip.delay_frames for strip in (*self._strips.values(), *self._leaving)]
        return self._most_frames + max(delays, default=0)

    @property
    def key_ahead_frames(self) -> int:
        """By how much the voice comes earlier to the duckers than to the sum."""
        return self._key_ahead

    @property
    def main(self) -> Strip | None:
        """The main voice's strip."""
        return self._strips.get(self.rig.chained)

    def apply(self, rig: Rig, parts: Parts | None = None, *, at_once: bool = False) -> None:
        """Take a new rig at a block boundary; what takes long to make is in ``parts``."""
        self.rig = rig
        self._parts = parts or Parts(self._max_frames)
        before = self._through_frames
        self._follow_inputs()
        self._follow_latencies(at_once)
        self.watch(self._watched)
        self._follow_comparison()
        self._set_gains(at_once)
        for feed in FEEDS:
            self._feeds[feed].apply(rig.feeds.of(feed))
        self._playback.later(self._through_frames - before)

    def cough(self, is_coughing: bool) -> None:
        """Silence the voices for everyone, for as long as a key is held."""
        self._gains.is_coughing = is_coughing
        self._set_gains(False)

    def settle(self) -> None:
        """Stand where all gains should be: at a start nothing glides shut that has to be shut."""
        self._set_gains(True)

    def set_loop(self, sound: Block | None) -> None:
        """Play a piece of raw microphone, shape (frames, 2), in place of the chained input's device, to
        you alone; None: the microphone again."""
        self._play("loop", None if sound is None else {"": sound})

    def set_replay(self, sound: Replayed | None, *, at_once: bool = False) -> None:
        """Play recorded inputs in place of all devices, over and over; None: the devices again. Nothing of it leaves
        the feeds: ``rehearsed`` is what viewers would hear. ``at_once``: without waiting until all is shut, for what
        is mixed offline."""
        self._play("replay", sound, at_once=at_once)

    def _play(self, playing: Playing, sounds: Replayed | None, *, at_once: bool = False) -> None:
        if sounds is not None:
            self._playback.start(playing, sounds, self._through_frames, at_once=at_once)
        else:
            self._playback.stop(playing, self._through_frames)
        if playing != "loop" or sounds is None:
            self._compared = None
        self._follow_comparison()
        self._set_gains(at_once)

    @property
    def playing(self) -> Playing:
        """What is heard in place of the devices, its tail included."""
        return self._playback.playing

    @property
    def is_replaying(self) -> bool:
        """Whether the sum holds recorded inputs, or their tail: no feed leaves then."""
        return not feeds_leave(self._playback.playing)

    def set_held(self, held_db: dict[str, float]) -> None:
        """What holds add to the trims, in dB by the input's id."""
        self._gains.held_db = held_db
        self._set_gains(False)

    def compare(
        self, heard: Heard, gain_db: float, other: Chain | None, parts: Parts | None = None
    ) -> None:
        """While a loop plays: hear it through the chain, raw, or through another chain."""
        self._parts = parts or self._parts
        self._compared = (heard, gain_db, other)
        self._follow_comparison()

    def _follow_comparison(self) -> None:
        self._make_anew()
        main = self.main
        if self._playback.playing != "loop" or self._compared is None or main is None:
            self._comparison = None
            return
        channels = main.chain.channels
        if self._comparison is None or self._comparison.channels != channels:
            self._comparison = Comparison(channels, self._max_frames, LONGEST_CHAIN_FRAMES)
        heard, gain_db, other = self._compared
        self._comparison.set_other(other, self._parts.place)
        self._comparison.choose(heard, gain_db)

    def watch(self, stages: frozenset[str]) -> None:
        """Keep what leaves these stages, by their ids, for ``sound``."""
        self._watched = stages
        self._make_anew()
        for place in self._places():
            place.watch(place.slot.id in stages)

    def _places(self) -> list[StagePlace]:
        """Every stage of every input, the main voice's first."""
        ordered = sorted(self._strips.values(), key=lambda strip: strip is not self.main)
        return [place for strip in ordered for place in strip.chain]

    def _stage_place(self, kind: str, stage_id: str) -> tuple[Block, int] | None:
        """Where what goes into a watched stage, or leaves it, is to be found."""
        for strip in self._strips.values():
            for place in strip.chain:
                if place.slot.id == stage_id and place.is_watched:
                    late = strip.stage_meters[stage_id].latency_frames
                    if kind == "before":
                        return place.before, late - place.latency_frames
                    return place.after, late
        return None

    def _follow_inputs(self) -> None:
        there = {one.id for one in self.rig.inputs}
        for name in [name for name in self._strips if name not in there]:
            gone = self._strips.pop(name)
            self._gains.forget(name)
            self._leaving.append(gone)
            self._matrix.set_gains(gone.row, [0.0] * len(FEEDS))
        for one in self.rig.inputs:
            if one.id not in self._strips:
                strip = self._parts.strip(one, self._free_row())
                strip.meter.join(self._microphone_meter)
                strip.activity.join(self._activity)
                self._strips[one.id] = strip
            strip = self._strips[one.id]
            if one.role == "voice" and strip.settings.role != "voice":
                strip.activity.join(self._activity)  # Only of voices it has been listening.
            if one is not strip.settings:
                strip.apply(one, self._parts.place)
        self._strips = {one.id: self._strips[one.id] for one in self.rig.inputs}

    def _follow_latencies(self, at_once: bool) -> None:
        """Where the duckers hear the voice, how much earlier that is, and how long every input has to wait."""
        main = self.main
        places = list(main.chain) if main else []
        gates = [place.slot.id for place in places if place.slot.stage == "gate"]
        self._key_place = gates[-1] if gates else ""
        key_frames = 0
        for place in places:
            key_frames += place.latency_frames
            if place.slot.id == self._key_place:
                break
        strips = self._strips.values()
        most = max((strip.chain.latency_frames for strip in strips), default=0)
        for strip in strips:
            if strip is not main and strip.chain.key_lead_frames:
                most = max(most, key_frames + strip.chain.key_lead_frames)
        self._most_frames = most
        self._key_ahead = self.voice_latency_frames - key_frames
        for strip in strips:
            strip.align(most, self._key_ahead, is_main=strip is main, at_once=at_once)
            strip.follow_latencies()
        self._matrix.set_latency(most)
        for feed in self._feeds.values():
            feed.meter.set_latency(most + feed.ceiling.latency_frames)

    def _free_row(self) -> int:
        used = {strip.row for strip in (*self._strips.values(), *self._leaving)}
        free = [row for row in range(ROWS) if row not in used]
        if not free:  # More removed within a fade than there are rows: the oldest is cut.
            free = [self._leaving.pop(0).row]
        self._matrix.clear(free[0])
        self._matrix.set_gains(free[0], [0.0] * len(FEEDS), at_once=True)
        return free[0]

    def _set_gains(self, at_once: bool) -> None:
        # Nothing dips under a voice that viewers do not hear.
        self._key_is_open[0] = 0.0
        for strip in self._strips.values():
            way = self._most_frames + strip.delay_frames
            is_heard = self._gains.follow(self.rig, strip, self.frames, way, at_once=at_once)
            if strip.is_main and is_heard:
                self._key_is_open[0] = 1.0

    def process(self, sound: dict[str, Block], frames: int) -> None:
        """One block of every device, each of shape (``frames``, 2) by the device's name. The feeds
        are then to be had from ``feed``."""
        if (opens_at := self._gains.next_frame) is not None and self.frames >= opens_at:
            self._set_gains(False)
        if self._playback.advance(frames):
            self._follow_comparison()
            self._set_gains(False)
            for strip in (*self._strips.values(), *self._leaving):
                strip.forget_older()
        if self._playback.version != self._played_version:
            self._make_anew()
        program = self._program or self._make()
        for name, source in self._sources.items():
            source[:frames] = sound.get(name, self._silence[:frames])
        if self.main and self._playback.playing != "devices":
            self._play_main(self._source(self.main.settings.device)[:frames])
        began = self._stopwatch()
        program.run(frames)
        self._ran_s += self._stopwatch() - began
        self.frames += frames
        if self._leaving:
            self._let_go()
        for strip in self._strips.values():
            if strip.follow_change():
                self._make_anew()

    def _play_main(self, came: Block) -> None:
        """What plays in place of the main voice's device, and of all others."""
        frames, is_replay = len(came), self._playback.playing == "replay"
        played = self._playback.mixed(self.rig.chained if is_replay else "", came)
        self._in_place[:frames] = played
        if is_replay:
            strips = (*self._strips.values(), *self._leaving)
            others = {strip.settings.id for strip in strips if strip is not self.main}
            self._playback.read(others, frames)

    def _make_anew(self) -> None:
        """Something has changed: the next block passes by another program."""
        self._program = None

    def _make(self) -> StepProgram:
        """The order in which a block passes."""
        self._played_version = self._playback.version
        self._count_cycles()
        devices = self.devices
        self._program = self._made = program = StepProgram(self._made)
        self.version += 1
        self._sources = {name: self._sources.get(name, self._new_source()) for name in devices}
        main = self.main
        if main:
            self._add_main(program, main)
        else:
            program.add(self._silence, copying(self._raw), copying(self._key))
            program.add(self._silence, self._activity.step, self._microphone_meter.measuring)
        is_replay = self._playback.playing == "replay"
        for strip in (*self._strips.values(), *self._leaving):
            if strip is main:
                continue
            program.group = STRIPS
            playing = [self._playback.step(strip.settings.id)] if is_replay else []
            pick = strip.pick.step(*(self._source(name) for name in strip.pick.devices))
            block = strip.enter(program, pick, *playing)
            strip.hear_key(program, self._key)
            self._add_chain(program, strip, block)
            program.group = STRIPS
            strip.leave(program, *self._matrix.sides[strip.row])
        program.group = ""
        sums = self._matrix.sums
        program.add(sums[0], self._matrix.step)
        for feed, block in zip(self._feeds.values(), sums, strict=True):
            meters = (self._true_peak.step, self._loudness.step) if block is sums[0] else ()
            feed.add_to(program, block, self._playback.share, *meters)
        are_on = self.rig.feeds.you.output == "loudspeakers"
        voices = [one for one in self._strips.values() if one.settings.role == "voice"]
        activities = [self._activity, *(one.activity for one in voices)]
        hearing = [step for one in activities for step in one.hearing_of_loudspeakers(are_on)]
        if hearing:
            program.add(sums[FEEDS.index("you")], *hearing)
        return program.finish()

    def _new_source(self) -> Block:
        return np.zeros((self._max_frames, 2), np.float32)

    def _source(self, device: str) -> Block:
        return self._sources.get(device, self._silence)

    def _add_main(self, program: StepProgram, main: Strip) -> None:
        """The main voice, from its device or what plays in its place to the matrix."""
        device = main.settings.device
        sources = {name: self._source(name) for name in main.pick.devices}
        raw = self._source(device)
        if self._playback.playing != "devices":
            sources[device] = self._in_place
        if self._playback.playing == "replay":
            raw = self._in_place
        program.add(raw, copying(self._raw))
        block = main.enter(program, main.pick.step(*(sources[one] for one in main.pick.devices)))
        program.add(block, self._activity.step, self._microphone_meter.measuring)
        if self._comparison:
            self._comparison.keep_raw(program, block, main.chain.latency_frames)
        self._add_chain(program, main, block)
        program.group = ""
        if not self._key_place:
            program.add(block, Step(_take_key, self._key, self._key_is_open))
        if self._comparison:
            self._comparison.put(program, block)
        main.leave(program, *self._matrix.sides[main.row])

    def _add_chain(self, program: StepProgram, strip: Strip, block: Block) -> None:
        """An input's chain, measured behind every stage; what it knows of voices, for what listens to this input."""
        speaks = strip.chain.speaks
        listening = [strip.activity, *([self._activity] if strip.is_main else [])]
        noting = [step for one in listening for step in one.hearing_of_voice(speaks)]
        for place in strip.chain:
            name = place.slot.id
            program.group = name
            program.add(block, *place.steps)
            program.group = "" if strip.is_main else STRIPS
            program.add(block, strip.stage_meters[name].cleaning)
            if strip.is_main and name == self._key_place:
                program.add(block, Step(_take_key, self._key, self._key_is_open))
        program.group = "" if strip.is_main else STRIPS
        program.add(block, *noting)

    def _let_go(self) -> None:
        for strip in [one for one in self._leaving if self._matrix.is_silent(one.row)]:
            self._matrix.clear(strip.row)
            self._leaving.remove(strip)
            self._make_anew()

    def feed(self, feed: FeedName, frames: int) -> Block:
        """What left for a listener in the last block, shape (frames, 2); the next block overwrites it."""
        block: Block = self._matrix.feeds[FEEDS.index(feed), :frames]
        return block

    def rehearsed(self, frames: int) -> Block:
        """What viewers would have got in the last block, ahead of their delay, shape (frames, 2)."""
        return self._feeds["viewers"].held[:frames]

    def kept_back(self, frames: int) -> Block | None:
        """How much of every feed was kept back in the last block, shape (frames, 1); None if nothing was."""
        share = self._playback.leaving(frames)
        return None if share is None else 1.0 - share

    def input(self, input_id: str, frames: int) -> Block:
        """An input in the last block, behind its chain, ahead of its fader, shape (frames, 2); silence if there is
        none."""
        strip = self._strips.get(input_id)
        block: Block = self._matrix.inputs[strip.row, :frames] if strip else self._silence[:frames]
        return block

    def sound(self, name: str, frames: int) -> tuple[Block, int]:
        """One of the sounds of ``stations`` (or a feed, by its name) in the last block, shape (frames, 1 or 2), and by
        how many frames it comes later than at its device; silence if there is none."""
        kind, _, item = name.partition(":")
        if kind != "removed":
            block, late = self.place(name) or (self._silence, 0)
            return block[:frames], late
        before, after = (self._stage_place(side, item) for side in ("before", "after"))
        if before is None or after is None:
            return self._silence[:frames], 0
        return before[0][:frames] - after[0][:frames], after[1]

    def place(self, name: str) -> tuple[Block, int] | None:
        """Where one of the sounds is to be found after every block, shape (max_frames, 1 or 2), and by how many frames
        it is late; both hold until ``version`` is another one. None for what has no place of its own. An input's own
        delay is on purpose: its sound behind the chain counts as of the time at which it is heard with the others."""
        kind, _, item = name.partition(":")
        if kind == RAW:
            return self._raw, 0
        if kind == KEY:
            return self._key, self.voice_latency_frames - self._key_ahead
        if kind in STAGE_SIDES:
            return None if kind == "removed" else self._stage_place(kind, item)
        if kind in FEEDS:
            feed = next(one for one in FEEDS if one == kind)
            return self._matrix.sums[FEEDS.index(feed)], self.latency_frames(feed)
        strip = self._strips.get(item)
        if strip is None:
            return None
        shaped, unshaped = self._matrix.sides[strip.row]
        if kind == "input":
            return shaped, self._most_frames
        return unshaped, self._most_frames + strip.delay_frames

    def let_clicks_pass(self, lets: bool) -> None:
        """Whether suppressors leave clicks in, since a delay is being measured."""
        for strip in self._strips.values():
            for place in strip.chain:
                if isinstance(place.stage, Suppressor):
                    place.stage.let_clicks_pass(lets)

    def inserts(self) -> list[tuple[str, Insert, Floats]]:
        """Every insert by its stage's id, and whether its input may leave now. They hold until ``version`` is another
        one."""
        return [
            (place.slot.id, place.stage, strip.leaves_alone)
            for strip in self._strips.values()
            for place in strip.chain
            if isinstance(place.stage, Insert)
        ]

    def leaving(self, source: str) -> tuple[Block, Floats]:
        """Where an output's source (a feed's name, or an input's by ``routing``) is to be found after every block, shape
        (max_frames, 2), and whether it may leave: 1.0 or 0.0, in an array. Both hold until ``version`` is another one."""
        place = self.place(source)
        if place is None:
            return self._silence, np.zeros(1)
        input_id = source.partition(":")[2]
        strip = self._strips.get(input_id)
        return place[0], strip.leaves_alone if strip else np.ones(1)

    def row(self, input_id: str, frames: int) -> Block:
        """Like ``input``, but what is kept for a mix made anew: all but the main voice as they came."""
        if input_id == self.rig.chained or input_id not in self._strips:
            return self.input(input_id, frames)
        block: Block = self._matrix.unshaped[self._strips[input_id].row, :frames]
        return block

    def key(self, frames: int) -> Block:
        """What the duckers heard in the last block, shape (frames, 1), ``key_ahead_frames`` before the sum."""
        return self._key[:frames]

    @property
    def devices(self) -> set[str]:
        """Every device that an input takes its sound from, or has left lately."""
        if self._program is not None:
            return set(self._sources)
        strips = (*self._strips.values(), *self._leaving)
        return {device for strip in strips for device in strip.pick.devices if device}

    def _stage_latencies(self) -> dict[str, int]:
        return {place.slot.id: place.latency_frames for place in self._places()}

    def ledger(self, feed: FeedName) -> list[tuple[str, int]]:
        """Name and latency in frames of everything between the devices, in order; stages by id."""
        if self._ledgers[0] != self.version:
            self._ledgers = self.version, {one: self._ledger(one) for one in FEEDS}
        return self._ledgers[1][feed]

    def _ledger(self, feed: FeedName) -> list[tuple[str, int]]:
        feed_, main = self._feeds[feed], self.main
        own = main.chain.latency_frames if main else 0
        waits = self._most_frames - own
        slowest = max((strip.chain.latency_frames for strip in self._strips.values()), default=0)
        others = min(waits, slowest - own)
        return [
            *((place.slot.id, place.latency_frames) for place in (main.chain if main else ())),
            *((("other chains", others),) if others else ()),
            *((("ducking", waits - others),) if waits > others else ()),
            *((("own delay", main.delay_frames),) if main and main.delay_frames else ()),
            ("ceiling", feed_.ceiling.latency_frames),
            ("feed delay", feed_.delay.frames),
        ]

    def _count_cycles(self) -> None:
        for name, count in (self._made.take_cycles() if self._made else {}).items():
            self._cycles[name] = self._cycles.get(name, 0) + count

    def _take_busy_s(self) -> dict[str, float]:
        """What stages and strips have cost since the last call, by the stage's id or STRIPS."""
        self._count_cycles()
        cycles, self._cycles = self._cycles, {}
        one_s = self._ran_s / max(1, sum(cycles.values()))
        self._ran_s = 0.0
        return {name: count * one_s for name, count in cycles.items() if name}

    def take_readings(self) -> MixReadings:
        """What happened since the last call."""
        main, others = self.main, [one for one in self._strips.values() if one is not self.main]
        meters: dict[str, HopMeter] = {MICROPHONE: self._microphone_meter}
        if main:
            meters |= main.stage_meters
        for strip in others:
            meters[comes_in(strip.settings.id)] = strip.meter
            meters |= strip.stage_meters
        stage_readings = {place.slot.id: place.stage.take_reading() for place in self._places()}
        ends = {feed_station(name): feed.meter for name, feed in self._feeds.items()}
        matrix = self._matrix
        finished = min(
            matrix.finished, *(meter.finished for meter in (*meters.values(), *ends.values()))
        )
        first = max(self._taken, finished - MOST_HOPS)
        count = max(0, finished - first)
        self._taken = first + count
        peaks = matrix.take_peaks()
        rows = {name: strip.row for name, strip in self._strips.items()}
        of_inputs = {to_viewers(name): row for name, row in rows.items()}
        return MixReadings(
            end_frame=self.frames,
            first_hop=first,
            stations=[*meters, *of_inputs, *ends],
            hops=np.stack(
                [
                    *(meter.hops(first, count) for meter in meters.values()),
                    *(matrix.hops(row, first, count) for row in of_inputs.values()),
                    *(meter.hops(first, count) for meter in ends.values()),
                ]
            ),
            activity=self._activity.decisions(first, count),
            activities={
                strip.settings.id: strip.activity.decisions(first, count)
                for strip in others
                if strip.settings.role == "voice"
            },
            stages=stage_readings,
            ceilings={
                name: feed.ceiling.stage.take_reading() for name, feed in self._feeds.items()
            },
            inputs={
                name: InputReading(
                    peak=float(peaks[row, -1]),
                    reach=peaks[row, :-1].tolist(),
                    gains=matrix.gains(row).tolist(),
                    bad_samples=self._strips[name].pick.bad_samples,
                )
                for name, row in rows.items()
            },
            is_replaying=self.is_replaying,
            segments=self._loudness.take(),
            true_peak_dbtp=self._true_peak.take_dbtp(),
            stage_latency_frames=self._stage_latencies(),
            stage_busy_s=self._take_busy_s(),
        )


@kernel
def _take_key(voice: Block, key: Block, is_open: Floats) -> None:
    """The mean of both channels, if the voice is to be heard at all."""
    last = voice.shape[1] - 1
    for n in range(voice.shape[0]):
        both = (voice[n, 0] + voice[n, last]) * np.float32(0.5)
        key[n, 0] = both if is_open[0] == 1.0 else np.float32(0.0)
