"""The figures of a whole evening, at a cost that does not grow with it: loudness, true peak, clearances, intelligibility. All of it
can be put down and taken up again, so that a restart forgets nothing."""

import json
import zlib
from typing import Any

import numpy as np

from goshawk.core.graph.readings import MixReadings
from goshawk.core.graph.stations import to_viewers
from goshawk.core.measure.clearance import (
    LEAST_HEARD_DBFS,
    PEAKS_PERCENTILE,
    PLAYING_DBFS,
    PLAYING_RANGE_DB,
)
from goshawk.core.measure.levels import LEAST_HOPS, SPEECH, hops_in_db
from goshawk.core.measure.loudness import SessionLoudness
from goshawk.core.recording.document import Figures
from goshawk.core.rig import Rig
from goshawk.core.stage import Floats
from goshawk.units import SILENCE_DBFS

BIN_DB = 0.05
LOWEST_DBFS = -120.0
BINS = round(132.0 / BIN_DB)
"""Peaks from −120 to +12 dBFS."""


class _Peaks:
    """How often each peak was there."""

    def __init__(self, counts: Any = None) -> None:
        self.counts = np.zeros(BINS, np.int64) if counts is None else np.asarray(counts, np.int64)

    def add(self, peaks_dbfs: Floats) -> None:
        places = np.clip(((peaks_dbfs - LOWEST_DBFS) / BIN_DB).astype(int), 0, BINS - 1)
        np.add.at(self.counts, places, 1)

    def percentile(self, wanted: float, above_dbfs: float = LOWEST_DBFS - 1.0) -> float | None:
        """Of the peaks above a level; None from less than half a second of them."""
        first = max(0, int(np.ceil((above_dbfs - LOWEST_DBFS) / BIN_DB)))
        counts = self.counts[first:]
        so_far = np.cumsum(counts)
        if not len(so_far) or so_far[-1] < LEAST_HOPS:
            return None
        place = int(np.searchsorted(so_far, wanted / 100.0 * so_far[-1]))
        return LOWEST_DBFS + (first + place + 0.5) * BIN_DB


class EveningMeter:
    """Fed with readings; ``words`` takes the index of pieces of speech, by their seconds of speech."""

    def __init__(self) -> None:
        self._loudness = SessionLoudness()
        self._peaks: dict[str, _Peaks] = {}
        self._true_peak_dbtp = SILENCE_DBFS
        self._words, self._words_s = 0.0, 0.0
        self.seconds = 0.0
        self.speech_s = 0.0
        self._next_hop = 0

    def push(self, readings: MixReadings, rig: Rig) -> None:
        """Take what was heard."""
        hops = hops_in_db(readings.hops)
        if readings.first_hop != self._next_hop:
            self._loudness.break_off()
        self._next_hop = readings.first_hop + hops.shape[1]
        self.seconds += hops.shape[1] / 100.0
        is_speech = readings.activity == SPEECH
        self.speech_s += float(is_speech.sum()) / 100.0
        for name in readings.inputs:
            peaks = hops[readings.stations.index(to_viewers(name)), :, 1]
            kept = self._peaks.setdefault(name, _Peaks())
            kept.add(peaks[is_speech] if name == rig.chained else peaks)
        self._loudness.push(readings.segments)
        self._true_peak_dbtp = max(self._true_peak_dbtp, readings.true_peak_dbtp)

    def push_words(self, index: float, speech_s: float) -> None:
        """The Speech Intelligibility Index of a piece, with its seconds of speech."""
        self._words += index * speech_s
        self._words_s += speech_s

    def clearances_db(self, rig: Rig) -> dict[str, float | None]:
        """Voice peaks in speech minus those of each other input while it played, over the evening."""
        voice = self.voice_peaks_dbfs(rig)
        found: dict[str, float | None] = {}
        for one in rig.inputs:
            if one.id == rig.chained or one.id not in self._peaks:
                continue
            peaks = self._peaks[one.id]
            own = peaks.percentile(PEAKS_PERCENTILE, PLAYING_DBFS)
            if own is not None:
                own = peaks.percentile(PEAKS_PERCENTILE, own - PLAYING_RANGE_DB)
            found[one.id] = None if voice is None or own is None else round(voice - own, 2)
        return found

    def voice_peaks_dbfs(self, rig: Rig) -> float | None:
        """Of the voice in speech, while viewers heard it."""
        peaks = self._peaks.get(rig.chained)
        found = peaks.percentile(PEAKS_PERCENTILE, LEAST_HEARD_DBFS) if peaks else None
        return None if found is None else round(found, 2)

    def figures(self, rig: Rig) -> Figures:
        """What there is to say so far."""
        loudness = self._loudness.integrated_lufs()
        clearances = self.clearances_db(rig)
        game = next((one.id for one in rig.inputs if one.role == "game"), "")
        return Figures(
            loudness_lufs=None if loudness is None else round(loudness, 2),
            true_peak_dbtp=(
                round(self._true_peak_dbtp, 2) if self._true_peak_dbtp > SILENCE_DBFS else None
            ),
            clearance_db=clearances.get(game),
            intelligibility=round(self._words / self._words_s, 3) if self._words_s else None,
        )

    def packed(self) -> bytes:
        """All of it, to be put down."""
        state = {
            "loudness": self._loudness.state(),
            "peaks": {name: _sparse(one.counts) for name, one in self._peaks.items()},
            "true_peak_dbtp": self._true_peak_dbtp,
            "words": [self._words, self._words_s],
            "seconds": [self.seconds, self.speech_s],
        }
        return zlib.compress(json.dumps(state, separators=(",", ":")).encode())

    @classmethod
    def unpacked(cls, packed: bytes) -> "EveningMeter":
        """What was put down. Raises ValueError of what is none."""
        try:
            state = json.loads(zlib.decompress(packed))
            meter = cls()
            meter._loudness = SessionLoudness.of_state(state["loudness"])
            meter._peaks = {name: _Peaks(_dense(one)) for name, one in state["peaks"].items()}
            meter._true_peak_dbtp = float(state["true_peak_dbtp"])
            meter._words, meter._words_s = map(float, state["words"])
            meter.seconds, meter.speech_s = map(float, state["seconds"])
        except (zlib.error, KeyError, TypeError, IndexError) as error:
            raise ValueError("the figures of an evening are damaged") from error
        return meter


def _sparse(counts: Any) -> list[list[int]]:
    places = np.flatnonzero(counts)
    return [places.tolist(), counts[places].tolist()]


def _dense(sparse: list[list[int]]) -> Any:
    counts = np.zeros(BINS, np.int64)
    counts[np.array(sparse[0], int)] = sparse[1]
    return counts
