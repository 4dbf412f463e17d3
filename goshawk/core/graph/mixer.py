"""The whole: devices → inputs, one of them → voice chain, all → sends → the four feeds.

Made from one immutable rig. It is driven by a clock (live) or as fast as it can (offline), with the
same samples as a result. Plain inputs are delayed by the chain's latency, so that what was together
in the room is together for every listener; then each passes its EQ and its ducker, which hears the voice
as it leaves the gate (the chain's last one; without one, as it leaves the chain).
"""

from collections.abc import Callable
from typing import Any

import numpy as np

from goshawk.core.chain_slots import Chain
from goshawk.core.graph.chain import VoiceChain
from goshawk.core.graph.comparison import Comparison, Heard
from goshawk.core.graph.feed import Feed
from goshawk.core.graph.matrix import ROWS, Matrix
from goshawk.core.graph.playback import Playback, Replayed
from goshawk.core.graph.strip import LONGEST_CHAIN_FRAMES, Strip, look_ahead_frames
from goshawk.core.measure.levels import MomentMeter
from goshawk.core.measure.loudness import LoudnessMeter
from goshawk.core.measure.speech_activity import SpeechActivity
from goshawk.core.measure.tap import TAP_RATE_HZ, RawTap
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.core.rig import Rig
from goshawk.core.stage import Block, Floats
from goshawk.core.who_hears import Playing, feeds_leave, send_gain
from goshawk.core.wiring import FEEDS, FeedName

MICROPHONE = "microphone"
STRIPS = "strips"
"""What all plain inputs' ways to the matrix cost together, beside the stages."""

MOST_MOMENTS = 32
"""So many moments go out with one reading at most."""


def to_viewers(input_id: str) -> str:
    """The station at which an input's part of the Viewers feed is measured."""
    return f"viewers/{input_id}"


def feed_station(feed: FeedName) -> str:
    """The station at which a whole feed is measured."""
    return f"feed/{feed}"


class Mixer:
    """Everything between the devices, for blocks of up to ``max_frames``."""

    def __init__(
        self, rig: Rig, max_frames: int, stopwatch: Callable[[], float] = lambda: 0.0
    ) -> None:
        """``stopwatch`` gives a time in seconds, for the cost of each stage."""
        self._max_frames = max_frames
        self._stopwatch = stopwatch
        self._busy_s: dict[str, float] = {}
        self._silence = np.zeros((max_frames, 2), np.float32)
        self._matrix = Matrix(max_frames)
        self._strips: dict[str, Strip] = {}
        self._leaving: list[Strip] = []
        self._feeds = {feed: Feed(rig.feeds.of(feed), max_frames) for feed in FEEDS}
        self._activity = SpeechActivity()
        self._microphone_meter = MomentMeter()
        self._loudness = LoudnessMeter(2, max_frames)
        self._true_peak = TruePeakMeter(2, max_frames)
        self._raw = RawTap()
        self._key = np.zeros((max_frames, 1), np.float32)
        self._key_tap = RawTap(1)
        self._key_place = ""
        self._key_ahead = self._waits = 0
        self._is_key_open = True
        self._held_db: dict[str, float] = {}
        self._playback = Playback(max_frames)
        self._compared: tuple[Heard, float, Chain | None] | None = None
        self._is_coughing = False
        self._watched: frozenset[str] = frozenset()
        self._segments: list[Floats] = []
        self._taken = 0
        self._tapped = 0
        self.frames = 0
        self._build_voice(rig)
        self.apply(rig, at_once=True)

    def _build_voice(self, rig: Rig) -> None:
        self._comparison: Comparison | None
        self._voice = np.zeros((self._max_frames, _voice_channels(rig)), np.float32)
        self.chain = VoiceChain(rig.chain, self._voice.shape[1], self._max_frames)
        self._comparison = None
        self._stage_meters: dict[str, MomentMeter] = {}

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
        """From an input's sample to the sum of all: the chain, and what a look-ahead adds to it."""
        return self.chain.latency_frames + self._waits

    @property
    def key_ahead_frames(self) -> int:
        """By how much the voice comes earlier to the duckers than to the sum."""
        return self._key_ahead

    def apply(self, rig: Rig, *, at_once: bool = False) -> None:
        """Take a new rig at a block boundary."""
        self.rig = rig
        before = self.mixed_latency_frames
        if _voice_channels(rig) != self._voice.shape[1]:
            self._build_voice(rig)
        self.chain.apply(rig.chain)
        self.watch(self._watched)
        self._follow_key()
        self._follow_inputs()
        self._set_gains(at_once)
        for feed in FEEDS:
            self._feeds[feed].apply(rig.feeds.of(feed))
        self._follow_latencies()
        self._playback.later(self.mixed_latency_frames - before)

    def cough(self, is_coughing: bool) -> None:
        """Silence the voices for everyone, for as long as a key is held."""
        self._is_coughing = is_coughing
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
            self._playback.start(playing, sounds, self.mixed_latency_frames, at_once=at_once)
        else:
            self._playback.stop(playing, self.mixed_latency_frames)
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
        self._held_db = held_db
        self._set_gains(False)

    def compare(self, heard: Heard, gain_db: float, other: Chain | None) -> None:
        """While a loop plays: hear it through the chain, raw, or through another chain."""
        self._compared = (heard, gain_db, other)
        self._follow_comparison()

    def _follow_comparison(self) -> None:
        if self._playback.playing != "loop" or self._compared is None:
            self._comparison = None
            return
        if self._comparison is None:
            self._comparison = Comparison(
                self._voice.shape[1], self._max_frames, LONGEST_CHAIN_FRAMES
            )
        heard, gain_db, other = self._compared
        self._comparison.set_other(other)
        self._comparison.choose(heard, gain_db)

    def watch(self, stages: frozenset[str]) -> None:
        """Keep what leaves these stages, by their ids, for ``stage_sound``."""
        self._watched = stages
        for place in self.chain:
            place.is_watched = place.slot.id in stages

    def stage_sound(self, kind: str, stage_id: str, frames: int) -> Block:
        """The last block ``before`` or ``after`` a watched stage, or what it ``removed``, shape
        (frames, 2); silence if there is no such stage."""
        place = next((one for one in self.chain if one.slot.id == stage_id), None)
        if place is None or not place.is_watched:
            return self._silence[:frames]
        if kind == "after":
            sound = place.after(frames)
        elif kind == "before":
            sound = place.before(frames)
        else:
            sound = place.before(frames) - place.after(frames)
        return sound if sound.shape[1] == 2 else np.repeat(sound, 2, axis=1)

    def _follow_key(self) -> None:
        """Where the duckers hear the voice, how much earlier that is, and how long all has to wait for it."""
        gates = [place.slot.id for place in self.chain if place.slot.stage == "gate"]
        self._key_place = gates[-1] if gates else ""
        later = 0
        for place in self.chain:
            later = 0 if place.slot.id == self._key_place else later + place.latency_frames
        later = later if gates else 0
        self._waits = max(0, look_ahead_frames(self.rig.inputs, self.rig.chained) - later)
        self._key_ahead = later + self._waits

    def _follow_inputs(self) -> None:
        behind = self.mixed_latency_frames
        there = {one.id for one in self.rig.inputs}
        for name in [name for name in self._strips if name not in there]:
            gone = self._strips.pop(name)
            self._leaving.append(gone)
            self._matrix.set_gains(gone.row, [0.0] * len(FEEDS))
        for one in self.rig.inputs:
            if one.id not in self._strips:
                self._strips[one.id] = Strip(one, self._free_row(), behind, self._max_frames)
            self._strips[one.id].apply(one, self._key_ahead)
        self._strips = {one.id: self._strips[one.id] for one in self.rig.inputs}

    def _free_row(self) -> int:
        used = {strip.row for strip in (*self._strips.values(), *self._leaving)}
        free = [row for row in range(ROWS) if row not in used]
        if not free:  # More removed within a fade than there are rows: the oldest is cut.
            free = [self._leaving.pop(0).row]
        self._matrix.clear(free[0])
        self._matrix.set_gains(free[0], [0.0] * len(FEEDS), at_once=True)
        return free[0]

    def _set_gains(self, at_once: bool) -> None:
        self._is_key_open = False
        for strip in self._strips.values():
            one = strip.settings
            held_db = self._held_db.get(one.id, 0.0)
            # Between a loop and a replay, what is shut for either is shut.
            gains = [
                min(
                    send_gain(
                        self.rig,
                        one,
                        feed,
                        is_coughing=self._is_coughing,
                        held_db=held_db,
                        playing=playing,
                    )
                    for playing in {self._playback.playing, self._playback.wanted}
                )
                for feed in FEEDS
            ]
            # Nothing dips under a voice that viewers do not hear.
            self._is_key_open |= one.id == self.rig.chained and gains[0] > 0.0
            as_it_came = [one.sends.to(feed).tap == "before_fader" for feed in FEEDS]
            self._matrix.set_gains(
                strip.row,
                [0.0 if is_raw else gain for gain, is_raw in zip(gains, as_it_came, strict=True)],
                [gain if is_raw else 0.0 for gain, is_raw in zip(gains, as_it_came, strict=True)],
                at_once=at_once,
            )

    def _follow_latencies(self) -> None:
        """Every meter counts its moments from the microphone's sound on."""
        behind = 0
        meters = {}
        for place in self.chain:
            behind += place.latency_frames
            meter = self._stage_meters.get(place.slot.id)
            if meter is None:
                meter = self._late_meter(behind)
            meter.set_latency(behind)
            meters[place.slot.id] = meter
        self._stage_meters = meters
        for strip in self._strips.values():
            is_chained = strip.settings.id == self.rig.chained
            strip.delay.set_frames(self._waits if is_chained else behind + self._waits)
        behind += self._waits
        self._matrix.set_latency(behind)
        for feed in self._feeds.values():
            feed.meter.set_latency(behind + feed.ceiling.latency_frames)

    def _late_meter(self, latency_frames: int) -> MomentMeter:
        """A meter for a stage that joins while the microphone's meter is at some moment."""
        meter = MomentMeter(latency_frames)
        meter.join(self._microphone_meter)
        return meter

    def process(self, sound: dict[str, Block], frames: int) -> None:
        """One block of every device, each of shape (``frames``, 2) by the device's name. The feeds
        are then to be had from ``feed``."""
        silence = self._silence[:frames]
        voice, key = self._voice[:frames], self._key[:frames]
        chained = self._strips.get(self.rig.chained)
        if self._playback.advance(frames):
            self._follow_comparison()
            self._set_gains(False)
            for strip in (*self._strips.values(), *self._leaving):
                strip.delay.forget_older()
        is_replay = self._playback.playing == "replay"
        if chained:
            device = chained.settings.device
            raw = sound.get(device, silence)
            heard = sound
            if self._playback.playing != "devices":
                named = self.rig.chained if is_replay else ""
                heard = {**sound, device: self._playback.mixed(named, raw)}
            chained.pick.read(heard, silence, voice)
            self._raw.listen(heard[device] if is_replay else raw)
            chained.tap.listen(voice)
        else:
            voice.fill(0.0)
            self._raw.listen(silence)
        self._activity.listen(voice)
        self._microphone_meter.measure(voice)
        if self._comparison:
            self._comparison.keep_raw(voice, self.chain.latency_frames)
        began = self._stopwatch()
        for place in self.chain:
            place.process(voice)
            ended = self._stopwatch()
            name = place.slot.id
            self._busy_s[name] = self._busy_s.get(name, 0.0) + ended - began
            self._stage_meters[name].measure(voice)
            if name == self._key_place:
                self._take_key(voice, key)
            began = self._stopwatch()
        if not self._key_place:
            self._take_key(voice, key)
        self._key_tap.listen(key)
        if self._comparison:
            self._comparison.put(voice)
        for strip in (*self._strips.values(), *self._leaving):
            row = self._matrix.unshaped[strip.row, :frames]
            if strip is chained:
                row[:] = voice
            else:
                strip.pick.read(sound, silence, row)
                if is_replay:
                    row[:] = self._playback.mixed(strip.settings.id, row)
                strip.tap.listen(row)
            strip.delay.process(row)
            strip.raw.listen(row)
            shaped = self._matrix.inputs[strip.row, :frames]
            shaped[:] = row
            if strip is not chained:
                strip.shape(shaped, key)
        self._busy_s[STRIPS] = self._busy_s.get(STRIPS, 0.0) + self._stopwatch() - began
        self.frames += frames
        self._matrix.mix(frames)
        if self._leaving:
            self._let_go()
        for place_in_order, feed in enumerate(self._feeds.values()):
            feed.process(self._matrix.feeds[place_in_order, :frames])
        viewers = self._matrix.feeds[0, :frames]
        self._true_peak.measure(viewers)
        segments = self._loudness.measure(viewers)
        if len(segments):
            self._segments.append(segments)
        share = self._playback.leaving(frames)
        for place_in_order, feed in enumerate(self._feeds.values()):
            feed.let_out(self._matrix.feeds[place_in_order, :frames], share)

    def _take_key(self, voice: Block, key: Block) -> None:
        if self._is_key_open:
            np.add(voice[:, :1], voice[:, -1:], out=key)
            key *= np.float32(0.5)
        else:
            key.fill(0.0)

    def _let_go(self) -> None:
        for strip in [one for one in self._leaving if self._matrix.is_silent(one.row)]:
            self._matrix.clear(strip.row)
            self._leaving.remove(strip)

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
        """An input in the last block, ahead of its fader, shape (frames, 2); silence if there is none."""
        strip = self._strips.get(input_id)
        block: Block = (
            self._matrix.unshaped[strip.row, :frames] if strip else self._silence[:frames]
        )
        return block

    def key(self, frames: int) -> Block:
        """What the duckers heard in the last block, shape (frames, 1), ``key_ahead_frames`` before the sum."""
        return self._key[:frames]

    @property
    def devices(self) -> set[str]:
        """Every device that an input takes its sound from, or is just leaving."""
        strips = (*self._strips.values(), *self._leaving)
        return {device for strip in strips for device in strip.pick.devices if device}

    def ledger(self, feed: FeedName) -> list[tuple[str, int]]:
        """Name and latency in frames of everything between the devices, in order; stages by id."""
        feed_ = self._feeds[feed]
        return [
            *((place.slot.id, place.latency_frames) for place in self.chain),
            *((("ducking", self._waits),) if self._waits else ()),
            ("ceiling", feed_.ceiling.latency_frames),
            ("feed delay", feed_.delay.frames),
        ]

    def take_readings(self) -> dict[str, Any]:
        """What happened since the last call: moments of every station that all have finished
        (shape (stations, moments, 2), power and peak, linear), speech activity of the same moments,
        what each stage says of itself, each input's highest peak in each feed and ahead of its fader,
        loudness segments and true peak of the Viewers feed, and pieces of sound for slow measurements."""
        meters: dict[str, MomentMeter] = {MICROPHONE: self._microphone_meter, **self._stage_meters}
        ends = {feed_station(name): feed.meter for name, feed in self._feeds.items()}
        matrix = self._matrix
        finished = min(
            matrix.finished, *(meter.finished for meter in (*meters.values(), *ends.values()))
        )
        first = max(self._taken, finished - MOST_MOMENTS)
        count = max(0, finished - first)
        self._taken = first + count
        segments, self._segments = self._segments, []
        busy_s, self._busy_s = self._busy_s, {}
        peaks = matrix.take_peaks()
        rows = {name: strip.row for name, strip in self._strips.items()}
        of_inputs = {to_viewers(name): row for name, row in rows.items()}
        return {
            "first_moment": first,
            "stations": [*meters, *of_inputs, *ends],
            "moments": np.stack(
                [
                    *(meter.moments(first, count) for meter in meters.values()),
                    *(matrix.moments(row, first, count) for row in of_inputs.values()),
                    *(meter.moments(first, count) for meter in ends.values()),
                ]
            ),
            "activity": self._activity.decisions(first, count),
            "stages": {place.slot.id: place.stage.take_reading() for place in self.chain},
            "ceilings": {
                name: feed.ceiling.stage.take_reading() for name, feed in self._feeds.items()
            },
            "inputs": {
                name: {
                    "peak": float(peaks[row, -1]),
                    "reach": peaks[row, :-1].tolist(),
                    "gains": matrix.gains(row).tolist(),
                    "bad_samples": self._strips[name].pick.bad_samples,
                    "dip_db": self._strips[name].take_dip_db(),
                }
                for name, row in rows.items()
            },
            "is_replaying": self.is_replaying,
            "segments": np.concatenate(segments) if segments else np.zeros(0),
            "true_peak_dbtp": self._true_peak.take_dbtp(),
            "stage_latency_frames": {p.slot.id: p.latency_frames for p in self.chain},
            "stage_busy_s": busy_s,
            "end_frame": self.frames,
            "raw_frame": self._raw.next_frame,
            "raw": self._raw.take(),
            "taps": self._take_taps(),
        }

    def take_rows(self) -> dict[str, Any]:
        """The sound since the last call of every input where it meets its strip and of what the duckers heard, with
        what it takes to set it beside the moments of the last ``take_readings``."""
        return {
            "rows": {name: strip.raw.take() for name, strip in self._strips.items()},
            "key": self._key_tap.take(),
            "end_frame": self.frames,
            "latency_frames": self.mixed_latency_frames,
            "key_ahead_frames": self._key_ahead,
            "end_moment": self._taken,
        }

    def _take_taps(self) -> dict[str, Block]:
        """Every input's and feed's newest sound at TAP_RATE_HZ, all of the same length."""
        written = self._feeds["viewers"].tap.written
        count = min(written - self._tapped, TAP_RATE_HZ // 2)
        self._tapped = written
        return {
            **{name: strip.tap.newest(count) for name, strip in self._strips.items()},
            **{feed_station(name): feed.tap.newest(count) for name, feed in self._feeds.items()},
        }


def _voice_channels(rig: Rig) -> int:
    """How many channels run through the chain."""
    return 2 if rig.voice and rig.voice.channels == "stereo" else 1
