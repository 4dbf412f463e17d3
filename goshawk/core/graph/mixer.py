"""The whole: devices → inputs, one of them → voice chain, all → sends → the four feeds.

Made from one immutable rig. It is driven by a clock (live) or as fast as it can (offline), with the
same samples as a result. Plain inputs are delayed by the chain's latency, so that what was together
in the room is together for every listener.
"""

from typing import Any

import numpy as np

from goshawk.core.chain_slots import MOST_STAGES, LimiterSlot
from goshawk.core.dsp.delay import Delay
from goshawk.core.dsp.limiter import LimiterSettings
from goshawk.core.graph.chain import LONGEST_STAGE_LATENCY_MS, StagePlace, VoiceChain
from goshawk.core.graph.matrix import ROWS, Matrix
from goshawk.core.graph.pick import Pick
from goshawk.core.measure.levels import MomentMeter
from goshawk.core.measure.loudness import LoudnessMeter
from goshawk.core.measure.speech_activity import SpeechActivity
from goshawk.core.measure.tap import TAP_RATE_HZ, RawTap, Tap
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.core.rig import Rig
from goshawk.core.stage import Block, Floats
from goshawk.core.wiring import FEEDS, LONGEST_FEED_DELAY_MS, FeedName, FeedSettings, InputSettings
from goshawk.units import db_to_linear, ms_to_frames

MICROPHONE = "microphone"
MOST_MOMENTS = 32
"""So many moments go out with one reading at most."""


def to_viewers(input_id: str) -> str:
    """The station at which an input's part of the Viewers feed is measured."""
    return f"viewers/{input_id}"


def feed_station(feed: FeedName) -> str:
    """The station at which a whole feed is measured."""
    return f"feed/{feed}"


class _Strip:
    """A plain input's row in the matrix, and its delay."""

    def __init__(self, settings: InputSettings, row: int, delay_frames: int) -> None:
        self.row = row
        self.settings = settings
        self.pick = Pick(settings.device, settings.channels)
        longest = ms_to_frames(LONGEST_STAGE_LATENCY_MS) * MOST_STAGES
        self.delay = Delay(2, longest, delay_frames)
        self.tap = Tap()


class _Feed:
    """What follows the sum: ceiling, meter, delay. The delay is last, so that levels are not late."""

    def __init__(self, settings: FeedSettings, max_frames: int) -> None:
        self.ceiling = StagePlace(_ceiling_slot(settings), 2, max_frames)
        self.delay = Delay(2, ms_to_frames(LONGEST_FEED_DELAY_MS), ms_to_frames(settings.delay_ms))
        self.meter = MomentMeter()
        self.tap = Tap()

    def apply(self, settings: FeedSettings) -> None:
        self.ceiling.apply(_ceiling_slot(settings))
        self.delay.set_frames(ms_to_frames(settings.delay_ms))

    def process(self, block: Block) -> None:
        self.ceiling.process(block)
        self.meter.measure(block)
        self.tap.listen(block)


def _ceiling_slot(settings: FeedSettings) -> LimiterSlot:
    return LimiterSlot(
        id="ceiling",
        is_bypassed=not settings.has_ceiling,
        settings=LimiterSettings(ceiling_dbtp=settings.ceiling_dbtp),
    )


def send_gain(rig: Rig, one: InputSettings, feed: FeedName, *, is_coughing: bool = False) -> float:
    """The one gain (linear) with which an input enters a feed: send, fader, mutes and the feed's
    fader together."""
    send, settings = one.sends.to(feed), rig.feeds.of(feed)
    is_closed = (
        not send.is_heard
        or one.is_muted
        or settings.is_muted
        or (is_coughing and one.role == "voice")
        or (rig.is_on_break and feed == "viewers" and one.role != "music")
    )
    if is_closed:
        return 0.0
    fader_db = one.fader_db if send.tap == "after_fader" else 0.0
    return db_to_linear(send.level_db + fader_db + settings.fader_db)


class Mixer:
    """Everything between the devices, for blocks of up to ``max_frames``."""

    def __init__(self, rig: Rig, max_frames: int) -> None:
        self._max_frames = max_frames
        self._silence = np.zeros((max_frames, 2), np.float32)
        self._matrix = Matrix(max_frames)
        self._strips: dict[str, _Strip] = {}
        self._leaving: list[_Strip] = []
        self._feeds = {feed: _Feed(rig.feeds.of(feed), max_frames) for feed in FEEDS}
        self._activity = SpeechActivity()
        self._microphone_meter = MomentMeter()
        self._loudness = LoudnessMeter(2, max_frames)
        self._true_peak = TruePeakMeter(2, max_frames)
        self._raw = RawTap()
        self._is_coughing = False
        self._segments: list[Floats] = []
        self._taken = 0
        self._tapped = 0
        self._build_voice(rig)
        self.apply(rig, at_once=True)

    def _build_voice(self, rig: Rig) -> None:
        self._voice = np.zeros((self._max_frames, _voice_channels(rig)), np.float32)
        self.chain = VoiceChain(rig.chain, self._voice.shape[1], self._max_frames)
        self._stage_meters: dict[str, MomentMeter] = {}

    @property
    def bad_samples(self) -> dict[str, int]:
        """How many samples of each input were no numbers, by its id."""
        return {name: strip.pick.bad_samples for name, strip in self._strips.items()}

    def latency_frames(self, feed: FeedName = "viewers") -> int:
        """From an input's sample to the feed's, without the devices at either end."""
        feed_ = self._feeds[feed]
        return self.chain.latency_frames + feed_.ceiling.latency_frames + feed_.delay.frames

    def apply(self, rig: Rig, *, at_once: bool = False) -> None:
        """Take a new rig at a block boundary."""
        self.rig = rig
        if _voice_channels(rig) != self._voice.shape[1]:
            self._build_voice(rig)
        self.chain.apply(rig.chain)
        self._follow_inputs()
        self._set_gains(at_once)
        for feed in FEEDS:
            self._feeds[feed].apply(rig.feeds.of(feed))
        self._follow_latencies()

    def cough(self, is_coughing: bool) -> None:
        """Silence the voices for everyone, for as long as a key is held."""
        self._is_coughing = is_coughing
        self._set_gains(False)

    def _follow_inputs(self) -> None:
        behind = self.chain.latency_frames
        there = {one.id for one in self.rig.inputs}
        for name in [name for name in self._strips if name not in there]:
            gone = self._strips.pop(name)
            self._leaving.append(gone)
            self._matrix.set_gains(gone.row, [0.0] * len(FEEDS))
        for one in self.rig.inputs:
            if one.id not in self._strips:
                self._strips[one.id] = _Strip(one, self._free_row(), behind)
            strip = self._strips[one.id]
            strip.settings = one
            strip.pick.choose(one.device, one.channels)
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
        for strip in self._strips.values():
            gains = [
                send_gain(self.rig, strip.settings, feed, is_coughing=self._is_coughing)
                for feed in FEEDS
            ]
            self._matrix.set_gains(strip.row, gains, at_once=at_once)

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
            strip.delay.set_frames(0 if strip.settings.id == self.rig.chained else behind)
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
        voice = self._voice[:frames]
        chained = self._strips.get(self.rig.chained)
        if chained:
            chained.pick.read(sound, silence, voice)
            self._raw.listen(sound.get(chained.settings.device, silence))
            chained.tap.listen(voice)
        else:
            voice.fill(0.0)
            self._raw.listen(silence)
        self._activity.listen(voice)
        self._microphone_meter.measure(voice)
        for place in self.chain:
            place.process(voice)
            self._stage_meters[place.slot.id].measure(voice)
        for strip in (*self._strips.values(), *self._leaving):
            row = self._matrix.inputs[strip.row, :frames]
            if strip is chained:
                row[:] = voice
                continue
            strip.pick.read(sound, silence, row)
            strip.tap.listen(row)
            strip.delay.process(row)
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
        for place_in_order, feed in enumerate(self._feeds.values()):
            feed.delay.process(self._matrix.feeds[place_in_order, :frames])

    def _let_go(self) -> None:
        for strip in [one for one in self._leaving if self._matrix.is_silent(one.row)]:
            self._matrix.clear(strip.row)
            self._leaving.remove(strip)

    def feed(self, feed: FeedName, frames: int) -> Block:
        """What a listener got in the last block, shape (frames, 2); the next block overwrites it."""
        block: Block = self._matrix.feeds[FEEDS.index(feed), :frames]
        return block

    def input(self, input_id: str, frames: int) -> Block:
        """An input in the last block, ahead of its fader, shape (frames, 2); silence if there is none."""
        strip = self._strips.get(input_id)
        block: Block = self._matrix.inputs[strip.row, :frames] if strip else self._silence[:frames]
        return block

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
                }
                for name, row in rows.items()
            },
            "segments": np.concatenate(segments) if segments else np.zeros(0),
            "true_peak_dbtp": self._true_peak.take_dbtp(),
            "stage_latency_frames": {p.slot.id: p.latency_frames for p in self.chain},
            "raw": self._raw.take(),
            "taps": self._take_taps(),
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
