"""From readings to moments: what the rules of the time on air look at, at the gains in force and without waiting for figures that
need seconds."""

from collections import deque
from collections.abc import Mapping
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from goshawk.core.graph.readings import MixReadings
from goshawk.core.graph.stations import MICROPHONE, to_viewers
from goshawk.core.measure.clearance import LEAST_HEARD_DBFS, voice_peaks_dbfs
from goshawk.core.measure.levels import HOP_FRAMES, PAUSE, SPEECH, TAIL, hops_in_db
from goshawk.core.measure.percentiles import percentiles
from goshawk.core.measure.speech_activity import TAIL_HOPS
from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS
from goshawk.core.rules.health.moment import DeviceMoment, Moment, Slow
from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ, SILENCE_DBFS, linear_to_db

LATELY_HOPS = 1000
"""The voice's peaks are those of its last ten seconds …"""

NOW_HOPS = 20
"""… and another input's those of the last fifth of a second: what covers the voice begins and ends when it does."""

MICROPHONE_HOPS = 2000
"""Longer than it takes to find that something is wrong with the microphone."""

FLAT_WITHIN_DB = 0.1
SPEAKING_HOPS = 100
REACH_HOPS = 50


class MomentMaker:
    """Fed with readings in their order. A broadcast's time is the timeline's, from its first frame on."""

    def __init__(self, began_frame: int = 0) -> None:
        """``began_frame`` is where on the timeline the broadcast's second 0 is."""
        self._began_frame = began_frame
        self._has_begun = False
        self._next_hop = 0
        self._activity: NDArray[np.int8] = np.zeros(0, np.int8)
        self._peaks: dict[str, Floats] = {}
        self._gains_db: dict[str, float] = {}
        self._reach: list[tuple[int, dict[str, float]]] = []
        self._microphone: deque[float] = deque(maxlen=MICROPHONE_HOPS)

    @property
    def now_s(self) -> float:
        """Where in the broadcast the next reading begins, in seconds; 0 before the first."""
        if not self._has_begun:
            return 0.0
        return max(0.0, (self._next_hop * HOP_FRAMES - self._began_frame) / SAMPLE_RATE_HZ)

    def push(
        self,
        readings: MixReadings,
        rig: Rig,
        devices: Mapping[str, DeviceMoment] | None = None,
        slow: Slow | None = None,
        playing: str = "devices",
    ) -> Moment | None:
        """What a reading comes to; None of one without a whole hop."""
        hops = hops_in_db(readings.hops)
        count = hops.shape[1]
        if not count:
            return None
        if (readings.first_hop + count) * HOP_FRAMES <= self._began_frame:
            return None  # It was before the broadcast.
        if not self._has_begun:
            self._has_begun, self._next_hop = True, readings.first_hop
        gap = readings.first_hop - self._next_hop
        if gap < 0:
            return None  # It was there already.
        if gap > 0:
            self._fill(gap)
        self._next_hop = readings.first_hop
        at_s = self.now_s
        self._next_hop += count
        self._activity = np.concatenate([self._activity, readings.activity])[-LATELY_HOPS:]
        self._keep_peaks(readings, hops)
        if rig.voice:
            self._microphone.extend(hops[readings.stations.index(MICROPHONE), :, 1].tolist())
        voice = readings.inputs.get(rig.chained)
        gains = voice.gains if voice else [0.0] * len(FEEDS)
        self._reach.append(
            (self._next_hop, dict(zip(FEEDS, voice.reach if voice else [0.0] * 4, strict=True)))
        )
        while len(self._reach) > 1 and self._next_hop - self._reach[0][0] > REACH_HOPS:
            self._reach.pop(0)
        ceiling_db = float(readings.ceilings["viewers"].get("gain_reduction_db", 0.0))
        return Moment(
            at_s=at_s,
            seconds=count / 100.0,
            speech_s=self._speech_s(count),
            is_speaking=bool((self._activity[-SPEAKING_HOPS:] == SPEECH).any()),
            open={
                feed: linear_to_db(gain) > LEAST_HEARD_DBFS
                for feed, gain in zip(FEEDS, gains, strict=True)
            },
            reach_dbfs={
                feed: linear_to_db(max(then[feed] for _, then in self._reach)) for feed in FEEDS
            },
            microphone_dbfs=(
                max(islice(reversed(self._microphone), count)) if rig.voice else SILENCE_DBFS
            ),
            ceiling_db=ceiling_db,
            over_db=self._over(rig),
            devices=dict(devices or {}),
            missed_s=gap / 100.0,
            playing="replay" if readings.is_replaying else playing,
            slow=slow or Slow(),
        )

    def _speech_s(self, count: int) -> float:
        """Of the newest hops, those of speech, and of the short rests within words that follow it."""
        recent = self._activity[-(count + TAIL_HOPS) :] == SPEECH
        near = np.convolve(recent, np.ones(TAIL_HOPS + 1))[: len(recent)] > 0.0
        said = near[-count:] & (self._activity[-count:] != PAUSE)
        return float(said.sum()) / 100.0

    def flat_since_s(self, level_dbfs: float) -> float | None:
        """Where in the evening the microphone reached a level that it has not gone beyond since; None if that is too long ago."""
        peaks = list(self._microphone)
        above = [n for n, peak in enumerate(peaks) if peak > level_dbfs + FLAT_WITHIN_DB]
        first = above[-1] + 1 if above else 0
        for n in range(first, len(peaks)):
            if peaks[n] > level_dbfs - FLAT_WITHIN_DB:
                return self.now_s - (len(peaks) - n) / 100.0
        return None

    def _fill(self, gap: int) -> None:
        """Readings were lost, or nobody made any: silence that counts as neither speech nor pause."""
        self._microphone.extend([SILENCE_DBFS] * min(gap, MICROPHONE_HOPS))
        if gap >= LATELY_HOPS:
            self._activity, self._peaks, self._reach = self._activity[:0], {}, []
            return
        unknown = np.full(gap, TAIL, np.int8)
        self._activity = np.concatenate([self._activity, unknown])[-LATELY_HOPS:]
        silence = np.full(gap, SILENCE_DBFS)
        self._peaks = {
            name: np.concatenate([rows, silence])[-LATELY_HOPS:]
            for name, rows in self._peaks.items()
        }

    def _keep_peaks(self, readings: MixReadings, hops: Floats) -> None:
        kept: dict[str, Floats] = {}
        length = len(self._activity)
        for name, one in readings.inputs.items():
            gain_db = linear_to_db(one.gains[0])
            fresh = hops[readings.stations.index(to_viewers(name)), :, 1]
            # As loud as the gain of now makes them: a figure follows the hand at once.
            fresh = np.where(gain_db > SILENCE_DBFS, fresh - gain_db, SILENCE_DBFS)
            old = self._peaks.get(name, np.zeros(0))
            rows = np.concatenate([old, fresh])[-length:]
            kept[name] = np.concatenate([np.full(length - len(rows), SILENCE_DBFS), rows])
            self._gains_db[name] = gain_db
        self._peaks = kept

    def _over(self, rig: Rig) -> dict[str, float | None]:
        voice = None
        if rig.chained in self._peaks:
            own = self._peaks[rig.chained] + self._gains_db[rig.chained]
            voice = voice_peaks_dbfs(own, self._activity)
        found: dict[str, float | None] = {}
        for name, rows in self._peaks.items():
            if name == rig.chained:
                continue
            now = percentiles(rows[-NOW_HOPS:] + self._gains_db[name], 95.0)[0]
            is_there = voice is not None and now > LEAST_HEARD_DBFS
            found[name] = voice - now if is_there and voice is not None else None
        return found
