"""The whole: microphone → voice chain, game and music → their strips, all → the Viewers feed.

Made from one immutable rig. It is driven by a clock (live) or as fast as it can (offline), with the
same samples as a result. Background inputs are delayed by the chain's latency, so that what was
together in the room is together for the viewers.
"""

from typing import Any

import numpy as np

from goshawk.core.dsp.delay import Delay
from goshawk.core.dsp.limiter import Limiter, LimiterSettings
from goshawk.core.graph.chain import LONGEST_STAGE_LATENCY_MS, VoiceChain
from goshawk.core.measure.levels import MomentMeter
from goshawk.core.measure.loudness import LoudnessMeter
from goshawk.core.measure.speech_activity import SpeechActivity
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.core.rig import MOST_STAGES, Rig
from goshawk.core.stage import Block, Floats, Glide, clean, glide, kernel
from goshawk.units import db_to_linear, ms_to_frames

MICROPHONE, VIEWERS_VOICE, VIEWERS = "microphone", "viewers_voice", "viewers"
BACKGROUND = ("game", "music")


@kernel
def _pick(source: Block, out: Block, is_sum: bool, first: int) -> None:
    """Choose the voice's channels: a sum (mean), or channels first, first + 1, …"""
    for n in range(source.shape[0]):
        for c in range(out.shape[1]):
            if is_sum:
                total = np.float32(0.0)
                for k in range(source.shape[1]):
                    total += source[n, k]
                out[n, c] = total / source.shape[1]
            else:
                out[n, c] = source[n, min(first + c, source.shape[1] - 1)]


@kernel
def _add_with_gain(
    source: Block, own: Block, mix: Block, now: Floats, between: Floats, target: Floats, a: float
) -> None:
    """own = source × gliding gain, spread over the mix's channels; mix += own."""
    for n in range(mix.shape[0]):
        glide(now, between, target, a)
        for c in range(mix.shape[1]):
            value = np.float32(source[n, min(c, source.shape[1] - 1)] * now[0])
            own[n, c] = value
            mix[n, c] += value


class _Strip:
    """An input's way into the Viewers feed: gain or mute, and a meter of what it contributes."""

    def __init__(self, max_frames: int) -> None:
        self._gain = Glide(1)
        self._own = np.zeros((max_frames, 2), np.float32)
        self.meter = MomentMeter()

    def set(self, gain_db: float, is_muted: bool) -> None:
        self._gain.set(0.0 if is_muted else db_to_linear(gain_db))

    def add(self, source: Block, mix: Block) -> None:
        g = self._gain
        own = self._own[: mix.shape[0]]
        _add_with_gain(source, own, mix, g.now, g.between, g.target, g.coefficient)
        self.meter.measure(own)


def microphone_channels(rig: Rig) -> int:
    """How many channels run through the chain."""
    trim = next((slot for slot in rig.chain if slot.stage == "trim"), None)
    return 2 if trim and trim.settings.channel == "stereo" else 1


class Mixer:
    """Everything between the devices, for blocks of up to ``max_frames``."""

    def __init__(self, rig: Rig, max_frames: int) -> None:
        self._max_frames = max_frames
        self._mix = np.zeros((max_frames, 2), np.float32)
        longest = ms_to_frames(LONGEST_STAGE_LATENCY_MS) * MOST_STAGES
        self._delays = {name: Delay(2, longest) for name in BACKGROUND}
        self._strips = {name: _Strip(max_frames) for name in (VIEWERS_VOICE, *BACKGROUND)}
        self._ceiling = Limiter(
            LimiterSettings(ceiling_dbtp=rig.viewers.ceiling_dbtp), 2, max_frames
        )
        self._activity = SpeechActivity()
        self._microphone_meter = MomentMeter()
        self._viewers_meter = MomentMeter()
        self._loudness = LoudnessMeter(2, max_frames)
        self._true_peak = TruePeakMeter(2, max_frames)
        self._segments: list[Floats] = []
        self._taken = 0
        self.bad_samples = 0
        self._build_voice(rig)
        self.apply(rig)
        for delay in self._delays.values():
            delay.reset()

    def _build_voice(self, rig: Rig) -> None:
        channels = microphone_channels(rig)
        self._voice = np.zeros((self._max_frames, channels), np.float32)
        self.chain = VoiceChain(rig.chain, channels, self._max_frames)
        self._stage_meters: dict[str, MomentMeter] = {}

    @property
    def latency_frames(self) -> int:
        """From the microphone to the Viewers feed."""
        return self.chain.latency_frames + self._ceiling.latency_frames

    @property
    def stations(self) -> list[str]:
        """Names of all meters, in the order of the level path."""
        return [MICROPHONE, *self._stage_meters, *self._strips, VIEWERS]

    def apply(self, rig: Rig) -> None:
        """Take a new rig at a block boundary."""
        self.rig = rig
        if microphone_channels(rig) != self._voice.shape[1]:
            self._build_voice(rig)
        self.chain.apply(rig.chain)
        trim = next((slot for slot in rig.chain if slot.stage == "trim"), None)
        channel = trim.settings.channel if trim else "left"
        self._is_sum, self._first = channel == "sum", 1 if channel == "right" else 0
        self._strips[VIEWERS_VOICE].set(rig.voice.fader_db, rig.voice.is_muted)
        self._strips["game"].set(rig.game.trim_db, rig.game.is_muted)
        self._strips["music"].set(rig.music.trim_db, rig.music.is_muted)
        self._ceiling.apply(LimiterSettings(ceiling_dbtp=rig.viewers.ceiling_dbtp))
        self._follow_latencies()

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
        for delay in self._delays.values():
            delay.set_frames(behind)
        for strip in self._strips.values():
            strip.meter.set_latency(behind)
        self._viewers_meter.set_latency(behind + self._ceiling.latency_frames)

    def _late_meter(self, latency_frames: int) -> MomentMeter:
        """A meter for a stage that joins while the microphone's meter is at some moment."""
        meter = MomentMeter(latency_frames)
        meter.join(self._microphone_meter)
        return meter

    def process(self, microphone: Block, game: Block, music: Block) -> Block:
        """One block of each input (frames, channels) → the Viewers feed (frames, 2), a view that
        the next call overwrites. Game and music are overwritten too."""
        frames = microphone.shape[0]
        self.bad_samples += clean(microphone)
        voice, mix = self._voice[:frames], self._mix[:frames]
        _pick(microphone, voice, self._is_sum, self._first)
        self._activity.listen(voice)
        self._microphone_meter.measure(voice)
        for place in self.chain:
            place.process(voice)
            self._stage_meters[place.slot.id].measure(voice)
        mix.fill(0.0)
        self._strips[VIEWERS_VOICE].add(voice, mix)
        for name, block in (("game", game), ("music", music)):
            self.bad_samples += clean(block)
            self._strips[name].add(self._delays[name].process(block), mix)
        self._ceiling.process(mix)
        self._viewers_meter.measure(mix)
        self._true_peak.measure(mix)
        segments = self._loudness.measure(mix)
        if len(segments):
            self._segments.append(segments)
        return mix

    def take_readings(self) -> dict[str, Any]:
        """What happened since the last call: moments of every station that all have finished
        (shape (stations, moments, 2), power and peak, linear), speech activity of the same moments,
        what each stage says of itself, loudness segments and true peak of the feed."""
        meters = [
            self._microphone_meter,
            *self._stage_meters.values(),
            *(strip.meter for strip in self._strips.values()),
            self._viewers_meter,
        ]
        finished = min(meter.finished for meter in meters)
        first = max(self._taken, finished - 32)
        count = max(0, finished - first)
        self._taken = first + count
        segments, self._segments = self._segments, []
        return {
            "first_moment": first,
            "stations": self.stations,
            "moments": np.stack([meter.moments(first, count) for meter in meters]),
            "activity": self._activity.decisions(first, count),
            "stages": {place.slot.id: place.stage.take_reading() for place in self.chain},
            "ceiling": self._ceiling.take_reading(),
            "segments": np.concatenate(segments) if segments else np.zeros(0),
            "true_peak_dbtp": self._true_peak.take_dbtp(),
            "latency_frames": self.latency_frames,
            "stage_latency_frames": {p.slot.id: p.latency_frames for p in self.chain},
            "bad_samples": self.bad_samples,
        }
