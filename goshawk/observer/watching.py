"""Watches over an evening: makes moments of what is heard, lets the rules look at them, gathers the seconds and the figures; and looks
whether all is ready before one goes on air."""

import asyncio
import json
from collections import deque
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
from goshawk.observer import wishes
from goshawk.observer.balance import with_holds
from goshawk.observer.figures import Figures
from goshawk.page_messages.live import Levels
from goshawk.store.sound_checks import KeptCheck
from goshawk.supervisor import Supervisor
from goshawk.timeline.readings import Readings
from goshawk.units import SAMPLE_RATE_HZ

METER_EVERY_S = 5
LOUDNESS_SEGMENTS = 600
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
        say: Callable[[wishes.FromObserver], None],
        heard: Callable[[Rig, float], HeardInputs | None],
        voice: Callable[[float], Any],
        held_db: Callable[[], dict[str, float]],
        figures: Figures,
        supervisor: Supervisor,
    ) -> None:
        self._say, self._heard, self._voice, self._held_db = say, heard, voice, held_db
        self._figures, self._supervisor = figures, supervisor
        self._evening = ""
        self.is_reading_words = False
        """Whether the index of the last seconds is being made."""
        self._words: float | None = None
        self.has_loop = False

    @property
    def is_on(self) -> bool:
        """Whether somebody is on air."""
        return bool(self._evening)

    # --- on air -----------------------------------------------------------------------------------

    @property
    def now_s(self) -> float:
        """Where the evening stands; 0 if there is none."""
        return self._maker.now_s if self._evening else 0.0

    def begin(self, watch: wishes.Watch) -> None:
        """Watch over an evening from now on."""
        try:
            self._meter = EveningMeter.unpacked(watch.meter) if watch.meter else EveningMeter()
        except ValueError:
            self._meter = EveningMeter()
        self._evening = watch.evening
        self._maker = MomentMaker(watch.offset_s)
        self._episodes = Episodes(self._is_voice, watch.last_event)
        self._segments: deque[float] = deque(maxlen=LOUDNESS_SEGMENTS)
        self._spoken: deque[float] = deque(maxlen=LOUDNESS_SEGMENTS // 10)
        self._second = int(watch.offset_s)
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
        """The evening is over; its figures, to be put down."""
        if not self._evening:
            return b""
        ended = self._episodes.end(self._maker.now_s)
        self._evening = ""
        packed = self._meter.packed()
        self._say(
            wishes.Watched(
                self._maker.now_s,
                events=[one.model_dump_json().encode() for one in ended],
                meter=packed,
                figures=self._figures_now(),
            )
        )
        return packed

    def know(self, number: int) -> None:
        """The user knows of an event."""
        event = self._episodes.know(number) if self._evening else None
        if event is not None:
            self._say(wishes.Watched(self._maker.now_s, events=[event.model_dump_json().encode()]))

    def push(self, readings: Readings, rig: Rig) -> None:
        """Take what the engine says."""
        if not self._evening:
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
        self._segments.extend(map(float, readings.segments))
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
                wishes.Watched(
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

    def _devices(self, readings: Readings, rig: Rig) -> dict[str, DeviceMoment]:
        found = {}
        now_s = self._maker.now_s
        for one in rig.inputs:
            device = readings.devices.get(one.device)
            if device is None:
                continue
            count = device.get("dropouts", 0)
            more = max(0, count - self._dropouts.get(one.id, count))
            self._dropouts[one.id] = count
            if more:
                began_s, last_s = self._dropping.get(one.device, (now_s, now_s))
                goes_on = now_s - last_s < DROPS_APART_S
                self._dropping[one.device] = (began_s if goes_on else now_s, now_s)
            found[one.id] = DeviceMoment(device.get("state", ""), device.get("said", ""), more)
        return found

    def _finished_second(self, moment: Moment) -> Second | None:
        ends_s = moment.at_s + moment.seconds
        if int(ends_s) <= self._second:
            return None
        number, self._second = self._second, int(ends_s)
        values = self._gathered.values()
        is_heard = values[columns.VIEWERS] > 0.0
        self._spoken.append(values[columns.SPEECH] if is_heard else 0.0)
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
            if index is not None and self._evening:
                self._words = index
                self._meter.push_words(index, speech_s)
        finally:
            self.is_reading_words = False

    def figured(self, levels: Levels, drift: str) -> None:
        """There are new figures: what the rules look at more slowly."""
        if not self._evening:
            return
        delays: dict[FeedName, float] = dict(levels.delay_ms)
        if not self._delay_at_start:
            self._delay_at_start = delays
        loudness = None
        spoken = sum(self._spoken) / max(1, len(self._spoken))
        if len(self._segments) >= LEAST_LOUDNESS_SEGMENTS and spoken >= LEAST_SPOKEN:
            loudness = integrated_lufs(np.array(self._segments))
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
        if levels is None or self._evening:
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
        self._say(wishes.Before(_items.dump_json(items(known))))


def voiced_hops(mono: Any) -> int:
    """How many hops of what is loud in a sound at 48 kHz, shape (frames,), have a pitch (YIN, see ``core/measure/pitch``)."""
    hops = len(mono) // HOP_FRAMES
    if not hops:
        return 0
    levels = np.sqrt(np.mean(mono[: hops * HOP_FRAMES].reshape(hops, HOP_FRAMES) ** 2, axis=1))
    loud = levels > max(1e-6, float(np.median(levels)) * 0.5)
    return int((~np.isnan(pitches_hz(mono)[:hops]) & loud).sum())
