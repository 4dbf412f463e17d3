"""What is made of the readings that stream in: windows, their beginning anew, and empty ones."""

from typing import Any

import numpy as np
import pytest

from goshawk.core.graph.readings import InputReading, MixReadings
from goshawk.core.measure.levels import PAUSE, SPEECH, TAIL
from goshawk.core.observed.monitor import WINDOW_HOPS, Monitor
from goshawk.core.rig import Rig

STATIONS = ["microphone", "viewers/voice", "viewers/game", "viewers/music", "feed/viewers"]
VOICE = InputReading(
    peak=0.1, reach=[0.4, 0.0, 1e-9, 0.4], gains=[1.0, 0.0, 1.0, 1.0], bad_samples=0
)


def readings(
    count: int,
    peaks_dbfs: list[float],
    said: int,
    stations: list[str] = STATIONS,
    first_hop: int = 0,
) -> MixReadings:
    """``count`` hops, each station steady at one level (RMS 10 dB under the peak)."""
    peaks_dbfs = [*peaks_dbfs, max(peaks_dbfs)]
    peak = 10 ** (np.array(peaks_dbfs) / 20)
    hops = np.stack([(peak / 10**0.5) ** 2, peak], 1)[:, None, :].repeat(count, 1)
    return MixReadings(
        end_frame=(first_hop + count) * 480,
        first_hop=first_hop,
        stations=stations,
        hops=hops,
        activity=np.full(count, said, np.int8),
        activities={},
        stages={},
        ceilings={},
        inputs={"voice": VOICE},
        is_replaying=False,
        segments=np.full(count // 10, 1e-3),
        true_peak_dbtp=-5.0,
        stage_latency_frames={"gate": 96},
        stage_busy_s={},
    )


def feed(monitor: Monitor, *given: Any) -> None:
    """Readings that follow those before."""
    monitor.push(readings(*given, first_hop=monitor.next_hop))


def test_lost_readings_are_silence_that_says_nothing() -> None:
    monitor = Monitor()
    feed(monitor, 200, [-16, -8, -20, -26], SPEECH)
    monitor.push(readings(100, [-16, -8, -20, -26], SPEECH, first_hop=monitor.next_hop + 30))
    said = monitor.history()["activity"]
    assert said == [SPEECH] * 200 + [TAIL] * 30 + [SPEECH] * 100
    assert monitor.stations(Rig())["microphone"].peaks_dbfs == -16.0
    monitor.push(readings(50, [-16, -8, -20, -26], SPEECH, first_hop=0))
    assert len(monitor.history()["activity"]) == 50, "another count begins anew"


def test_figures_over_the_window() -> None:
    monitor = Monitor()
    feed(monitor, 200, [-60, -50, -20, -26], PAUSE)
    feed(monitor, 200, [-16, -8, -20, -26], SPEECH)
    figures = monitor.figures(Rig())
    assert figures["peaks_dbfs"] == {"voice": -8.0, "game": -20.0, "music": -26.0}
    assert figures["clearance_db"] == {"game": 12.0, "music": 18.0}
    assert figures["stage_latency_ms"] == {"gate": 2.0}
    assert monitor.stations(Rig())["microphone"].noise_floor_dbfs == pytest.approx(-70)
    assert len(monitor.history()["activity"]) == 400


def test_the_window_is_ten_seconds_and_begins_anew_when_told() -> None:
    monitor = Monitor()
    for _ in range(20):
        feed(monitor, 100, [-16, -8, -20, -26], SPEECH)
    assert len(monitor.history()["activity"]) == WINDOW_HOPS
    monitor.forget()
    assert monitor.figures(Rig())["peaks_dbfs"]["voice"] is None
    feed(monitor, 60, [-30, -22, -20, -26], SPEECH)
    assert monitor.figures(Rig())["peaks_dbfs"]["voice"] == -22.0


def test_other_stations_begin_a_new_window_and_what_plays_is_measured_while_it_plays() -> None:
    monitor = Monitor()
    feed(monitor, 100, [-16, -8, -20, -26], SPEECH)
    longer = [*STATIONS[:1], "gate", *STATIONS[1:]]
    feed(monitor, 100, [-16, -16, -150, -20, -26], PAUSE, longer)
    assert set(monitor.live()["peak_dbfs"]) == set(longer)
    assert len(monitor.history()["activity"]) == 100
    stations = monitor.stations(Rig())
    assert stations["microphone"].peaks_dbfs is None, "nobody speaks"
    assert stations["viewers/game"].peaks_dbfs == pytest.approx(-20)
