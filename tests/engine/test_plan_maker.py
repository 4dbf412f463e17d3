"""Plans are made beside the sound: in order, complete, and what is wrong with one is said while the sound goes on."""

import json
import threading
from pathlib import Path

import numpy as np
import pytest

from goshawk.core.rig import Rig, changed, changed_together, with_shared
from goshawk.core.rig_changes import (
    with_chain,
    with_input,
    with_output,
    with_stage,
    without_output,
)
from goshawk.core.starting_points import STARTING_POINTS
from goshawk.engine import plan_maker
from goshawk.engine.loop import AudioLoop
from goshawk.engine.messages import NewPlan, TriedPlan
from goshawk.engine.plan import Comparing, Plan
from goshawk.engine.plan_maker import Made, PlanMaker, make


def rigs() -> list[Rig]:
    """An evening of changes, each on top of the one before."""
    made = [Rig(), changed(Rig(), "inputs.game.fader_db", -9.0)]
    made.append(with_stage(made[-1], "voice", "three_band", "trim"))
    made.append(with_input(made[-1], "voice"))
    made.append(changed(made[-1], "inputs.voice.channels", "stereo"))
    made.append(with_chain(made[-1], "voice", STARTING_POINTS["start_noisy"].chain, ""))
    made.append(Rig())
    return made


def test_what_was_made_ahead_sounds_as_what_is_made_on_the_spot() -> None:
    """Bit for bit, over additions, removals, another chain and another count of channels."""
    ahead, there = AudioLoop(Plan()), AudioLoop(Plan())
    for number, rig in enumerate(rigs()):
        plan = Plan(number=number, rig=rig)
        arrived = NewPlan.of(plan).read()
        ahead.take_over(make(arrived, ahead.plan))
        there.plan = there.plan.model_copy(update={"number": number, "rig": rig})
        there._mixer.apply(rig)
        there.rack.apply(rig)
        for _ in range(60):
            for loop in (ahead, there):
                loop.run_block()
            for feed in ("viewers", "you", "call"):
                np.testing.assert_array_equal(ahead.sound(feed)[0], there.sound(feed)[0])


def test_what_has_not_changed_is_the_very_same() -> None:
    """So that a fader costs a look at an input, not at every stage of every input."""
    before = Rig()
    after = NewPlan.of(Plan(rig=changed(before, "inputs.game.fader_db", -9.0))).read().rig
    shared = with_shared(after, before)
    assert shared == after
    same = [one for one in shared.inputs if any(one is was for was in before.inputs)]
    assert [one.id for one in same] == ["voice", "music", "copilot"]
    assert shared.inputs[1].chain[0] is before.inputs[1].chain[0]
    assert shared.feeds is before.feeds
    assert shared.devices is before.devices, "a window of many rigs holds little more than one"
    assert with_shared(NewPlan.of(Plan()).read().rig, before) is before


def taken(maker: PlanMaker, until: int) -> list[int]:
    """The numbers of the plans that are made, up to one."""
    numbers = []
    waits = threading.Event()
    while until not in numbers:
        made = maker.take()
        if isinstance(made, Made):
            numbers.append(made.plan.number)
        elif made is None:
            waits.wait(0.005)
    return numbers


def test_plans_are_made_in_order_and_of_those_that_wait_the_newest() -> None:
    maker = PlanMaker(Plan())
    maker.start()
    began, goes_on = threading.Event(), threading.Event()

    class Slow(NewPlan):
        def read(self) -> Plan:
            began.set()
            goes_on.wait(30.0)
            return Plan(number=1)

    maker.give(Slow(b""))
    assert began.wait(30.0)
    for number in range(2, 40):
        maker.give(NewPlan.of(Plan(number=number)))
    assert maker.take() is None, "the audio loop never waits for one"
    goes_on.set()
    assert taken(maker, 39) == [1, 39]


def test_what_is_tried_goes_over_the_plan_that_came_whole_and_over_no_other() -> None:
    """A drag costs its values, not the whole rig; what it was meant for is sent again where it is not here."""
    maker = PlanMaker(Plan(number=3))

    def tried(number: int, over: int, fader_db: float) -> TriedPlan:
        return TriedPlan(number, over, json.dumps({"inputs.game.fader_db": fader_db}).encode())

    def heard(*plans: NewPlan | TriedPlan) -> list[tuple[int, float]]:
        maker._make(list(plans))
        made = iter(maker.take, None)
        return [(one.plan.number, one.plan.rig.inputs[1].fader_db) for one in made]

    assert heard(tried(4, 3, -9.0)) == [(4, -9.0)]
    assert heard(tried(5, 3, -12.0)) == [(5, -12.0)]
    assert heard(tried(7, 6, -20.0)) == [], "the sixth has not come"
    whole = Plan(number=6, rig=changed(Rig(), "inputs.music.fader_db", -3.0))
    assert heard(NewPlan.of(whole), tried(7, 6, -20.0)) == [(7, -20.0)]
    assert maker._before.rig.inputs[2].fader_db == -3.0
    assert "could not be taken over" in str((maker._make([tried(8, 6, 400.0)]), maker.take())[1])


def test_a_plan_that_cannot_be_made_is_said(tmp_path: Path) -> None:
    maker = PlanMaker(Plan())
    maker.give(NewPlan(b"damaged"))
    said = maker.take()
    assert isinstance(said, str)
    assert "could not be taken over" in said
    maker.give(NewPlan(b"damaged"))
    assert maker.take() is None, "it is sent until it is seen, and said once"
    # What a plan's files lack is said with it, and silence stands for them.
    gone = str(tmp_path / "gone.npy")
    plan = Plan(file=gone, loop=gone, replay=gone, replay_names=("voice",))
    made = make(plan, Plan())
    assert len(made.trouble) == 3
    assert made.loop is not None
    assert not made.loop.any()
    assert made.replay is not None
    # A loop that goes on is not loaded again; chain B is made with it.
    other = STARTING_POINTS["start_whisper"].chain
    again = make(plan.model_copy(update={"comparing": Comparing(other=other)}), plan)
    assert again.trouble == []
    assert again.loop is None
    assert again.parts.place(other[0], 1).slot == other[0]


def test_a_refused_change_of_one_setting_does_not_touch_others() -> None:
    """The next plan goes on from what was taken over."""
    maker = PlanMaker(Plan())
    rig = changed_together(Rig(), {"inputs.game.fader_db": -9.0})
    maker.give(NewPlan.of(Plan(number=1, rig=rig)))
    maker.give(NewPlan(b"damaged"))
    maker.give(NewPlan.of(Plan(number=2, rig=changed(rig, "inputs.music.fader_db", -3.0))))
    first, said, last = maker.take(), maker.take(), maker.take()
    assert isinstance(first, Made)
    assert isinstance(said, str)
    assert isinstance(last, Made)
    assert last.plan.rig.inputs[1] is first.plan.rig.inputs[1]


def test_what_is_shut_in_a_plan_that_cannot_be_made_is_shut(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """A stage that cannot be made held up every mute that came after it."""
    make_all = plan_maker.make

    def make_some(plan: Plan, before: Plan) -> Made:
        if plan.rig.inputs[1].fader_db == -9.0:
            raise MemoryError("no room")
        return make_all(plan, before)

    monkeypatch.setattr(plan_maker, "make", make_some)
    first = with_output(Rig(), "viewers", "")
    maker = PlanMaker(Plan(number=1, rig=first))
    never = changed_together(
        without_output(first, first.outputs[-1].id),
        {
            "inputs.game.fader_db": -9.0,
            "inputs.voice.is_muted": True,
            "inputs.music.sends.viewers.is_heard": False,
            "feeds.call.is_muted": True,
            "is_on_break": True,
        },
    )
    maker.give(NewPlan.of(Plan(number=2, rig=never, is_coughing=True)))
    said, made = maker.take(), maker.take()
    assert "no room" in str(said)
    assert isinstance(made, Made)
    assert (made.plan.number, made.plan.is_coughing) == (1, True)
    rig = made.plan.rig
    assert rig.is_on_break
    assert rig.feeds.call.is_muted
    assert rig.outputs[-1].is_muted
    voice, game, music = rig.inputs[:3]
    assert voice.is_muted
    assert game == first.inputs[1], "nothing but what is shut is taken over"
    assert not music.sends.viewers.is_heard
    # It is not opened again by what cannot be made either; and once is enough.
    maker.give(NewPlan.of(Plan(number=3, rig=changed(never, "inputs.voice.is_muted", False))))
    assert maker.take() is None
    maker.give(NewPlan.of(Plan(number=4, rig=first)))
    last = maker.take()
    assert isinstance(last, Made)
    assert last.plan.rig == first
