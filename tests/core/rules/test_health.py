"""From moments to events: patience, ends, counts, and one thing told at a time; no sound, all by numbers."""

from dataclasses import replace

import pytest

from goshawk.core.rig import Rig, changed
from goshawk.core.rig_changes import with_input
from goshawk.core.rules.finding import Finding
from goshawk.core.rules.health.episodes import MOST_EVENTS, Episodes
from goshawk.core.rules.health.event import Event
from goshawk.core.rules.health.moment import DeviceMoment, Moment, Slow
from goshawk.core.rules.health.rules import RULES
from goshawk.core.watch_settings import RULE_NAMES

STEP_S = 0.1
FINE = Moment(
    at_s=0.0,
    seconds=STEP_S,
    speech_s=0.0,
    is_speaking=False,
    open={"viewers": True, "call": True, "you": True, "archive": True},
    reach_dbfs={"viewers": -10.0, "call": -10.0, "you": -10.0, "archive": -10.0},
    microphone_dbfs=-30.0,
    ceiling_db=0.0,
    over_db={"game": 12.0, "music": 18.0, "copilot": 4.0},
    devices={"voice": DeviceMoment("playing")},
)
LOST = {"voice": DeviceMoment("unplugged")}
SHUT = {**FINE.open, "viewers": False}


class Evening:
    def __init__(self, rig: Rig | None = None, is_voice: bool = True) -> None:
        self.rig, self.now_s = rig or Rig(), 0.0
        self.episodes = Episodes(lambda rule: is_voice)
        self.events: dict[int, Event] = {}

    def pass_by(self, seconds: float, moment: Moment = FINE) -> None:
        for _ in range(round(seconds / STEP_S)):
            for one in self.episodes.push(replace(moment, at_s=self.now_s), self.rig):
                self.events[one.number] = one
            self.now_s += STEP_S

    @property
    def only(self) -> Event:
        (one,) = self.events.values()
        return one


def test_every_rule_has_its_settings_and_its_place() -> None:
    assert {rule.name for rule in RULES} == set(RULE_NAMES)
    assert len(RULES) == len(RULE_NAMES)


def test_patience_is_counted_in_speech_and_pauses_do_not_end_it() -> None:
    evening, talking = Evening(), replace(FINE, speech_s=STEP_S, open=SHUT)
    evening.pass_by(1.0)
    for _ in range(2):
        evening.pass_by(1.2, talking)
        evening.pass_by(2.0, replace(FINE, open=SHUT))
    assert not evening.events
    evening.pass_by(0.5, talking)
    assert not evening.events
    evening.pass_by(0.2, talking)
    assert evening.only.began_s == pytest.approx(1.0)
    assert evening.only.told_s == pytest.approx(8.0, abs=0.11)
    # The moment that one is heard again it is over, and its end is that of the last word.
    evening.pass_by(0.1)
    assert evening.only.ended_s == pytest.approx(8.1, abs=0.11)


def test_what_is_no_voice_is_not_told_and_begins_anew() -> None:
    evening = Evening(is_voice=False)
    evening.pass_by(600.0, replace(FINE, speech_s=STEP_S, open=SHUT))
    assert not evening.events


def test_a_loose_plug_is_one_event_with_a_count() -> None:
    evening = Evening()
    for _ in range(1200):
        evening.pass_by(0.7, replace(FINE, devices=LOST))
        evening.pass_by(1.2)
    assert evening.only.count == 1200
    assert evening.only.ended_s == pytest.approx(evening.now_s - 1.2, abs=0.15)
    evening.pass_by(40.0)
    evening.pass_by(1.0, replace(FINE, devices=LOST))
    assert len(evening.events) == 2


def test_the_most_important_is_told_first_and_what_is_known_comes_back_with_the_next() -> None:
    evening = Evening()
    both = replace(FINE, devices=LOST, ceiling_db=9.0)
    evening.pass_by(1.0, both)
    assert [one.rule for one in evening.episodes.lasting] == ["device_lost", "ceiling"]
    known = evening.episodes.know(evening.episodes.lasting[0].number)
    assert known
    assert known.is_known
    evening.pass_by(3.0)
    evening.pass_by(1.0, replace(FINE, devices=LOST))
    (lost,) = [one for one in evening.events.values() if one.rule == "device_lost"]
    assert (lost.count, lost.is_known) == (2, False)


def test_a_rule_that_is_switched_off_or_patient_is_not_told() -> None:
    off = Evening(changed(Rig(), "watch.rules.device_lost.is_on", False))
    off.pass_by(10.0, replace(FINE, devices=LOST))
    assert not off.events
    patient = Evening(changed(Rig(), "watch.rules.device_lost.patience_s", 5.0))
    patient.pass_by(4.9, replace(FINE, devices=LOST))
    assert not patient.events
    patient.pass_by(0.2, replace(FINE, devices=LOST))
    assert patient.only.told_s == pytest.approx(5.0, abs=0.11)


def test_pauses_between_bursts_count_and_an_evening_ends_what_lasts() -> None:
    evening = Evening()
    burst = replace(FINE, is_speaking=True, over_db={"game": -4.0})
    for _ in range(8):
        evening.pass_by(0.2, burst)
        evening.pass_by(0.6, replace(FINE, is_speaking=True))
    assert evening.only.rule == "covered"
    assert evening.only.worst == pytest.approx(4.0)
    (ended,) = evening.episodes.end(evening.now_s)
    assert ended.ended_s is not None
    assert evening.episodes.lasting == []


def test_the_slow_ones_and_a_limit_of_events() -> None:
    evening = Evening()
    drifted = replace(FINE, slow=Slow(drift="The room is 9 dB louder.", loudness_lufs=-22.0))
    evening.pass_by(61.0, drifted)
    assert {one.rule for one in evening.events.values()} == {"room_changed", "loudness_off"}
    full = Evening()
    full.episodes = Episodes(number=MOST_EVENTS)
    full.pass_by(5.0, replace(FINE, devices=LOST))
    assert not full.events


def test_a_guests_microphone_that_clips_is_told_beside_ones_own() -> None:
    own = Finding(code="microphone_clips", key="microphone_clips", title="", text="Turn it down.")
    guests = own.model_copy(update={"key": "microphone_clips:voice_1", "text": "Turn hers down."})
    rig = with_input(Rig(), "voice")
    for dbfs, subjects in ((-30.0, {"voice_1"}), (0.0, {"voice", "voice_1"})):
        evening = Evening(rig)
        evening.pass_by(5.0, replace(FINE, microphone_dbfs=dbfs, slow=Slow(findings=(guests, own))))
        assert {one.subject for one in evening.events.values()} == subjects
        own_help = [one.help for one in evening.events.values() if one.subject == "voice"]
        assert own_help in ([], ["Turn it down."])
        assert {one.rule for one in evening.events.values()} == {"clips"}
