"""How loudly each input stands in the Viewers feed over the last half minute, and how that went for ten.

Levels are kept as they came and shown as the gains in force now make them: a fader that has just been moved counts
for the whole window, so that no figure lags behind the hand."""

import copy
from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from goshawk.core.graph.readings import MixReadings
from goshawk.core.graph.stations import to_viewers
from goshawk.core.measure.clearance import (
    background_peaks_dbfs,
    clearance_db,
    playing,
    voice_peaks_dbfs,
)
from goshawk.core.measure.levels import LEAST_HOPS, SPEECH, TAIL, hops_in_db
from goshawk.core.measure.loudness import SessionLoudness
from goshawk.core.measure.percentiles import percentiles
from goshawk.core.observed.time_window import TimeWindow
from goshawk.core.rig import Rig
from goshawk.core.rules.balance import PeaksHeard, Standing, standings
from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ, SILENCE_DBFS, linear_to_db

KEPT_HOPS = 3000
HISTORY_S = 600
WINDOWS_S = (3, 10, 30)
SECOND_HOPS = 100
LEAST_SPEECH_HOPS = 20
"""In a second with less speech, nothing is over the voice."""

OVER_PEAKS_S = 10
LIMITED_DB = 0.5
"""A ceiling that takes less than this works for nobody's ear."""

CEILING_FRAMES = 30 * SAMPLE_RATE_HZ
"""How long what the ceiling did is kept."""


class InputWindow(BaseModel):
    """One input over a window: peaks, the middle half of its levels, clearance, and how it stands by them; None if
    viewers do not hear it."""

    peaks_dbfs: float | None
    body_low_dbfs: float | None
    body_high_dbfs: float | None
    clearance_db: float | None
    standing: Standing | None


class BalanceSecond(BaseModel):
    """One second of the history: peaks of each input that sounded, and who stood over the voice while it spoke."""

    number: int
    peaks_dbfs: dict[str, float]
    over: list[str]
    speech_s: float


class Whole(BaseModel):
    """The Viewers feed since the count began, and what its ceiling did in the last half minute: how long it worked,
    its deepest reduction, and who made it work."""

    seconds: float
    integrated_lufs: float | None
    range_lu: float | None
    highest_dbtp: float | None
    limited_share_percent: float
    limited_db: float
    limited_by: str


@dataclass
class _Reading:
    limited_db: float
    by: str
    hops: int


class BalanceMeter:
    """Fed with what the engine says."""

    def __init__(self) -> None:
        self._levels: dict[str, Floats] = {}
        self._activity: NDArray[np.int8] = np.zeros(0, np.int8)
        self._gains_db: dict[str, float] = {}
        self.seconds: deque[BalanceSecond] = deque(maxlen=HISTORY_S)
        self._in_second = 0
        self._number = 0
        self._next_hop = 0
        self._ceiling: TimeWindow[_Reading] = TimeWindow(CEILING_FRAMES)
        self.forget_whole()

    def forget_whole(self) -> None:
        """Begin the count of the whole anew."""
        self._session = SessionLoudness()
        self._highest_dbtp = SILENCE_DBFS

    def forget(self) -> None:
        """What was heard before says nothing of what comes: another microphone, or recorded inputs."""
        self._levels = {}
        self._activity = self._activity[:0]

    def snapshot(self) -> "BalanceMeter":
        """What is kept as it is now, for figures that are made beside it."""
        kept = copy.copy(self)
        kept._gains_db, kept._ceiling = dict(self._gains_db), self._ceiling.copy()
        kept._session = self._session.snapshot()
        return kept

    def push(self, readings: MixReadings, rig: Rig) -> BalanceSecond | None:
        """Take a reading; a finished second of the history, if one is finished."""
        missing = readings.first_hop - self._next_hop
        if missing and len(self._activity):
            self._session.break_off()
            self._fill_gap(missing)
        hops = hops_in_db(readings.hops)
        count = hops.shape[1]
        self._next_hop = readings.first_hop + count
        self._activity = np.concatenate([self._activity, readings.activity])[-KEPT_HOPS:]
        kept: dict[str, Floats] = {}
        for name, one in readings.inputs.items():
            gain_db = linear_to_db(one.gains[0])
            fresh = hops[readings.stations.index(to_viewers(name))]
            # Shown at the gain of now; while an input is closed, there is nothing to say of its level.
            fresh = np.where(gain_db > SILENCE_DBFS, fresh - gain_db, SILENCE_DBFS)
            old = self._levels.get(name, np.zeros((0, 2)))
            length = len(self._activity)
            rows = np.concatenate([old, fresh])[-length:] if length else fresh[:0]
            before = np.full((length - len(rows), 2), SILENCE_DBFS)
            kept[name] = np.concatenate([before, rows])
            self._gains_db[name] = gain_db
        self._levels = kept
        self._push_ceiling(readings)
        self._in_second += count
        if self._in_second < SECOND_HOPS:
            return None
        self._in_second %= SECOND_HOPS
        self._number += 1
        second = self._second(rig)
        self.seconds.append(second)
        return second

    def _fill_gap(self, missing: int) -> None:
        """Readings were lost: silence that counts as neither speech nor pause stands for them."""
        if not 0 < missing <= KEPT_HOPS:
            self.forget()
            return
        self._activity = np.concatenate([self._activity, np.full(missing, TAIL, np.int8)])
        silence = np.full((missing, 2), SILENCE_DBFS)
        self._levels = {
            name: np.concatenate([rows, silence]) for name, rows in self._levels.items()
        }

    def _push_ceiling(self, readings: MixReadings) -> None:
        self._session.push(readings.segments)
        self._highest_dbtp = max(self._highest_dbtp, readings.true_peak_dbtp)
        limited_db = float(readings.ceilings["viewers"].get("gain_reduction_db", 0.0))
        reach = {name: one.reach[0] for name, one in readings.inputs.items()}
        by = max(reach, key=lambda name: reach[name], default="")
        self._ceiling.push(readings.end_frame, _Reading(limited_db, by, readings.hops.shape[1]))

    def _peaks(self, name: str, hops: int) -> Floats:
        levels: Floats = self._levels[name][-hops:, 1] + self._gains_db[name]
        return levels

    def heard(self, seconds: float = KEPT_HOPS / 100.0) -> PeaksHeard:
        """Peaks over the newest seconds, for the rules."""
        hops = round(seconds * 100)
        return PeaksHeard(
            {name: self._peaks(name, hops) for name in self._levels}, self._activity[-hops:]
        )

    def windows(self, rig: Rig) -> dict[int, dict[str, InputWindow]]:
        """Every input over every window, by its length in seconds."""
        return {seconds: self._window(rig, seconds * 100) for seconds in WINDOWS_S}

    def _window(self, rig: Rig, hops: int) -> dict[str, InputWindow]:
        activity = self._activity[-hops:]
        bodies: dict[str, tuple[float | None, float | None]] = {}
        peaks_dbfs: dict[str, float | None] = {}
        voice_dbfs = None
        if rig.chained in self._levels:
            voice_dbfs = voice_peaks_dbfs(self._peaks(rig.chained, hops), activity)
        for name, levels in self._levels.items():
            peaks = self._peaks(name, hops)
            is_voice = name == rig.chained
            sounds = activity == SPEECH if is_voice else playing(peaks)
            peaks_dbfs[name] = _rounded(voice_dbfs if is_voice else background_peaks_dbfs(peaks))
            rms = levels[-hops:, 0][sounds] + self._gains_db[name]
            bodies[name] = (None, None)
            if len(rms) >= LEAST_HOPS:
                low, high = percentiles(rms, 25, 75)
                bodies[name] = (_rounded(low), _rounded(high))
        clearances = {
            name: _rounded(clearance_db(voice_dbfs, own))
            for name, own in peaks_dbfs.items()
            if name != rig.chained
        }
        standing = standings(peaks_dbfs, clearances, rig)
        return {
            name: InputWindow(
                peaks_dbfs=own,
                body_low_dbfs=bodies[name][0],
                body_high_dbfs=bodies[name][1],
                clearance_db=clearances.get(name),
                standing=standing.get(name),
            )
            for name, own in peaks_dbfs.items()
        }

    def _second(self, rig: Rig) -> BalanceSecond:
        activity = self._activity[-SECOND_HOPS:]
        is_speech = activity == SPEECH
        peaks: dict[str, float] = {}
        over: list[str] = []
        lately = None
        if rig.chained in self._levels:
            lately = voice_peaks_dbfs(
                self._peaks(rig.chained, OVER_PEAKS_S * 100), self._activity[-OVER_PEAKS_S * 100 :]
            )
        for name in self._levels:
            own = self._peaks(name, SECOND_HOPS)
            is_voice = name == rig.chained
            sounds = own[is_speech] if is_voice else own
            if len(sounds) and float(sounds.max()) > SILENCE_DBFS + 30.0:
                peaks[name] = round(percentiles(sounds, 95)[0], 1)
            # Over the voice: its peaks reach those of the voice while it speaks.
            if is_voice or lately is None or is_speech.sum() < LEAST_SPEECH_HOPS:
                continue
            if percentiles(own[is_speech], 95)[0] > lately:
                over.append(name)
        return BalanceSecond(
            number=self._number,
            peaks_dbfs=peaks,
            over=over,
            speech_s=round(float(is_speech.sum()) / 100.0, 2),
        )

    def whole(self) -> Whole:
        """The Viewers feed since the count began."""
        session = self._session
        works = [one for one in self._ceiling if one.limited_db > LIMITED_DB]
        names = [one.by for one in works]
        hops = sum(one.hops for one in self._ceiling)
        return Whole(
            seconds=round(session.segments / 10.0, 1),
            integrated_lufs=_rounded(session.integrated_lufs()),
            range_lu=_rounded(session.range_lu()),
            highest_dbtp=_rounded(self._highest_dbtp) if session.segments else None,
            limited_share_percent=round(100.0 * sum(one.hops for one in works) / max(1, hops), 1),
            limited_db=round(max((one.limited_db for one in self._ceiling), default=0.0), 1),
            limited_by=max(set(names), key=names.count) if names else "",
        )


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(float(value), 1)
