"""Every finding about the wiring, caused with the stand-ins and mended by its own button.

The whole of Goshawk but its web: devices, graph, measurements and rules, as fast as it goes.
"""

import asyncio
from typing import Any

import pytest

from goshawk.core.rig import Rig, changed_together
from goshawk.core.rig_changes import with_dismissal, with_input
from goshawk.core.rules.finding import Finding
from goshawk.engine.plan import Plan
from goshawk.observer.desk import Desk
from goshawk.observer.figures import levels_of
from goshawk.observer.wanted import Begin
from tests.conftest import RATE_HZ, rig_with
from tests.playing import Playing, engine_reading, wanted_for

SOON_S = 1.0
"""What the rig alone tells is found at once."""

BY_SOUND_S = 11.0
"""What is found by sound needs a whole window of it, with somebody speaking."""


async def _nothing(what: Any) -> None: ...


class Evening:
    """A rig that plays, and what Goshawk finds."""

    def __init__(
        self,
        rig: Rig,
        faults: tuple[tuple[str, str, float | None], ...] = (),
        block_frames: int = 1024,  # large, for speed, where delays do not matter
    ) -> None:
        self.rig = changed_together(rig, {"block_frames": block_frames})
        self.playing = Playing(Plan(rig=self.rig))
        self.loop = self.playing.loop
        begin = Begin("", "", b"{}", wanted_for(self.rig))
        self.desk = Desk(self.playing.memory, begin, lambda message: None, _nothing)
        for fault in faults:
            self.loop.rack.fault(*fault)

    def pass_by(self, seconds: float) -> dict[str, Finding]:
        """Let time pass; the findings by their code."""
        self.desk.follow(wanted_for(self.rig))
        step_s = max(0.1, 8 * self.rig.block_frames / RATE_HZ)
        for _ in range(round(seconds / step_s)):
            self.playing.pass_by(step_s)
            self.desk.take_in()
        figures = self.desk.figures
        asyncio.run(figures.listen_slowly(self.rig))
        assert self.desk.newest is not None
        levels = levels_of(figures.snapshot(self.desk.newest, self.rig))
        self.levels = levels
        return {finding.code: finding for finding in levels.findings}

    def mend(self, finding: Finding) -> None:
        """Press the finding's button."""
        assert finding.mend is not None
        self.set(finding.mend.changes)

    def set(self, changes: dict[str, Any]) -> None:
        self.rig = changed_together(self.rig, changes)
        self.playing.obey(self.loop.plan.model_copy(update={"rig": self.rig}))


def test_nothing_fires_on_the_demo() -> None:
    evening = Evening(Rig())
    for _ in range(3):
        assert evening.pass_by(8.0) == {}


SECOND_GAME = {"inputs.other_1.device": "game", "inputs.other_1.sends.viewers.is_heard": True}


@pytest.mark.parametrize(
    ("code", "changes", "words"),
    [
        ("voice_missing", {"inputs.voice.sends.viewers.is_heard": False}, "do not hear"),
        ("voice_missing", {"feeds.viewers.is_muted": True}, "do not hear"),
        ("feed_empty", {"inputs.voice.sends.call.is_heard": False}, "Call has no input"),
        ("private_heard", {"inputs.copilot.is_private": True}, "Viewers hear Co-pilot"),
        ("call_hears_itself", {"inputs.copilot.sends.call.is_heard": True}, "hears itself"),
        ("no_ceiling", {"feeds.viewers.has_ceiling": False}, "Viewers has no ceiling"),
        ("device_volume", {"devices.player.volume_db": -9.0}, "two homes"),
        ("call_processes", {"devices.call_service.has_suppression": True}, "again"),
        ("lips", {"feeds.viewers.delay_ms": 300.0}, "come apart"),
        ("lips", {"picture_delay_ms": 200.0}, "come apart"),
        ("heard_twice", SECOND_GAME, "heard twice"),
        (
            "loop_howls",
            {"feeds.you.output": "loudspeakers", "inputs.voice.sends.you.is_heard": True},
            "howl",
        ),
    ],
)
def test_what_the_rig_alone_tells(code: str, changes: dict[str, Any], words: str) -> None:
    evening = Evening(with_input(Rig(), "other"))
    evening.set(changes)
    found = evening.pass_by(SOON_S)
    # What loudspeakers bring into the room can hold the gate open, and that is said too.
    assert set(found) - {"room_holds_gate_open"} == {code}
    finding = found[code]
    assert words in finding.title
    assert finding.text.endswith(".")
    evening.mend(finding)
    assert code not in evening.pass_by(SOON_S)


LAPTOP = {
    "inputs.voice_1.device": "laptop",
    "inputs.voice_1.channels": "left",
    "inputs.voice_1.sends.viewers.is_heard": True,
}
GUEST = {**LAPTOP, "inputs.voice.device": "computer"}
"""Another voice at a microphone of its own."""

COMPUTER = {"inputs.voice_1.device": "computer", "inputs.voice_1.sends.viewers.is_heard": True}


@pytest.mark.parametrize(
    ("code", "changes", "lag_ms"),
    [
        ("heard_twice", LAPTOP, 20.0),
        pytest.param("heard_twice", COMPUTER, 0.0, marks=pytest.mark.endurance),
        pytest.param(
            "heard_twice", {"feeds.you.output": "loudspeakers"}, 9.0, marks=pytest.mark.endurance
        ),
        ("voice_returns", {"devices.call_service.sends_back": True}, 185.0),
        (
            "call_hears_itself",
            {
                "feeds.you.output": "loudspeakers",
                "devices.loudspeakers.leak_db": -6.0,
                "devices.attic.performance": "silent",
                "inputs.game.sends.you.is_heard": False,
                "inputs.music.sends.you.is_heard": False,
            },
            16.0,
        ),
    ],
)
def test_what_is_found_by_sound(code: str, changes: dict[str, Any], lag_ms: float) -> None:
    evening = Evening(with_input(Rig(), "voice"), block_frames=256)
    evening.set(changes)
    finding = evening.pass_by(BY_SOUND_S)[code]
    assert "found by sound" in finding.evidence
    lags = [pair.lag_ms for pair in evening.desk.figures._alike]
    assert any(lag == pytest.approx(lag_ms, abs=8) for lag in lags)
    evening.mend(finding)
    assert code not in evening.pass_by(BY_SOUND_S)


def test_a_loop_through_loudspeakers_is_measured_really_howls_and_is_cured() -> None:
    evening = Evening(Rig())
    evening.set(
        {
            "feeds.you.output": "loudspeakers",
            "devices.loudspeakers.leak_db": -3.0,
            "inputs.voice.sends.you.is_heard": True,
            "feeds.you.ceiling_dbtp": 0.0,
            # Each of these would hold a howl down for a while.
            **{
                f"inputs.voice.chain.{stage}.is_bypassed": True
                for stage in ("suppressor", "gate", "leveller")
            },
            "devices.attic.performance": "silent",
            **{f"inputs.{name}.sends.you.is_heard": False for name in ("game", "music", "copilot")},
        }
    )
    found = evening.pass_by(BY_SOUND_S)["loop_howls"]
    assert evening.levels.feed_peaks_dbfs["you"] > -6, "silence in the room, and it howls"
    evening.mend(found)
    quiet = evening.pass_by(6.0)
    assert "loop_howls" not in quiet
    assert evening.levels.feed_peaks_dbfs["call"] < -30


@pytest.mark.parametrize(
    ("code", "faults", "changes", "words"),
    [
        ("microphone_in_one_ear", (), {"inputs.voice.channels": "stereo"}, "in one ear"),
        ("microphone_in_one_ear", (), {"inputs.voice.channels": "right"}, "other channel"),
        ("opposite_polarity", (("attic", "invert", None),), {"inputs.voice.channels": "sum"}, ""),
        ("flat_tops", (("attic", "clip", -20.0),), {}, "clipped ahead"),
        ("constant_offset", (("attic", "dc", -30.0),), {}, "offset"),
        ("hum", (("attic", "hum", 60.0),), {}, "60 Hz"),
        ("hum", (("attic", "hum", 50.0),), {}, "50 Hz"),
        ("hum", (("laptop", "hum", 60.0),), GUEST, "Voice 2: hum at 60 Hz"),
        ("flat_tops", (("laptop", "clip", -30.0),), GUEST, "Voice 2: the voice is clipped"),
    ],
)
def test_what_is_wrong_with_the_microphone(
    code: str, faults: tuple[Any, ...], changes: dict[str, Any], words: str
) -> None:
    evening = Evening(with_input(Rig(), "voice"), faults)
    evening.set(changes) if changes else None
    finding = evening.pass_by(8.5)[code]
    assert words in finding.title
    if finding.mend:
        evening.mend(finding)
    else:
        evening.loop.rack.fault(faults[0][0], "heal", None)
        evening.desk.figures.notice_fault()
    assert code not in evening.pass_by(8.5)


@pytest.mark.parametrize(
    ("code", "fault", "seconds"),
    [
        ("device_gone", ("game", "unplug", None), SOON_S),
        ("rates_differ", ("game", "rate", 44_100.0), SOON_S),
        ("rate_untrue", ("game", "delivers", 44_100.0), 5.0),
        ("dropouts", ("game", "stall", 200.0), SOON_S),
        ("not_numbers", ("game", "nan", 100.0), SOON_S),
    ],
)
def test_what_is_wrong_with_a_device(code: str, fault: tuple[Any, ...], seconds: float) -> None:
    """It is said, the other sounds go on, and the input is still there when it is mended."""
    evening = Evening(Rig())
    evening.pass_by(SOON_S)
    evening.loop.rack.fault(*fault)
    assert code in evening.pass_by(seconds)
    assert evening.loop.take_readings(engine_reading()).inputs.keys() == {
        "voice",
        "game",
        "music",
        "copilot",
    }
    assert evening.desk.figures.monitor.feed_peaks()["viewers"] > -40
    evening.loop.rack.fault(fault[0], "heal", None)
    after = evening.pass_by(2.0)
    assert code not in after or code in ("dropouts", "not_numbers"), "these count on for a minute"


def test_a_finding_put_aside_comes_back_when_it_is_worse() -> None:
    evening = Evening(rig_with(devices__player__volume_db=-6.0))
    finding = evening.pass_by(SOON_S)["device_volume"]
    evening.rig = with_dismissal(evening.rig, finding.key, finding.badness)
    assert evening.pass_by(SOON_S) == {}
    assert evening.levels.findings_aside == 1
    evening.set({"devices.player.volume_db": -8.0})
    assert evening.pass_by(SOON_S) == {}, "a little worse is still what was accepted"
    evening.set({"devices.player.volume_db": -20.0})
    assert "device_volume" in evening.pass_by(SOON_S)


def test_the_players_level_stays_as_loud_when_its_second_home_is_cleared() -> None:
    evening = Evening(rig_with(devices__player__volume_db=-9.0))
    before = evening.pass_by(8.0)
    level = evening.levels.peaks_dbfs["music"]
    evening.mend(before["device_volume"])
    assert evening.rig.inputs[2].fader_db == -28.0
    evening.pass_by(12.0)
    assert evening.levels.peaks_dbfs["music"] == pytest.approx(level, abs=2.0)


@pytest.mark.parametrize(("device", "settle_s"), [("attic", 1.0), ("laptop", 20.0)])
def test_the_shown_delay_is_the_measured_one_on_every_feed(device: str, settle_s: float) -> None:
    evening = Evening(
        rig_with(
            inputs__voice__device=device,
            inputs__voice__sends__you__is_heard=True,
            feeds__call__delay_ms=150.0,
            devices__attic__performance="silent",
        ),
        block_frames=256,
    )
    evening.pass_by(settle_s)
    evening.loop.send_click()
    evening.pass_by(2.5)
    assert evening.levels.measured_delay_ms is not None
    for feed, shown in evening.levels.delay_ms.items():
        assert evening.levels.measured_delay_ms[feed] == pytest.approx(shown, abs=1.0)
