"""Keeps the last seconds of every station's hops, and makes the figures that are shown from them.

Runs beside the audio process, on the readings it sends: sorting a thousand hops for nine stations
has no place in the per-block path.
"""

import copy
from collections.abc import Collection
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goshawk.core.dsp import k_weighting
from goshawk.core.graph.readings import MixReadings
from goshawk.core.graph.stations import MICROPHONE, comes_in, feed_station, to_viewers
from goshawk.core.measure import loudness
from goshawk.core.measure.clearance import (
    background_peaks_dbfs,
    clearance_db,
    playing,
    voice_peaks_dbfs,
)
from goshawk.core.measure.levels import (
    HOP_MS,
    PAUSE,
    SPEECH,
    TAIL,
    StationLevels,
    hops_in_db,
    station_levels,
)
from goshawk.core.observed.time_window import TimeWindow
from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS, FeedName
from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ, SILENCE_DBFS, frames_to_ms, linear_to_db

WINDOW_S = 10.0
WINDOW_HOPS = int(WINDOW_S * 1000 / HOP_MS)
WINDOW_FRAMES = round(WINDOW_S * SAMPLE_RATE_HZ)
KEPT_SEGMENTS = 600
"""A minute of loudness segments: enough for short-term loudness and a recent integrated one."""


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 1)


FEED_WINDOW_S = 3.0


class Monitor:
    """Windows over the readings of one engine. Levels in dBFS, one row a hop."""

    def __init__(self) -> None:
        self._stations: list[str] = []
        self._hops: Floats = np.zeros((0, 0, 2))
        self._activity: NDArray[np.int8] = np.zeros(0, np.int8)
        self._activities: dict[str, NDArray[np.int8]] = {}
        self.next_hop = 0
        self._segments = np.zeros(0)
        self._true_peaks: TimeWindow[float] = TimeWindow(WINDOW_FRAMES)
        self._newest: MixReadings | None = None

    def push(self, readings: MixReadings) -> None:
        """Take what the engine says (see ``Mixer.take_readings``)."""
        hops = hops_in_db(readings.hops)
        if readings.stations != self._stations:
            self._stations = readings.stations
            self._hops = np.zeros((len(self._stations), 0, 2))
            self._activity = np.zeros(0, np.int8)
            self._activities = {}
        missing = readings.first_hop - self.next_hop
        if missing and len(self._activity):
            self._fill_gap(missing)
        self.next_hop = readings.first_hop + hops.shape[1]
        self._hops = np.concatenate([self._hops, hops], 1)[:, -WINDOW_HOPS:]
        self._activity = np.concatenate([self._activity, readings.activity])[-WINDOW_HOPS:]
        self._activities = {
            name: np.concatenate([self._activities.get(name, said[:0]), said])[-WINDOW_HOPS:]
            for name, said in readings.activities.items()
        }
        self._segments = np.concatenate([self._segments, readings.segments])[-KEPT_SEGMENTS:]
        self._true_peaks.push(readings.end_frame, readings.true_peak_dbtp)
        self._newest = readings

    def _fill_gap(self, missing: int) -> None:
        """Readings were lost: silence that counts as neither speech nor pause stands for them. After a long gap, or
        when the count began anew, all is forgotten."""
        if not 0 < missing <= WINDOW_HOPS:
            self.forget()
            return
        silence = np.full((len(self._stations), missing, 2), SILENCE_DBFS)
        self._hops = np.concatenate([self._hops, silence], 1)
        unknown = np.full(missing, TAIL, np.int8)
        self._activity = np.concatenate([self._activity, unknown])
        self._activities = {
            name: np.concatenate([said, unknown]) for name, said in self._activities.items()
        }

    @property
    def _last(self) -> MixReadings:
        assert self._newest, "nothing was pushed yet"
        return self._newest

    def forget(self) -> None:
        """Begin the window anew: what came before was another microphone, or another gain."""
        self._hops = self._hops[:, :0]
        self._activity = self._activity[:0]
        self._activities = {name: said[:0] for name, said in self._activities.items()}

    def snapshot(self) -> "Monitor":
        """The windows as they are now, for figures that are made beside them: arrays are replaced and never changed."""
        kept = copy.copy(self)
        kept._true_peaks = self._true_peaks.copy()
        return kept

    def live(self) -> dict[str, Any]:
        """The newest hops only: what moves at picture rate."""
        fresh = self._last.hops.shape[1]
        newest = self._hops[:, -fresh:] if fresh else self._hops[:, :0]
        return {
            "first_hop": self._last.first_hop,
            "activity": self._last.activity.tolist(),
            "rms_dbfs": self._by_station(newest[..., 0]),
            "peak_dbfs": self._by_station(newest[..., 1]),
            "stages": self._last.stages,
            "ceilings": self._last.ceilings,
            "inputs": {
                name: round(linear_to_db(one.peak), 1) for name, one in self._last.inputs.items()
            },
            "activities": {name: said.tolist() for name, said in self._last.activities.items()},
        }

    def history(self) -> dict[str, Any]:
        """The whole window, for a page that has just opened."""
        return {
            "activity": self._activity.tolist(),
            "activities": {name: said.tolist() for name, said in self._activities.items()},
            "rms_dbfs": self._by_station(self._hops[..., 0]),
            "peak_dbfs": self._by_station(self._hops[..., 1]),
        }

    def _by_station(self, levels: Floats) -> dict[str, list[float]]:
        rounded = np.round(levels, 1).tolist()
        return dict(zip(self._stations, rounded, strict=True))

    def _of(self, station: str) -> Floats:
        levels: Floats = self._hops[self._stations.index(station)]
        return levels

    def stations(self, rig: Rig, shown: Collection[str] = ()) -> dict[str, StationLevels]:
        """Levels at every station of the main voice's way and of the ``shown`` inputs' (by id), and of what each input
        brings to the viewers, over the window. What is no voice is measured while it plays, not while a voice speaks."""
        found = {}
        ways = {MICROPHONE: rig.chained}
        for one in rig.inputs:
            ways[to_viewers(one.id)] = one.id
            if one.id == rig.chained or one.id in shown:
                ways |= {comes_in(one.id): one.id, **{slot.id: one.id for slot in one.chain}}
        for name in self._stations:
            if name.startswith(feed_station("")):
                found[name] = station_levels(self._of(name), self._activity)
            elif name in ways:
                levels = self._of(name)
                found[name] = station_levels(levels, self._sounding(ways[name], levels, rig))
        return found

    def _sounding(self, input_id: str, levels: Floats, rig: Rig) -> NDArray[np.int8]:
        """When an input speaks, or plays."""
        if input_id == rig.chained:
            return self._activity
        own = self._activities.get(input_id)
        if own is not None and len(own) == len(levels):
            return own
        return np.where(playing(levels[:, 1]), SPEECH, PAUSE).astype(np.int8)

    def microphone(self) -> tuple[Floats, NDArray[np.int8]]:
        """The microphone's 10 ms peaks in dBFS over the window, and their activity."""
        return self._of(MICROPHONE)[:, 1], self._activity

    def levels_of(self, station: str) -> Floats:
        """A station's 10 ms RMS in dBFS over the window; empty if it is not measured."""
        return self._of(station)[:, 0] if station in self._stations else np.zeros(0)

    def around(
        self, before: str, stage_id: str, input_id: str, rig: Rig
    ) -> tuple[Floats, Floats, NDArray[np.int8]] | None:
        """RMS and peak in dBFS of every hop before and after a stage, shape (n, 2), and their activity;
        None while the stage is not measured yet."""
        if before not in self._stations or stage_id not in self._stations:
            return None
        entering = self._of(before)
        return entering, self._of(stage_id), self._sounding(input_id, entering, rig)

    def newest(self) -> tuple[Floats, NDArray[np.int8]]:
        """The microphone's peaks of the last reading alone, and their activity."""
        fresh = self._last.hops.shape[1]
        peaks, activity = self.microphone()
        return peaks[len(peaks) - fresh :], activity[len(activity) - fresh :]

    def figures(self, rig: Rig) -> dict[str, Any]:
        """Figures over the window: peaks and clearances by input, loudness, true peak."""
        voice = None
        if to_viewers(rig.chained) in self._stations:
            voice = voice_peaks_dbfs(self._of(to_viewers(rig.chained))[:, 1], self._activity)
        peaks: dict[str, float | None] = {}
        clearances: dict[str, float | None] = {}
        for one in rig.inputs:
            if one.id == rig.chained:
                peaks[one.id] = _rounded(voice)
            elif to_viewers(one.id) in self._stations:
                other = background_peaks_dbfs(self._of(to_viewers(one.id))[:, 1])
                peaks[one.id] = _rounded(other)
                clearances[one.id] = _rounded(clearance_db(voice, other))
        momentary = loudness.sliding_loudness(
            self._segments[-k_weighting.SEGMENTS_PER_BLOCK :], k_weighting.SEGMENTS_PER_BLOCK
        )
        short_term = loudness.sliding_loudness(
            self._segments[-loudness.SEGMENTS_PER_SHORT_TERM :], loudness.SEGMENTS_PER_SHORT_TERM
        )
        return {
            "peaks_dbfs": peaks,
            "clearance_db": clearances,
            "momentary_lufs": _audible(momentary),
            "short_term_lufs": _audible(short_term),
            "true_peak_dbtp": _rounded(max(self._true_peaks)),
            "stage_latency_ms": {
                name: round(frames_to_ms(frames), 2)
                for name, frames in self._last.stage_latency_frames.items()
            },
            "is_speech": bool(len(self._activity) and (self._activity[-30:] == SPEECH).any()),
            "bad_samples": {
                name: one.bad_samples for name, one in self._last.inputs.items() if one.bad_samples
            },
        }

    def feed_peaks(self) -> dict[FeedName, float]:
        """The highest peak of each whole feed in the last FEED_WINDOW_S, in dBFS."""
        recent = -int(FEED_WINDOW_S * 1000 / HOP_MS)
        found: dict[FeedName, float] = {}
        for feed in FEEDS:
            peaks = self._of(feed_station(feed))[recent:, 1]
            found[feed] = round(float(peaks.max()), 1) if len(peaks) else SILENCE_DBFS
        return found


def _audible(values: Floats) -> float | None:
    if not len(values) or values[-1] <= loudness.ABSOLUTE_GATE_LUFS:
        return None
    return round(float(values[-1]), 1)
