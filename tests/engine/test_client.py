"""The engine's client: the plan arrives whatever the socket holds, and no engine can hold up the web process."""

import asyncio
import socket
from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest

from goshawk.core.chain_slots import MOST_STAGES, Chain, SuppressorSlot
from goshawk.core.dsp.suppressor import BINS, LearnedRoom, SuppressorSettings
from goshawk.core.rig import Rig, changed, changed_together, with_chain, with_input
from goshawk.core.wiring import MOST_INPUTS, MOST_STAGES_IN_ALL
from goshawk.engine import client as client_module
from goshawk.engine import messages
from goshawk.engine.client import MOST_BEHIND, SEND_AGAIN_S, UNSEEN_S, EngineClient
from goshawk.engine.plan import Comparing, Plan
from goshawk.engine.spawn import make_pair

MUTED = changed(Rig(), "inputs.voice.is_muted", True)


class Time:
    """Stands in for the time module: only what the test does takes time."""

    now = 100.0

    def monotonic(self) -> float:
        return self.now


class Linked:
    """A client whose engine is the test."""

    def __init__(self) -> None:
        self.readings: list[dict[str, Any]] = []
        self.notices: list[str] = []
        self.client = EngineClient(
            Rig(), self.readings.append, lambda *sound: None, self.notices.append
        )
        ours, self.engine = make_pair()
        self.client._end, self.client._is_ready = ours, True

    def plans(self) -> list[Plan]:
        """What the engine gets, its readings left out."""
        found = []
        while message := messages.receive(self.engine):
            if message[0] == messages.PLAN:
                found.append(messages.unpack_plan(message[1]))
        return found

    def say(self, plan: int, **more: Any) -> None:
        body = messages.pack_readings({"plan": plan, "end_frame": 0, **more})
        assert messages.send(self.engine, messages.READINGS, body)


@pytest.fixture
def time(monkeypatch: pytest.MonkeyPatch) -> Time:
    time = Time()
    monkeypatch.setattr(client_module, "time", time)
    return time


@pytest.fixture
def linked(time: Time) -> Iterator[Linked]:
    linked = Linked()
    yield linked
    for end in (linked.client._end, linked.engine):
        assert isinstance(end, socket.socket)
        end.close()


def test_a_mute_that_does_not_fit_is_sent_until_it_is_heard(linked: Linked, time: Time) -> None:
    """An engine that stands still under a flood once never heard of it, while the page showed it."""
    client = linked.client
    while messages.send(client._end, messages.MICROPHONE, b"x" * 60_000):  # type: ignore[arg-type]
        pass
    while messages.send(client._end, messages.MICROPHONE, b"x"):  # type: ignore[arg-type]
        pass
    client.apply(MUTED)
    client.cough(True)
    assert linked.plans() == [], "nothing of it fitted"
    assert client.seen_number < client.plan_number
    time.now += SEND_AGAIN_S + 0.01
    client._follow_plan()
    (plan,) = linked.plans()
    assert plan.rig == MUTED
    assert plan.is_coughing
    # It goes on until the readings name it, says so once, and then stops.
    time.now += UNSEEN_S
    for _ in range(3):
        client._follow_plan()
    assert len(linked.notices) == 1
    assert "sent until it is heard" in linked.notices[0]
    assert linked.plans()[-1].number == plan.number
    client.seen_number = plan.number
    time.now += 10.0
    client._follow_plan()
    assert linked.plans() == []


def test_microphone_packets_give_way_first(linked: Linked) -> None:
    client = linked.client
    for _ in range(200):
        client.push_microphone(192_000, 2, b"\0" * 60_000)
    client.apply(MUTED)
    assert [plan.rig for plan in linked.plans()] == [MUTED]


def test_the_largest_rig_fits_into_a_packet() -> None:
    """As many stages as all chains together may have, each with a room of its own, and a chain to compare with."""
    random = np.random.default_rng(1)

    def chain(name: str, count: int) -> Chain:
        rooms = 10.0 ** random.uniform(-9.0, -3.0, (count, BINS))
        return tuple(
            SuppressorSlot(
                id=f"{name}_{n}", settings=SuppressorSettings(room=LearnedRoom.of_power(room))
            )
            for n, room in enumerate(rooms)
        )

    rig = Rig()
    while len(rig.inputs) < MOST_INPUTS:
        rig = with_input(rig, "other")
    for one in rig.inputs:
        rig = with_chain(rig, one.id, (), "")
    for name in ("voice", "game"):
        rig = with_chain(rig, name, chain(name, MOST_STAGES), "")
    rig = with_chain(rig, "music", chain("music", MOST_STAGES_IN_ALL - 2 * MOST_STAGES), "")
    plan = Plan(
        rig=rig,
        points=tuple(f"before:voice_{n}" for n in range(30)),
        comparing=Comparing(other=chain("other", MOST_STAGES)),
    )
    assert len(messages.pack_plan(plan)) < messages.LARGEST_PACKET_BYTES
    assert messages.unpack_plan(messages.pack_plan(plan)) == plan


def test_a_change_makes_one_numbered_plan_and_no_change_none(linked: Linked) -> None:
    client = linked.client
    first = client.plan_number
    client.apply(MUTED)
    client.apply(MUTED)
    client.set_points(["viewers"])
    client.set_points(["viewers"])
    assert [plan.number for plan in linked.plans()] == [first + 1, first + 2]


def test_a_slow_handler_leaves_the_loop_to_others(linked: Linked, time: Time) -> None:
    """Each reading takes longer than the next needs to come: one a turn is handled, others have theirs between."""
    handled: list[int] = []

    def slowly(readings: dict[str, Any]) -> None:
        handled.append(readings["number"])
        time.now += 0.1

    linked.client._on_readings = slowly
    others = 0

    async def story() -> None:
        nonlocal others
        loop = asyncio.get_running_loop()
        loop.add_reader(linked.client._end, linked.client._read)  # type: ignore[arg-type]
        number = 0
        for _ in range(40):
            for _ in range(3):
                linked.say(1, number=number)
                number += 1
            before = len(handled)
            await asyncio.sleep(0)
            others += 1
            assert len(handled) - before <= 1, "one long handler a turn"
        await asyncio.sleep(0.7)
        loop.remove_reader(linked.client._end)  # type: ignore[arg-type]

    asyncio.run(story())
    assert others == 40
    assert handled == sorted(handled)


def test_far_behind_only_the_newest_is_handled_and_the_rest_counted(linked: Linked) -> None:
    client = linked.client
    for number in range(MOST_BEHIND + 10):
        body = messages.pack_readings({"plan": 1, "end_frame": 0, "number": number})
        client._waiting.append((messages.READINGS, body))
        client._waiting.append((messages.SOUND, messages.pack_sound("you", number, b"")))
    client._waiting.insert(0, (messages.NOTICE, b"heard all the same"))

    async def story() -> None:
        asyncio.get_running_loop().add_reader(client._end, client._read)  # type: ignore[arg-type]
        client._read()
        asyncio.get_running_loop().remove_reader(client._end)  # type: ignore[arg-type]

    asyncio.run(story())
    assert [one["number"] for one in linked.readings] == [MOST_BEHIND + 9]
    assert client.lost_readings == MOST_BEHIND + 9
    assert linked.notices == ["heard all the same"]


def test_one_bad_reading_does_not_end_the_link(linked: Linked) -> None:
    def stumble(readings: dict[str, Any]) -> None:
        if readings["number"] == 0:
            raise ZeroDivisionError
        linked.readings.append(readings)

    linked.client._on_readings = stumble
    linked.say(1, number=0)
    linked.say(1, number=1)

    async def story() -> None:
        asyncio.get_running_loop().add_reader(linked.client._end, linked.client._read)  # type: ignore[arg-type]
        await asyncio.sleep(0.05)
        asyncio.get_running_loop().remove_reader(linked.client._end)  # type: ignore[arg-type]

    asyncio.run(story())
    assert [one["number"] for one in linked.readings] == [1]


def test_what_is_shut_is_in_the_first_plan_of_a_new_process() -> None:
    """A restart is nothing but the plan: mutes, coughs and loops are in it from the first block on."""
    client = EngineClient(Rig(), lambda r: None, lambda *s: None, lambda t: None)
    client.apply(changed_together(Rig(), {"inputs.voice.is_muted": True, "is_on_break": True}))
    client.cough(True)
    plan = messages.unpack_plan(messages.pack_plan(client._plan))
    assert plan.is_coughing
    assert plan.rig.is_on_break
    assert plan.number == client.plan_number
