"""Every rule of the time on air, caused with the stand-ins: it begins, is told once, ends, and says when; and it stays quiet where it
must. The whole of Goshawk but its web, as fast as it goes."""

import asyncio
import json
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pyloudnorm
import pytest
import soundfile
from scipy.signal import fftconvolve

from goshawk.core.graph.stations import RAW
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.rig import Rig, changed_together
from goshawk.core.rules.health.event import Event
from goshawk.core.rules.health.moment import Moment
from goshawk.core.watch.evening_meter import EveningMeter
from goshawk.engine.plan import Plan
from goshawk.errors import BadInput
from goshawk.observer import requests, wanted
from goshawk.observer.desk import Desk
from goshawk.observer.figures import levels_of
from tests.conftest import RATE_HZ
from tests.playing import Playing, wanted_for

FIGURES_EVERY_S = 1.0


async def _nothing(what: Any) -> None: ...


class OnAir:
    """A rig that plays, on air from the beginning."""

    def __init__(self, rig: Rig | None = None, hears_slowly: bool = False) -> None:
        self.rig = changed_together(rig or Rig(), {"block_frames": 1024})
        self.number = 1
        self.playing = Playing(Plan(number=1, rig=self.rig))
        self.events: dict[int, Event] = {}
        self.told: list[str] = []
        self.seconds: list[dict[str, float]] = []
        self.now_s = 0.0
        self._hears_slowly = hears_slowly
        self.drift = ""
        self.watched = wanted.OnAir("tonight", 0)
        begin = wanted.Begin("", "", b"{}", wanted_for(self.rig, on_air=self.watched))
        self.desk = Desk(self.playing.memory, begin, self._hear, _nothing)

    def _hear(self, said: requests.FromObserver) -> None:
        if isinstance(said, requests.Watched):
            self.now_s = said.at_s
            self.told += [said.aloud] if said.aloud else []
            for packed in said.events:
                one = Event.model_validate_json(packed)
                self.events[one.number] = one
            if said.second:
                self.seconds.append(json.loads(said.second)["values"])

    def _tell(self) -> None:
        self.desk.follow(wanted_for(self.rig, on_air=self.watched))

    @property
    def at_s(self) -> float:
        """Where the evening stands."""
        return self.desk.watching.now_s

    def change(self, changes: dict[str, Any]) -> float:
        """Other settings from now on; when that was."""
        self.rig = changed_together(self.rig, changes)
        self.number += 1
        self.playing.obey(Plan(number=self.number, rig=self.rig))
        self._tell()
        return self.at_s

    def pass_by(self, seconds: float) -> float:
        """Let time pass; where the evening stands."""
        asyncio.run(self._pass_by(seconds))
        return self.at_s

    async def _pass_by(self, seconds: float) -> None:
        for n in range(round(seconds * 10)):
            self.playing.pass_by(0.1)
            self.desk.take_in()
            while self.desk.watching.is_reading_words:
                await asyncio.sleep(0.002)
            if n % round(FIGURES_EVERY_S * 10) == 0 and self.desk.newest is not None:
                figures = self.desk.figures
                if self._hears_slowly:
                    await figures.listen_slowly(self.rig)
                levels = levels_of(figures.snapshot(self.desk.newest, self.rig))
                figures.levels = levels
                self.desk.watching.figured(levels, self.drift)

    def of(self, rule: str) -> list[Event]:
        return [one for one in self.events.values() if one.rule == rule]


def keeping_moments(on_air: OnAir) -> list[Moment]:
    """Every moment that is made from now on."""
    maker, kept = on_air.desk.watching._maker, []
    push = maker.push

    def keep(*given: Any) -> Moment | None:
        moment = push(*given)
        if moment is not None:
            kept.append(moment)
        return moment

    maker.push = keep  # type: ignore[method-assign]
    return kept


def keeping_sound(on_air: OnAir, name: str) -> list[np.ndarray]:
    """Every block of a sound that is played from now on."""
    kept: list[np.ndarray] = []
    loop = on_air.playing.loop
    publish = loop.publish

    def keep(writer: Any) -> None:
        kept.append(loop.sound(name)[0].copy())
        publish(writer)

    loop.publish = keep  # type: ignore[method-assign]
    return kept


def test_a_moment_of_the_last_minutes_is_heard_as_viewers_got_it_or_as_it_was_said(
    tmp_path: Path,
) -> None:
    on_air = OnAir()
    on_air.watched = wanted.OnAir("gone on with", -300 * RATE_HZ)
    on_air._tell()
    played = {"was": keeping_sound(on_air, "viewers"), "came": keeping_sound(on_air, RAW)}
    on_air.pass_by(4.0)
    on_air.change({"inputs.voice.is_muted": True})
    on_air.pass_by(8.0)
    (event,) = on_air.of("talk_unheard")
    assert event.heard_as == "came"

    def hear(way: str, from_s: float) -> np.ndarray:
        target = tmp_path / f"{way}.wav"
        asyncio.run(on_air.desk.handle(requests.HearMoment(way, from_s, 2.0, str(target))))
        sound, rate_hz = soundfile.read(target)
        assert rate_hz == 48_000
        return np.asarray(sound)

    for way, blocks in played.items():
        heard = hear(way, event.began_s)[:, 0]
        whole = np.concatenate(blocks)[:, 0]
        alike = fftconvolve(whole, heard[::-1], "valid")
        first = int(np.argmax(np.abs(alike)))
        there = whole[first : first + len(heard)]
        # The very sound, but for how loud it is and 16 bits; and from where it is said to be.
        assert np.corrcoef(there, heard)[0, 1] > 0.9999
        ago_s = (len(whole) - first) / 48_000
        assert ago_s == pytest.approx(on_air.at_s - event.began_s, abs=0.15)
    for from_s, sentence in (
        (120.0, "only the last 2 minutes"),
        (900.0, "only the last 2 minutes"),
    ):
        with pytest.raises(BadInput, match=sentence):
            hear("was", from_s)
    # It is over: nothing is kept, and the checklist is looked at again.
    on_air.desk.follow(wanted_for(on_air.rig, number=2))
    assert not on_air.desk.watching.is_on
    with pytest.raises(BadInput, match="not on air any more"):
        hear("was", event.began_s)


def test_talk_while_muted_is_told_after_three_seconds_of_speech_and_once() -> None:
    on_air = OnAir()
    moments = keeping_moments(on_air)
    on_air.pass_by(6.0)
    muted_s = on_air.change({"inputs.voice.is_muted": True})
    on_air.pass_by(12.0)
    opened_s = on_air.change({"inputs.voice.is_muted": False})
    on_air.pass_by(5.0)
    (event,) = on_air.of("talk_unheard")
    assert event.title == "You talk, but viewers and the call do not hear you"
    assert event.mend
    assert event.mend.changes == {"inputs.voice.is_muted": False}
    assert on_air.told == ["talk_unheard"]
    assert -0.2 <= event.began_s - muted_s < 1.2
    assert event.told_s
    assert event.ended_s
    spoken = sum(
        one.speech_s
        for one in moments
        if not one.open["viewers"] and one.at_s < event.told_s - 0.05
    )
    assert spoken == pytest.approx(3.0, abs=0.3)
    assert opened_s - 2.0 < event.ended_s <= opened_s + 0.25


def fault(on_air: OnAir, device: str, name: str, value: float = 0.0) -> float:
    """Something goes wrong with a stand-in; when that was."""
    on_air.playing.loop.rack.fault(device, name, value)
    return on_air.at_s


@pytest.mark.parametrize(
    ("rule", "subject", "wrong", "right", "lasts_s", "late_s", "ends_early_s"),
    [
        ("covered", "game", {"inputs.game.trim_db": 22.0}, {"inputs.game.trim_db": 0.0}, 25, 1.0, 3.0),
        ("voice_missing", "", {"inputs.voice.chain.gate.settings.open_threshold_dbfs": 0.0, "inputs.voice.chain.gate.settings.range_db": 80.0}, {"inputs.voice.chain.gate.settings.open_threshold_dbfs": -37.0, "inputs.voice.chain.gate.settings.range_db": 18.0}, 20, 6.0, 3.0),
        ("delay_grown", "viewers", {"feeds.viewers.delay_ms": 300.0}, {"feeds.viewers.delay_ms": 0.0}, 9, 0.2, 0.2),
        ("echo", "copilot", {"inputs.copilot.sends.call.is_heard": True}, {"inputs.copilot.sends.call.is_heard": False}, 9, 0.2, 0.2),
        ("gate_chops", "gate_chops_speech", {"inputs.voice.chain.gate.settings.open_threshold_dbfs": -13.0}, {"inputs.voice.chain.gate.settings.open_threshold_dbfs": -37.0}, 18, 0.2, 0.2),
        pytest.param("limiter_hard", "limiter_works_always", {"inputs.voice.chain.limiter.settings.ceiling_dbtp": -20.0}, {"inputs.voice.chain.limiter.settings.ceiling_dbtp": -3.0}, 22, 0.2, 0.2, marks=pytest.mark.endurance),
        pytest.param("loudness_off", "softer", {"feeds.viewers.fader_db": -16.0}, {"feeds.viewers.fader_db": 0.0}, 70, 0.2, 0.2, marks=pytest.mark.endurance),
        ("ceiling", "viewers", {"inputs.game.trim_db": 24.0, "inputs.game.fader_db": 0.0}, {"inputs.game.trim_db": 0.0, "inputs.game.fader_db": -8.0}, 12, 6.0, 3.0),
    ],
)  # fmt: skip
def test_what_a_setting_makes_wrong_begins_is_told_once_and_ends(
    rule: str,
    subject: str,
    wrong: dict[str, Any],
    right: dict[str, Any],
    lasts_s: float,
    late_s: float,
    ends_early_s: float,
) -> None:
    # What is told after a minute else is told sooner here.
    patience_s = min(4.0, Rig().watch.rules.of(rule).patience_s)  # type: ignore[arg-type]
    on_air = OnAir(changed_together(Rig(), {f"watch.rules.{rule}.patience_s": patience_s}))
    on_air.pass_by(8.0)
    began_s = on_air.change(wrong)
    on_air.pass_by(lasts_s)
    (event,) = [one for one in on_air.of(rule) if one.subject == subject]
    assert event.lasts or rule == "ceiling"
    assert on_air.told.count(rule) <= 1
    assert event.told_s
    assert -0.2 <= event.began_s - began_s <= late_s
    assert event.told_s - event.began_s >= patience_s - 0.2
    ended_s = on_air.change(right)
    while not event.ended_s and on_air.at_s < ended_s + 55.0:
        on_air.pass_by(3.0)
        (event,) = [one for one in on_air.of(rule) if one.subject == subject]
    assert event.ended_s
    # Speech and bursts have pauses: what is heard by them begins with the next, and may have been seen last before it was mended.
    assert -ends_early_s <= event.ended_s - ended_s <= 0.25


@pytest.mark.parametrize(
    ("rule", "device", "name", "value", "lasts_s", "late_s"),
    [
        ("device_lost", "attic", "unplug", 0.0, 4.0, 0.3),
        ("device_silent", "attic", "silence", 0.0, 14.0, 0.3),
        ("clips", "attic", "clip", -24.0, 22.0, 2.0),
        ("device_drifts", "attic", "delivers", 44_100.0, 40.0, 1.0),
    ],
)
def test_what_a_device_does_wrong_begins_is_told_once_and_ends(
    rule: str, device: str, name: str, value: float, lasts_s: float, late_s: float
) -> None:
    on_air = OnAir(hears_slowly=rule == "clips")
    on_air.pass_by(6.0)
    began_s = fault(on_air, device, name, value)
    on_air.pass_by(lasts_s)
    (event,) = on_air.of(rule)
    assert event.lasts
    assert on_air.told.count(rule) == 1
    assert -0.2 <= event.began_s - began_s <= late_s
    ended_s = fault(on_air, device, "replug" if name == "unplug" else "heal")
    on_air.pass_by(5.0)
    if rule.startswith("device_l") or rule == "device_silent":
        (event,) = on_air.of(rule)
        assert event.ended_s
        assert abs(event.ended_s - ended_s) <= 0.3


def test_dropouts_are_those_of_the_device_whatever_it_is_switched_to() -> None:
    """A device that dropped out before counted as dropping out when an input was switched to it."""
    on_air = OnAir()
    on_air.pass_by(1.0)
    watching, counts = on_air.desk.watching, {"attic": 0, "laptop": 7}

    def more(rig: Rig) -> dict[str, int]:
        readings: Any = SimpleNamespace(
            devices={name: {"dropouts": count} for name, count in counts.items()}
        )
        return {name: one.dropouts for name, one in watching._devices(readings, rig).items()}

    rig = changed_together(Rig(), {"inputs.game.device": "laptop"})
    assert more(rig) == {"voice": 0, "game": 0}
    assert more(changed_together(rig, {"inputs.voice.device": "laptop"})) == {"voice": 0, "game": 0}
    counts["laptop"] = 9
    assert more(changed_together(rig, {"inputs.voice.device": "laptop"})) == {"voice": 2, "game": 2}


def test_lost_sound_is_one_event_with_a_count_and_the_room_is_told_when_it_lasts() -> None:
    on_air = OnAir()
    on_air.pass_by(5.0)
    for n in range(4):
        on_air.playing.pass_over(2 * HOP_FRAMES)
        on_air.pass_by(5.0 if n else 8.0)
    (event,) = on_air.of("dropouts")
    assert event.count == 4
    assert abs(event.began_s - 5.4) < 0.6
    assert event.ended_s
    assert on_air.told == ["dropouts"]
    on_air.change({"watch.rules.room_changed.patience_s": 5.0})
    on_air.drift = "The room is 9 dB louder."
    on_air.pass_by(8.0)
    (event,) = on_air.of("room_changed")
    assert event.text == "The room is 9 dB louder."


@pytest.mark.endurance
@pytest.mark.parametrize("performance", ["type", "silent"])
def test_no_key_no_game_and_no_call_is_taken_for_talk_while_muted(performance: str) -> None:
    muted = changed_together(
        Rig(), {"devices.attic.performance": performance, "inputs.voice.is_muted": True}
    )
    on_air = OnAir(muted)
    on_air.pass_by(60.0)
    assert on_air.of("talk_unheard") == []
    # The same with what others say coming out of loudspeakers, into the microphone.
    on_air.change({"feeds.you.output": "loudspeakers", "devices.attic.performance": "silent"})
    on_air.pass_by(30.0)
    assert on_air.of("talk_unheard") == []


@pytest.mark.endurance
def test_an_evening_in_which_all_is_well_tells_nothing_and_its_figures_are_those_of_its_sound() -> (
    None
):
    on_air = OnAir()
    readings: list[Any] = []
    taken = on_air.desk.watching.push

    def push(one: Any, rig: Rig) -> None:
        readings.append(one)
        taken(one, rig)

    on_air.desk.watching.push = push  # type: ignore[method-assign]
    viewers = keeping_sound(on_air, "viewers")
    on_air.pass_by(90.0)
    assert on_air.events == {}
    found = EveningMeter.unpacked(on_air.desk.watching.end())
    figures = found.figures(on_air.rig)
    # Loudness by another program, of the sound itself.
    heard = np.concatenate(viewers).astype(np.float64)
    assert figures.loudness_lufs is not None
    judged = pyloudnorm.Meter(48_000).integrated_loudness(heard)
    assert abs(figures.loudness_lufs - judged) < 0.1
    # Clearance by the definition, of the hops themselves.
    hops = np.concatenate([one.hops for one in readings], axis=1)[..., 1]
    stations = readings[0].stations
    activity = np.concatenate([one.activity for one in readings])
    peaks = {
        name: 20 * np.log10(np.maximum(1e-9, hops[stations.index(f"viewers/{name}")]))
        for name in ("voice", "game")
    }
    voice = np.percentile(peaks["voice"][activity == 1], 95)
    game = peaks["game"][peaks["game"] > -80]
    game = game[game > np.percentile(game, 95) - 30]
    assert figures.clearance_db is not None
    assert abs(figures.clearance_db - (voice - np.percentile(game, 95))) < 0.3
    # Words: the mean of the pieces, as the lanes show them.
    words = [one["words"] for one in on_air.seconds if "words" in one]
    assert figures.intelligibility is not None
    assert abs(figures.intelligibility - np.mean(words)) < 0.05
