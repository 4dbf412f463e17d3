"""The engine's client: the plan arrives whatever the socket holds, and no engine can hold up the web process."""

import asyncio
from collections.abc import Iterator
from types import SimpleNamespace
from typing import Any, cast

import numpy as np
import pytest

from goshawk.bus import Bus
from goshawk.core.chain_slots import MOST_STAGES, Chain, SuppressorSlot
from goshawk.core.dsp.suppressor import BINS, LearnedRoom, SuppressorSettings
from goshawk.core.rig import Rig, Tried, changed, changed_together
from goshawk.core.rig_changes import with_chain, with_input
from goshawk.core.routing import MOST_INPUTS, MOST_STAGES_IN_ALL
from goshawk.engine import client as client_module
from goshawk.engine import messages
from goshawk.engine import spawn as spawn_module
from goshawk.engine.client import (
    CHANGE,
    PROCESS,
    SEND_AGAIN_S,
    TAKEN_AT_ONCE,
    UNSEEN_S,
    EngineClient,
    ForUser,
)
from goshawk.engine.plan import Comparing, Plan
from goshawk.engine.spawn import Spawned
from goshawk.errors import TimelineLost
from goshawk.system import processes
from goshawk.system.links import Packets, packet_pair
from goshawk.timeline.memory import Memory
from tests.playing import NOBODY, engine_reading
from tests.waiting import until

MUTED = changed(Rig(), "inputs.voice.is_muted", True)


class Time:
    """Stands in for the time module: only what the test does takes time."""

    now = 100.0

    def monotonic(self) -> float:
        return self.now


class Linked:
    """A client whose engine is the test."""

    def __init__(self) -> None:
        self.seen: list[messages.Seen] = []
        self.said: list[ForUser] = []
        bus = Bus()
        bus.subscribe(messages.Seen, self.seen.append)
        bus.subscribe(ForUser, self.said.append)
        self.client = EngineClient(Rig(), bus, spawned())
        ours, self.engine = packet_pair()
        self.client._end, self.client._is_ready = ours, True

    @property
    def notices(self) -> list[str]:
        """What the user is told."""
        return [one.text for one in self.said]

    def plans(self) -> list[Plan]:
        """What the engine gets."""
        found = []
        while message := messages.receive_in_engine(self.engine):
            if isinstance(message, messages.NewPlan):
                self.whole = message.read()
                found.append(self.whole)
            elif isinstance(message, messages.TriedPlan):
                assert message.over == self.whole.number
                found.append(message.read(self.whole))
        return found


def spawned() -> Spawned:
    """What a client needs of a process that is not there."""
    nobody: Any = None
    return Spawned(nobody, nobody, Memory.local())


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
        assert isinstance(end, Packets)
        end.close()


def test_a_mute_that_does_not_fit_is_sent_until_it_is_heard(linked: Linked, time: Time) -> None:
    """An engine that stands still under a flood once never heard of it, while the page showed it."""
    client = linked.client
    while messages.send(client._end, messages.Microphone(1, 1, b"x" * 60_000)):  # type: ignore[arg-type]
        pass
    while messages.send(client._end, messages.Microphone(1, 1, b"x")):  # type: ignore[arg-type]
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
    for _ in range(2):
        client._follow_plan()
    assert linked.plans() == []
    # One that has just become ready is given its time.
    client.seen_number, time.now = 0, time.now + 2 * UNSEEN_S
    messages.send(linked.engine, messages.Ready())
    client._read()
    client._follow_plan()
    told, over = linked.said
    assert (told.is_over, over.is_over) == (False, True)
    assert told.about == over.about == CHANGE, "what is over does not go on being said"


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
    packed = messages.NewPlan.of(plan)
    assert len(packed.packed) < messages.LARGEST_PACKET_BYTES - 100
    assert packed.read() == plan


def test_a_change_makes_one_numbered_plan_and_no_change_none(linked: Linked) -> None:
    client = linked.client
    first = client.plan_number
    client.apply(MUTED)
    client.apply(MUTED)
    client.set_points(["viewers"])
    client.set_points(["viewers"])
    assert [plan.number for plan in linked.plans()] == [first + 1, first + 2]


def test_a_drag_sends_its_values_alone_over_what_the_engine_has(linked: Linked, time: Time) -> None:
    client, rig = linked.client, Rig()
    client.apply(rig)
    client.apply(MUTED)
    assert len(linked.plans()) == 1

    def drag(fader_db: float) -> Tried:
        return Tried(MUTED, {"inputs.game.fader_db": fader_db})

    packets = []
    for fader_db in (-9.0, -12.0):
        tried = drag(fader_db)
        client.apply(tried.rig, tried)
        packets.append(messages.receive_in_engine(linked.engine))
    assert all(isinstance(one, messages.TriedPlan) for one in packets)
    # Neither was heard: the whole plan goes ahead of what is over it.
    time.now += SEND_AGAIN_S + 0.01
    client._follow_plan()
    whole, last = linked.plans()
    assert (whole.rig, last.rig) == (MUTED, drag(-12.0).rig)
    # Set where it was dragged to, it is whole again, as is what follows when the page opens another point.
    client.apply(tried.rig)
    client.set_points(["viewers"])
    assert [one.rig for one in linked.plans()] == [tried.rig, tried.rig]


def test_of_what_waits_the_newest_says_it_all_and_others_have_their_turn(linked: Linked) -> None:
    """A page's process that was held up is not held up once more by what has come meanwhile."""
    client = linked.client
    for number in range(5 * TAKEN_AT_ONCE):
        assert messages.send(
            linked.engine, messages.Seen(1, number, NOBODY, engine_reading(blocks=number))
        )
    linked.engine.send(b"no message")
    assert messages.send(linked.engine, messages.Said("heard all the same"))

    async def story() -> None:
        asyncio.get_running_loop().add_reader(client._end, client._read)  # type: ignore[arg-type]
        for _ in range(50):
            await asyncio.sleep(0)
        asyncio.get_running_loop().remove_reader(client._end)  # type: ignore[arg-type]

    asyncio.run(story())
    assert len(linked.seen) == 5, "one of each share"
    assert linked.seen[-1].engine.blocks == 5 * TAKEN_AT_ONCE - 1
    assert client.seen_number == 1
    assert linked.notices == ["heard all the same"], "one bad message does not end the link"


def test_what_is_shut_is_in_the_first_plan_of_a_new_process() -> None:
    """A restart is nothing but the plan: mutes, coughs and loops are in it from the first block on."""
    client = EngineClient(Rig(), Bus(), spawned())
    client.apply(changed_together(Rig(), {"inputs.voice.is_muted": True, "is_on_break": True}))
    client.cough(True)
    plan = messages.NewPlan.of(client._plan).read()
    assert plan.is_coughing
    assert plan.rig.is_on_break
    assert plan.number == client.plan_number


def test_one_that_cannot_be_started_again_is_tried_until_it_can(
    linked: Linked, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A system without a process or a file to spare: the task that looked after the engine ended by it, without a word."""
    client, tries = linked.client, 0
    ours, engine = packet_pair()

    def spawn(memory: Memory) -> Spawned:
        nonlocal tries
        tries += 1
        assert memory is client.memory
        if tries < 4:
            raise TimelineLost("The audio process could not be started (too many files).")
        process = SimpleNamespace(poll=lambda: None, pid=7, kill=lambda: None)
        return Spawned(cast(Any, process), ours, memory)

    monkeypatch.setattr(client_module, "spawn", spawn)
    monkeypatch.setattr(processes, "KILLED_S", 0.0)
    for name in ("SEND_AGAIN_S", "FIRST_PAUSE_S", "ENDS_S"):
        monkeypatch.setattr(client_module, name, 0.0)
    client._process = cast(Any, SimpleNamespace(poll=lambda: 1, returncode=1))
    client._spawned, client.seen_number = None, client.plan_number

    async def story() -> None:
        watching = asyncio.create_task(client._watch_over())
        await until(lambda: client._end is ours)
        messages.send(engine, messages.Ready())
        await until(lambda: client.is_running)
        watching.cancel()
        await client._put_away()

    asyncio.run(story())
    assert tries == 4
    assert [one.is_over for one in linked.said] == [False, False, True]
    assert {one.about for one in linked.said} == {PROCESS}
    stopped, failed, back = linked.notices
    assert "plays again" in back
    assert "stopped. It is started again" in stopped
    assert "too many files" in failed
    assert "tried again" in failed
    client._end = engine  # for the fixture to close


def test_what_has_come_is_read_before_an_engine_is_taken_for_hung(
    linked: Linked, monkeypatch: pytest.MonkeyPatch
) -> None:
    client = linked.client
    client._process = cast(Any, SimpleNamespace(poll=lambda: None, pid=7))
    monkeypatch.setattr(client._silence, "is_hung", lambda pid, patience_s: True)
    assert client._is_hung()
    messages.send(linked.engine, messages.Said("here I am"))
    assert not client._is_hung()


def test_a_memory_outlives_a_process_that_cannot_be_started_on_it(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def start_process(*given: Any, **more: Any) -> Any:
        raise OSError(24, "Too many open files")

    monkeypatch.setattr(spawn_module, "start_process", start_process)
    memory = Memory.make()
    try:
        with pytest.raises(TimelineLost, match=r"Too many open files.*Close other programs"):
            spawn_module.spawn(memory)
        assert Memory.open(memory.name).name == memory.name
    finally:
        memory.remove()
