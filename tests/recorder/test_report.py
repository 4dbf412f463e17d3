"""The report that is made from a recording, against the figures of the same evening as it was on air."""

import asyncio
from pathlib import Path

from goshawk.cli.watch import lines_of, report_of
from goshawk.core.rig import changed
from goshawk.core.watch.evening_meter import EveningMeter
from goshawk.observer.desk import Desk
from goshawk.observer.wanted import Begin, OnAir
from tests.playing import wanted_for
from tests.recorder.conftest import Evening


def test_a_recording_gives_the_report_of_its_evening(folder: Path) -> None:
    evening = Evening(folder)

    async def nothing(what: object) -> None: ...

    begin = Begin("", "", b"{}", wanted_for(evening.rig, on_air=OnAir("tonight", 0)))
    desk = Desk(evening.playing.memory, begin, lambda said: None, nothing)

    async def watch() -> None:
        while desk.take_in():
            await asyncio.sleep(0)
        while desk.watching.is_reading_words:
            await asyncio.sleep(0.002)

    def pass_by(seconds: int) -> None:
        for _ in range(seconds * 2):
            evening.pass_by(0.5)
            asyncio.run(watch())

    pass_by(40)
    other = changed(evening.rig, "inputs.game.trim_db", 3.0)
    evening.change(other)
    desk.follow(wanted_for(other, on_air=OnAir("tonight", 0)))
    pass_by(40)
    meter = EveningMeter.unpacked(desk.watching.end())
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
    assert live.intelligibility is not None
    assert abs(live.intelligibility - (found.figures.intelligibility or 9.0)) < 0.02
    assert found.events == []
    said = "\n".join(lines_of(found, history))
    assert "Above Game" in said
    assert "Next time" in said
