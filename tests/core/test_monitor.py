"""What is made of the readings that stream in: windows, their beginning anew, and empty ones."""

from typing import Any

import numpy as np
import pytest

from goshawk.core.measure.levels import PAUSE, SPEECH
from goshawk.core.observed.monitor import WINDOW_MOMENTS, Monitor
from goshawk.core.rig import Rig

STATIONS = ["microphone", "viewers/voice", "viewers/game", "viewers/music", "feed/viewers"]
HEARD = {
    "peak": 0.1,
    "reach": [0.4, 0.0, 1e-9, 0.4],
    "gains": [1.0, 0.0, 1.0, 1.0],
    "bad_samples": 0,
    "dip_db": 0.0,
}


def readings(
    count: int, peaks_dbfs: list[float], said: int, stations: list[str] = STATIONS
) -> dict[str, Any]:
    """``count`` moments, each station steady at one level (RMS 10 dB under the peak)."""
    peaks_dbfs = [*peaks_dbfs, max(peaks_dbfs)]
    peak = 10 ** (np.array(peaks_dbfs) / 20)
    moments = np.stack([(peak / 10**0.5) ** 2, peak], 1)[:, None, :].repeat(count, 1)
    return {
        "first_moment": 0,
        "stations": stations,
        "moments": moments,
        "activity": np.full(count, said, np.int8),
        "activities": {},
        "stages": {},
        "ceilings": {},
        "inputs": {"voice": HEARD if said == SPEECH else {**HEARD, "reach": [0.0] * 4}},
        "segments": np.full(count // 10, 1e-3),
        "true_peak_dbtp": -5.0,
        "stage_latency_frames": {"gate": 96},
    }


def test_figures_over_the_window() -> None:
    monitor = Monitor()
    monitor.push(readings(200, [-60, -50, -20, -26], PAUSE))
    monitor.push(readings(200, [-16, -8, -20, -26], SPEECH))
    figures = monitor.figures(Rig())
    assert figures["peaks_dbfs"] == {"voice": -8.0, "game": -20.0, "music": -26.0}
    assert figures["clearance_db"] == {"game": 12.0, "music": 18.0}
    assert figures["stage_latency_ms"] == {"gate": 2.0}
    # Measured where it arrives; the call's gain is open, but what arrives is nothing.
    assert figures["reach"] == {
        "viewers": "hears",
        "you": "closed",
        "call": "open",
        "archive": "hears",
    }
    assert monitor.stations(Rig())["microphone"].noise_floor_dbfs == pytest.approx(-70)
    assert len(monitor.history()["activity"]) == 400


def test_the_window_is_ten_seconds_and_begins_anew_when_told() -> None:
    monitor = Monitor()
    for _ in range(20):
        monitor.push(readings(100, [-16, -8, -20, -26], SPEECH))
    assert len(monitor.history()["activity"]) == WINDOW_MOMENTS
    monitor.forget()
    assert monitor.figures(Rig())["peaks_dbfs"]["voice"] is None
    monitor.push(readings(60, [-30, -22, -20, -26], SPEECH))
    assert monitor.figures(Rig())["peaks_dbfs"]["voice"] == -22.0


def test_other_stations_begin_a_new_window_and_what_plays_is_measured_while_it_plays() -> None:
    monitor = Monitor()
    monitor.push(readings(100, [-16, -8, -20, -26], SPEECH))
    longer = [*STATIONS[:1], "gate", *STATIONS[1:]]
    monitor.push(readings(100, [-16, -16, -150, -20, -26], PAUSE, longer))
    assert set(monitor.live()["peak_dbfs"]) == set(longer)
    assert len(monitor.history()["activity"]) == 100
    stations = monitor.stations(Rig())
    assert stations["microphone"].peaks_dbfs is None, "nobody speaks"
    assert stations["viewers/game"].peaks_dbfs == pytest.approx(-20)
