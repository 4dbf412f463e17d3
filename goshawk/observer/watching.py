"""Watches over an evening: makes moments of what is heard, lets the rules look at them, gathers the seconds and the figures; and looks
whether all is ready before one goes on air."""

import asyncio
import json
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import numpy as np
from pydantic import TypeAdapter

from goshawk.core.device_info import info_of
from goshawk.core.graph.pick import picked
from goshawk.core.graph.stations import MICROPHONE
from goshawk.core.measure.levels import HOP_FRAMES, SPEECH
from goshawk.core.measure.loudness import integrated_lufs
from goshawk.core.measure.pitch import pitches_hz
from goshawk.core.mix import HeardInputs
from goshawk.core.observed.moments import MomentMaker
from goshawk.core.observed.time_window import TimeWindow
from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS, FeedName
from goshawk.core.rules.finding import Finding
from goshawk.core.rules.health.episodes import Episodes
from goshawk.core.rules.health.moment import DeviceMoment, Moment, Slow
from goshawk.core.rules.health.rules import HealthRule
from goshawk.core.rules.sentences import feed_sentence
from goshawk.core.rules.sound_check.since import drift_of
from goshawk.core.watch import second as columns
from goshawk.core.watch.before import Item, Known, items
from goshawk.core.watch.evening_meter import EveningMeter
from goshawk.core.watch.gathered import (
    WORDS_EVERY_S,
    Gathered,
    figures_of_second,
    spoken_s,
    words_of,
)
from goshawk.core.watch.second import Second
from goshawk.observer import requests
from goshawk.observer.balance import with_holds
from goshawk.observer.figures import LiveFigures
from goshawk.observer.wanted import OnAir, Resumed
from goshawk.page_messages.live import Levels
from goshawk.store.sound_checks import KeptCheck
from goshawk.supervisor import Supervisor
from goshawk.timeline.readings import EngineReadings
from goshawk.units import SAMPLE_RATE_HZ

METER_EVERY_S = 5
LOUDNESS_FRAMES = 60 * SAMPLE_RATE_HZ
"""A minute: what was loud before that would hide, by the relative gate, that it is no more."""

LEAST_LOUDNESS_SEGMENTS = 300
LEAST_SPOKEN = 0.15
"""A whole in which nobody speaks, or that is on a break, is no softer than it should be."""

VOICED_S = 6.0
LEAST_VOICED_HOPS = 20
"""In six seconds with three of speech more than a hundred hops have a pitch; with keys alone, no more than six."""

LEAST_VOICED_S = 3.0
DROPS_APART_S = 5.0
"""Dropouts no further apart belong together: a device that runs at another rate than it says begins with one."""

_items = TypeAdapter(list[Item])


class Watching:
    """Owns the evening that is watched over, if one is. ``say`` sends to the web process; ``heard`` gives the newest seconds of all
    inputs, ``voice`` those of the main voice's device as they came."""

    def __init__(
        self,
        say: Callable[[requests.FromObserver], None],
        heard: Callable[[Rig, float], HeardInputs | None],
        voice: Callable[[float], Any],
        held_db: Callable[[], dict[str, float]],
        figures: LiveFigures,
        supervisor: Supervisor,
    ) -> None:
        self._say, self._heard, self._voice, self._held_db = say, heard, voice, held_db
        self._figures, self._supervisor = figures, supervisor
        self._on_air: OnAir | None = None
        self.is_reading_words = False
        """Whether the index of the last seconds is being made."""
        self._words: float | None = None
        self.has_loop = False

    @property
    def broadcast(self) -> str:
        """The id of the broadcast that is watched over; "" if there is none."""
        return self._on_air.id if self._on_air else ""

    @property
    def is_on(self) -> bool:
        """Whether somebody is on air."""
        return self._on_air is not None

    # --- on air -----------------------------------------------------------------------------------

    @property
    def now_s(self) -> float:
        """Where the evening stands; 0 if there is none."""
        return self._maker.now_s if self._on_air else 0.0

    @property
    def began_frame(self) -> int:
        """Where on the timeline the broadcast's second 0 is; 0 if there is none."""
        return self._on_air.began_frame if self._on_air else 0

    def begin(self, on_air: OnAir, resumed: Resumed | None = None) -> None:
        """Watch over a broadcast from now on; ``resumed`` says how far it was, if it is gone on with."""
        known = resumed if resumed and resumed.broadcast == on_air.id else None
        try:
            self._meter = (
                EveningMeter.unpacked(known.meter) if known and known.meter else EveningMeter()
            )
        except ValueError:
            self._meter = EveningMeter()
        self._on_air = on_air
        self._dismissed: set[int] = set()
        self._maker = MomentMaker(on_air.began_frame)
        self._episodes = Episodes(self._is_voice, known.last_event if known else 0)
        self._segments: TimeWindow[float] = TimeWindow(LOUDNESS_FRAMES)
        self._spoken: TimeWindow[float] = TimeWindow(LOUDNESS_FRAMES)
        self._second: int | None = None
        self._gathered = Gathered()
        self._dropouts: dict[str, int] = {}
        self._dropping: dict[str, tuple[float, float]] = {}
        """By the device: since when it drops out, and when it did so last."""
        self._delay_at_start: dict[FeedName, float] = {}
        self._slow = Slow()
        self._rig = Rig()
        self._at_once: set[int] = set()
        self._words = None

    def end(self) -> bytes:
        """The broadcast is over: what lasts ends, and its figures are said, and returned as they are put down."""
        if self._on_air is None:
            return b""
        packed = self._meter.packed()
        ended = self._episodes.end(self._maker.now_s)
        self._say(
            requests.Watched(
                self.broadcast,
                self._maker.now_s,
                events=[one.model_dump_json().encode() for one in ended],
                meter=packed,
                figures=self._figures_now(),
            )
        )
        self._on_air = None
        return packed

    def dismiss(self, number: int) -> None:
        """The user knows of an event: it is alerted no more. Once is enough."""
        if self._on_air is None or number in self._dismissed:
            return
        self._dismissed.add(number)
        event = self._episodes.know(number)
        if event is not None:
            packed = event.model_dump_json().encode()
            self._say(requests.Watched(self.broadcast, self._maker.now_s, events=[packed]))

    def push(self, readings: EngineReadings, rig: Rig) -> None:
        """Take what the engine says."""
        if self._on_air is None:
            return
        self._rig = rig
        moment = self._maker.push(
            readings,
            rig,
            self._devices(readings, rig),
            self._slow,
            "loop" if self.has_loop else "devices",
        )
        if moment is None:
            return
        if not readings.is_replaying:
            self._meter.push(readings, rig)
        for segment in readings.segments:
            self._segments.push(readings.end_frame, float(segment))
        self._gathered.push(moment)
        events = self._episodes.push(moment, rig)
        begun = [
            one for one in events if one.told_s is not None and one.number not in self._at_once
        ]
        self._at_once.update(one.number for one in begun)
        # One at a time: what stands first of all that lasts.
        lasting = self._episodes.lasting
        aloud = lasting[0].rule if begun and lasting and lasting[0] in begun else ""
        second = self._finished_second(moment)
        if events or second or aloud:
            is_due = second is not None and second.number % METER_EVERY_S == 0
            self._say(
                requests.Watched(
                    self.broadcast,
                    round(self._maker.now_s, 2),
                    second.model_dump_json().encode() if second else b"",
                    [one.model_dump_json().encode() for one in events],
                    self._meter.packed() if is_due else b"",
                    self._figures_now() if is_due else b"",
                    aloud,
                )
            )

    def _figures_now(self) -> bytes:
        found = {
            "figures": self._meter.figures(self._rig).model_dump(mode="json"),
            "clearances_db": self._meter.clearances_db(self._rig),
            "voice_peaks_dbfs": self._meter.voice_peaks_dbfs(self._rig),
            "speech_s": round(self._meter.speech_s, 1),
        }
        return json.dumps(found, separators=(",", ":")).encode()

    def _devices(self, readings: EngineReadings, rig: Rig) -> dict[str, DeviceMoment]:
        found: dict[str, DeviceMoment] = {}
        more: dict[str, int] = {}
        for one in rig.inputs:
            device = readings.devices.get(one.device)
            if device is None:
                continue
            if one.device not in more:
                more[one.device] = self._new_dropouts(one.device, device.get("dropouts", 0))
            state, said = device.get("state", ""), device.get("said", "")
            found[one.id] = DeviceMoment(state, said, more[one.device])
        return found

    def _new_dropouts(self, device: str, count: int) -> int:
        """How often a device dropped out since the last reading; a count that goes back began anew."""
        now_s = self._maker.now_s
        more = max(0, count - self._dropouts.get(device, count))
        self._dropouts[device] = count
        if more:
            began_s, last_s = self._dropping.get(device, (now_s, now_s))
            goes_on = now_s - last_s < DROPS_APART_S
            self._dropping[device] = (began_s if goes_on else now_s, now_s)
        return more

    def _finished_second(self, moment: Moment) -> Second | None:
        ends_s = moment.at_s + moment.seconds
        if self._second is None:
            self._second = int(moment.at_s)
        if int(ends_s) <= self._second:
            return None
        number, self._second = self._second, int(ends_s)
        values = self._gathered.values()
        is_heard = values[columns.VIEWERS] > 0.0
        frame = self.began_frame + round(ends_s * SAMPLE_RATE_HZ)
        self._spoken.push(frame, values[columns.SPEECH] if is_heard else 0.0)
        self._gathered = Gathered()
        levels = self._figures.levels
        if levels is not None:
            values |= figures_of_second(
                levels.clearance_db,
                levels.peaks_dbfs.get(self._rig.chained),
                levels.short_term_lufs,
            )
        if self._words is not None:
            values[columns.WORDS] = self._words
        if number % WORDS_EVERY_S == 0:
            self._read_words()
        return Second(number=number, values=values)

    def _read_words(self) -> None:
        """Have the index of the last ten seconds made, unless the last one is not made yet: figures give way."""
        heard = None if self.is_reading_words else self._heard(self._rig, WORDS_EVERY_S)
        speech_s = spoken_s(heard)
        if heard is None or not speech_s:
            return
        self.is_reading_words = True
        rig = with_holds(self._rig, self._held_db())
        self._supervisor.once("following words", self._words_of(rig, heard, speech_s))

    async def _words_of(self, rig: Rig, heard: HeardInputs, speech_s: float) -> None:
        try:
            index = await asyncio.to_thread(words_of, rig, heard)
            if index is not None and self._on_air:
                self._words = index
                self._meter.push_words(index, speech_s)
        finally:
            self.is_reading_words = False

    def figured(self, levels: Levels, drift: str) -> None:
        """There are new figures: what the rules look at more slowly."""
        if self._on_air is None:
            return
        delays: dict[FeedName, float] = dict(levels.delay_ms)
        if not self._delay_at_start:
            self._delay_at_start = delays
        loudness = None
        spoken = sum(self._spoken) / max(1, len(self._spoken))
        if len(self._segments) >= LEAST_LOUDNESS_SEGMENTS and spoken >= LEAST_SPOKEN:
            loudness = integrated_lufs(np.array(list(self._segments)))
        self._slow = Slow(
            tuple(levels.findings),
            self._since(levels.findings),
            drift,
            loudness,
            delays,
            self._delay_at_start,
        )

    def _since(self, findings: list[Finding]) -> dict[str, float]:
        """Since when that is so which only many seconds show."""
        found: dict[str, float] = {}
        for one in findings:
            since_s = self._slow.since_s.get(one.key)
            if since_s is None and one.key == f"flat_tops:{self._rig.chained}":
                since_s = self._maker.flat_since_s(-one.badness)
            elif since_s is None and one.code == "rate_untrue":
                since_s, _ = self._dropping.get(one.key.partition(":")[2], (None, 0.0))
            if since_s is not None:
                found[one.key] = since_s
        return found

    def _is_voice(self, rule: HealthRule) -> bool:
        """Whether what counts as speech has a voice's pitch."""
        sound = self._voice(VOICED_S)
        voice = self._rig.voice
        if voice is None:
            return False
        heard_s = len(sound) / SAMPLE_RATE_HZ
        if heard_s < LEAST_VOICED_S:
            return (
                True  # It was lost on its way: a warning too many does less harm than one too few.
            )
        mono = picked(sound, voice.channels)[:, 0].astype(np.float64)
        return voiced_hops(mono) >= LEAST_VOICED_HOPS * heard_s / VOICED_S

    # --- before -----------------------------------------------------------------------------------

    def look_before(
        self,
        rig: Rig,
        levels: Levels | None,
        check: KeptCheck | None,
        words: float | None,
    ) -> None:
        """Say what must be true and is or is not."""
        if levels is None or self._on_air:
            return
        voice = rig.voice
        status = levels.devices.get(voice.device) if voice else None
        microphone = levels.stations.get(MICROPHONE)
        _, activity = self._figures.monitor.microphone()
        known = Known(
            rig=rig,
            microphone=microphone,
            device_state=status.state if status else "",
            device_title=info_of(self._figures.known(rig), voice.device).label if voice else "",
            check_made=datetime.fromtimestamp(check.kept_at, UTC) if check else None,
            check_drift=drift_of(check.figures, microphone) if check and microphone else "",
            now=datetime.now(UTC),
            findings=levels.findings,
            reach=self._figures.reach.all(),
            sentences={feed: feed_sentence(rig, feed) for feed in FEEDS},
            speech_s=float((activity == SPEECH).sum()) / 100.0,
            voice_peaks_dbfs=levels.peaks_dbfs.get(rig.chained),
            clearances_db=levels.clearance_db,
            words=words,
            loudness_lufs=levels.balance.whole.integrated_lufs if levels.balance.whole else None,
            delay_ms=levels.delay_ms.get("viewers"),
            late_in_last_minute=levels.engine.late_in_last_minute,
        )
        self._say(requests.Before(_items.dump_json(items(known))))


def voiced_hops(mono: Any) -> int:
    """How many hops of what is loud in a sound at 48 kHz, shape (frames,), have a pitch (YIN, see ``core/measure/pitch``)."""
    hops = len(mono) // HOP_FRAMES
    if not hops:
        return 0
    levels = np.sqrt(np.mean(mono[: hops * HOP_FRAMES].reshape(hops, HOP_FRAMES) ** 2, axis=1))
    loud = levels > max(1e-6, float(np.median(levels)) * 0.5)
    return int((~np.isnan(pitches_hz(mono)[:hops]) & loud).sum())
