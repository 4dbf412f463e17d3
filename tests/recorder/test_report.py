"""The report that is made from a recording, against the figures of the same evening as it was on air."""

from pathlib import Path

from goshawk.cli.watch import lines_of, report_of
from goshawk.core.rig import changed
from goshawk.core.watch.evening_meter import EveningMeter
from goshawk.timeline.readings import ReadingsReader
from tests.recorder.conftest import Evening


def test_a_recording_gives_the_report_of_its_evening(folder: Path) -> None:
    evening, meter = Evening(folder), EveningMeter()
    readings = ReadingsReader(evening.playing.memory)

    def pass_by(seconds: int) -> None:
        for _ in range(seconds):
            evening.pass_by(1.0)
            for one in readings.read(64):
                meter.push(one, evening.plan.rig)

    pass_by(40)
    evening.change(changed(evening.rig, "inputs.game.trim_db", 3.0))
    pass_by(40)
    found, history = report_of(evening.finish())
    live = meter.figures(evening.rig)
    assert live.loudness_lufs is not None
    assert found.figures.loudness_lufs is not None
    assert abs(live.loudness_lufs - found.figures.loudness_lufs) < 0.1
    assert abs((live.true_peak_dbtp or 0.0) - (found.figures.true_peak_dbtp or 9.0)) < 0.1
    clearances = meter.clearances_db(evening.rig)
    assert clearances.keys() == found.clearances_db.keys() == {"game", "music", "copilot"}
    for name, clearance in clearances.items():
        assert abs((clearance or 0.0) - (found.clearances_db[name] or 9.0)) < 0.3, name
    assert abs(meter.seconds - found.seconds) < 1.0
    assert abs(history.seconds - found.seconds) < 1.5
    assert [list(one.settings) for one in found.changes] == [["inputs.game.trim_db"]]
    assert 0.4 < (found.figures.intelligibility or 0.0) < 0.9
    assert found.events == []
    said = "\n".join(lines_of(found, history))
    assert "Over Game" in said
    assert "Next time" in said
