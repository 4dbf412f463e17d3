"""The audio process on a clock that the test turns: late blocks, slow readers, floods, bad files."""

import subprocess
import sys
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from typing import TypeVar

import numpy as np
import pytest

from goshawk.core.graph.readings import InputReading
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.rig import Rig, changed, changed_together
from goshawk.core.routing import FeedName
from goshawk.devices.endpoint import Endpoint
from goshawk.engine import messages, process
from goshawk.engine.loop import AudioLoop
from goshawk.engine.plan import Plan
from goshawk.engine.process import READINGS_FRAMES, UNSEEN_READINGS_FRAMES, AudioProcess, Clock
from goshawk.system.links import Packets, packet_pair
from goshawk.timeline.memory import HURRIED_PLACE, LOGGED, RING_FRAMES, Memory
from goshawk.timeline.readings import EngineReadings, ReadingsReader
from goshawk.timeline.sound import MARGIN_FRAMES, Piece, SoundReader, SoundWriter

T = TypeVar("T")
BLOCK_S = 256 / 48_000


class Time:
    """Stands in for the time module: sleeping is what makes time pass."""

    def __init__(self) -> None:
        self.now = 1000.0

    def monotonic(self) -> float:
        self.now += 1e-6
        return self.now

    def sleep(self, seconds: float) -> None:
        self.now += seconds


@pytest.fixture
def time(monkeypatch: pytest.MonkeyPatch) -> Time:
    time = Time()
    monkeypatch.setattr(process, "time", time)
    monkeypatch.setattr(process, "take_realtime", lambda priority: False)
    return time


def test_blocks_are_due_at_absolute_times_and_lateness_is_counted(time: Time) -> None:
    clock = Clock(is_realtime=False)
    started = time.now
    for number in range(1000):
        clock.wait(BLOCK_S)
        # One block takes longer than it lasts, and the next one too long for both.
        time.now += {500: 1.5, 501: 0.9}.get(number, 0.2) * BLOCK_S
        clock.finished(BLOCK_S)
    assert time.now - started == pytest.approx(1000.2 * BLOCK_S, rel=1e-4)
    assert clock.late_blocks == 2
    assert clock.missed_blocks == 0


def test_in_pairs_it_sleeps_half_as_often_and_never_makes_more_than_one_block_ahead(
    time: Time,
) -> None:
    clock = Clock(is_realtime=False)
    started, sleeps = time.now, 0
    for number in range(1, 1001):
        before = time.now
        clock.wait(BLOCK_S, in_pairs=number <= 900)
        sleeps += time.now > before + 0.01 * BLOCK_S
        assert number * BLOCK_S - (time.now - started) <= 1.001 * BLOCK_S
        time.now += 0.2 * BLOCK_S
        clock.finished(BLOCK_S)
    assert time.now - started == pytest.approx(1000.2 * BLOCK_S, rel=1e-4)
    assert sleeps == pytest.approx(550, abs=1)
    assert clock.late_blocks == 0


def test_a_block_is_made_early_only_where_no_sound_has_to_come_in_time() -> None:
    loop = AudioLoop(Plan(rig=Rig()))
    loop.run_block()
    assert loop.may_run_ahead
    by_page = changed_together(Rig(), {"inputs.voice.device": "browser"})
    loop.apply(by_page)
    loop.run_block()
    assert not loop.may_run_ahead, "a page's microphone"
    loop = AudioLoop(Plan(rig=Rig()))
    loop.run_block()
    loop.rack.computer._endpoints[("server:any", "in", "", 256, 20.0)] = Endpoint.of(
        "in", "server:any", 256, 20.0
    )
    assert not loop.may_run_ahead, "a device of the computer"


def test_a_change_is_heard_in_pairs_as_one_by_one(time: Time) -> None:
    """What is made does not depend on when: the same blocks come, early or not."""
    feeds = []
    for in_pairs in (False, True):
        loop, clock = AudioLoop(Plan(rig=Rig())), Clock(is_realtime=False)
        blocks = []
        for number in range(40):
            clock.wait(BLOCK_S, in_pairs=in_pairs)
            if number == 20:
                loop.apply(changed_together(Rig(), {"inputs.game.fader_db": -30.0}))
            loop.run_block()
            clock.finished(BLOCK_S)
            blocks.append(loop.sound("viewers")[0].copy())
        feeds.append(np.concatenate(blocks))
    assert np.array_equal(*feeds)
    assert np.abs(feeds[0]).max() > 0.001


def test_after_a_long_stall_the_missed_time_is_given_up_and_counted(time: Time) -> None:
    clock = Clock(is_realtime=True)
    clock.wait(BLOCK_S)
    time.now += 100.5 * BLOCK_S
    for _ in range(3):
        clock.wait(BLOCK_S)
        clock.finished(BLOCK_S)
    assert clock.missed_blocks == 99
    assert clock.late_blocks <= 1


Ends = tuple[Packets, Packets]


@pytest.fixture(params=[True, False], ids=["native", "portable"])
def ends(request: pytest.FixtureRequest) -> Iterator[Ends]:
    ours, theirs = packet_pair(keeps_borders=request.param)
    yield ours, theirs
    ours.close()
    theirs.close()


def run_blocks(audio: AudioProcess, count: int) -> None:
    """Run until so many blocks are done."""

    class Enough(Exception):
        pass

    done = [0]
    block = audio._loop.run_block

    def counted(frames: int, *, is_late: bool) -> None:
        done[0] += 1
        if done[0] > count:
            raise Enough
        block(frames, is_late=is_late)

    audio._loop.run_block = counted  # type: ignore[method-assign]
    with pytest.raises(Enough):
        audio.run()
    audio._loop.run_block = block  # type: ignore[method-assign]


def taken(end: Packets, kind: type[T]) -> list[T]:
    """What the engine said of one kind; the rest is gone."""
    found: list[T] = []
    while message := messages.receive_from_engine(end):
        if isinstance(message, kind):
            found.append(message)
    return found


def test_rigs_are_taken_readings_and_sound_are_published(time: Time, ends: Ends) -> None:
    ours, theirs = ends
    memory = Memory.local()
    audio = AudioProcess(theirs, memory, Plan())
    rig = changed(Rig(), "inputs.game.is_muted", True)
    plan = Plan(number=7, rig=rig, points=("listen:viewers", "input:game"), is_seen=True)
    messages.send(ours, messages.NewPlan.of(plan))
    names = ("viewers", "raw", "came:game", "input:game", "listen:viewers")
    readers = {name: SoundReader(memory, name) for name in names}
    log = ReadingsReader(memory)
    run_blocks(audio, 94)
    assert audio._loop.rig == rig
    ends_at = {}
    for name, reader in readers.items():
        pieces = reader.read()
        assert [one.at for one in pieces[1:]] == [one.at + len(one.samples) for one in pieces[:-1]]
        ends_at[name] = pieces[-1].at + len(pieces[-1].samples)
        assert sum(len(one.samples) for one in pieces) == pytest.approx(24_000, abs=1024)
    assert set(ends_at.values()) == {94 * 256}
    readings = log.read()
    assert len(readings) == pytest.approx(10, abs=2)
    firsts = [one.first_hop for one in readings]
    counts = [one.hops.shape[1] for one in readings]
    assert firsts[1:] == [a + b for a, b in zip(firsts, counts, strict=True)][:-1], "no hop lost"
    assert readings[-1].engine.late_blocks == 0
    assert readings[-1].plan == 7
    said = taken(ours, messages.Seen)
    assert len(said) == len(readings)
    assert (said[-1].plan, said[-1].end_frame) == (7, readings[-1].end_frame)
    # While nobody looks they come more calmly, but what is new is said to be heard at once.
    unseen = plan.model_copy(update={"number": 8, "is_seen": False})
    messages.send(ours, messages.NewPlan.of(unseen))
    run_blocks(audio, 10)
    assert [one.plan for one in taken(ours, messages.Seen)][-1] == 8
    run_blocks(audio, 94)
    assert len(taken(ours, messages.Seen)) == pytest.approx(4, abs=1)


def test_time_in_which_nothing_was_made_is_a_gap_of_its_length_for_every_reader(
    time: Time, ends: Ends
) -> None:
    _, theirs = ends
    memory = Memory.local()
    audio = AudioProcess(theirs, memory, Plan(is_seen=True))
    reader, log = SoundReader(memory, "viewers"), ReadingsReader(memory)
    heard: list[Piece] = []
    blocks: list[int] = []
    publish, began = audio._loop.publish, time.now

    def published(writer: SoundWriter) -> None:
        publish(writer)
        blocks.append(writer.frame)
        if len(blocks) % 7 == 0:
            heard.extend(reader.read())
        if len(blocks) == 20:
            time.now += 1.003

    audio._loop.publish = published  # type: ignore[method-assign]
    run_blocks(audio, 70)
    gaps = [
        (before.at + len(before.samples), after.at - before.at - len(before.samples))
        for before, after in pairwise(heard)
    ]
    ((from_frame, missed),) = [one for one in gaps if one[1]]
    assert from_frame == blocks[19] == 20 * 256, "all that was made before it is there"
    assert missed % HOP_FRAMES == 0
    assert missed == pytest.approx(48_000, abs=2 * 480)
    passed = (time.now - began) * 48_000
    assert heard[-1].at + len(heard[-1].samples) == pytest.approx(passed, abs=480)
    readings = log.read()
    steps = [
        after.first_hop - before.first_hop - before.hops.shape[1]
        for before, after in pairwise(readings)
    ]
    assert [one for one in steps if one] == [missed // HOP_FRAMES], "no reading goes on beyond it"


def test_a_reader_that_never_reads_makes_nothing_late(time: Time, ends: Ends) -> None:
    """Neither the socket nor the shared memory is ever waited for, and who was slow sees what is missing."""
    _, theirs = ends
    memory = Memory.local()
    audio = AudioProcess(theirs, memory, Plan(is_seen=True))
    slow, log = SoundReader(memory, "viewers"), ReadingsReader(memory)
    run_blocks(audio, 1)
    slow.read()
    run_blocks(audio, 5400)
    assert audio._clock.late_blocks == 0
    assert sum(len(one.samples) for one in slow.read()) < RING_FRAMES
    assert slow.losses == 1
    assert slow.lost_frames > 5400 * 256 - RING_FRAMES
    assert log.read(10_000) == [], "far behind, it goes on with what is newest"
    run_blocks(audio, 12)
    assert len(log.read()) == pytest.approx(1, abs=1)
    assert log.lost > 400


def test_a_flood_is_taken_a_few_messages_a_block(time: Time, ends: Ends) -> None:
    ours, theirs = ends
    audio = AudioProcess(theirs, Memory.local(), Plan())
    piece = messages.Microphone(48_000, 1, np.zeros(480, np.float32).tobytes())
    sent = sum(messages.send(ours, piece) for _ in range(100))
    assert sent > 20
    run_blocks(audio, 3)
    left = 0
    while messages.receive_in_engine(theirs):
        left += 1
    assert left == sent - 12


def test_a_damaged_file_is_said_and_the_sound_goes_on(
    time: Time, ends: Ends, tmp_path: Path
) -> None:
    ours, theirs = ends
    (tmp_path / "bad.npy").write_bytes(b"nothing")
    plan = Plan(rig=changed(Rig(), "inputs.voice.device", "file"))
    audio = AudioProcess(theirs, Memory.local(), plan)
    bad, gone = str(tmp_path / "bad.npy"), str(tmp_path / "gone.npy")
    for number, update in enumerate(
        ({"file": bad}, {"file": gone}, {"loop": bad}, {"replay": gone, "replay_names": ("voice",)})
    ):
        plan = plan.model_copy(update={"number": number, **update})
        messages.send(ours, messages.NewPlan.of(plan))
    run_blocks(audio, 50)
    said = [one.text for one in taken(ours, messages.Said)]
    assert len(said) == 4
    assert "Choose it again" in said[0]
    assert "The replay could not be read" in said[3]
    assert audio._loop.rack.statuses()["file"]["state"] == "no file"


def test_commands_cough_fault_and_measure(time: Time, ends: Ends) -> None:
    """A cough silences the voice, a device can be unplugged, and a click comes back as it was said."""
    ours, theirs = ends
    memory = Memory.local()
    audio = AudioProcess(theirs, memory, Plan())
    log = ReadingsReader(memory)

    def readings_after(message: messages.ToEngine) -> list[EngineReadings]:
        messages.send(ours, message)
        run_blocks(audio, 400)
        taken(ours, messages.Seen)
        return log.read(1000)

    def coughing(is_on: bool) -> InputReading:
        plan = messages.NewPlan.of(Plan(is_coughing=is_on))
        last = readings_after(plan)[-1]
        assert last.inputs["game"].gains[0] > 0
        return last.inputs["voice"]

    assert coughing(True).gains == [0.0] * 4
    assert coughing(False).gains[0] == 1.0
    last = readings_after(messages.MakeFault("game", "unplug", None))[-1]
    assert last.devices["game"]["state"] == "unplugged"
    measured = [
        said.measured_delay_ms
        for said in readings_after(messages.Click())
        if said.measured_delay_ms
    ]
    assert len(measured) == 1
    feeds: tuple[FeedName, ...] = ("viewers", "call", "archive")
    for feed in feeds:
        shown = sum(ms for _, ms in last.ledgers[feed])
        assert measured[0][feed] == pytest.approx(shown, abs=1.0)
    assert measured[0]["you"] is None, "the microphone is not in what you hear"


def test_the_process_ends_when_told_or_when_it_is_alone(time: Time, ends: Ends) -> None:
    ours, theirs = ends
    audio = AudioProcess(theirs, Memory.local(), Plan())
    messages.send(ours, messages.Quit())
    audio.run()
    ours.close()
    AudioProcess(theirs, Memory.local(), Plan()).run()


def test_no_kernel_is_compiled_on_air(tmp_path: Path) -> None:
    """A process of its own: what a first change, bypass or switch calls was compiled at the start."""
    code = """
import sys
import numpy as np
from goshawk.core import steps
from goshawk.core.rig import Rig, changed_together
from goshawk.core.rig_changes import with_stage
from goshawk.engine.loop import AudioLoop
from goshawk.engine.plan import Comparing, Plan
from goshawk.model_file import give_weights

give_weights()

def compiled():
    entries = {("steps", "entries"): steps._entry.cache_info().currsize}
    return entries | {
        (module, name): len(thing.signatures)
        for module, found in list(sys.modules.items()) if module.startswith("goshawk")
        for name, thing in vars(found).items() if hasattr(thing, "signatures")
    }

loop = AudioLoop(Plan())
before = compiled()
rig = changed_together(Rig(), {
    "inputs.voice.chain.eq.settings.bell_1.gain_db": 3.0,
    "inputs.voice.chain.gate.is_bypassed": True,
    "inputs.game.device": "laptop",
    "inputs.voice.channels": "stereo",
    "inputs.music.sends.call.is_heard": True,
    "feeds.viewers.delay_ms": 100.0,
    "feeds.call.has_ceiling": False,
    "feeds.you.output": "loudspeakers",
    "devices.call_service.has_gain_control": True,
    "devices.call_service.sends_back": True,
})
for changed in (rig, with_stage(rig, "voice", "three_band", "trim"), Rig()):
    loop.apply(changed)
    for _ in range(12):
        loop.run_block()
np.save(sys.argv[1], np.ones((4800, 2), np.float32))
comparing = Comparing(heard="other", gain_db=3.0, other=rig.chain)
points = ("before:suppressor", "removed:suppressor")
plan = Plan(is_coughing=True, points=points, loop=sys.argv[1], comparing=comparing)
loop.send_click()
for one in (plan, Plan(), plan.model_copy(update={"loop": None, "replay": sys.argv[2], "replay_names": ("voice",)})):
    assert loop.obey(one) == []
    for _ in range(90):
        loop.run_block()
loop.sound("removed:suppressor")
loop._mixer.take_readings()
late = {name: count for name, count in compiled().items() if count != before.get(name)}
assert not late, late
"""
    np.save(tmp_path / "replay.npy", np.ones((1, 4800, 2), np.float32))
    paths = [str(tmp_path / "loop.npy"), str(tmp_path / "replay.npy")]
    subprocess.run([sys.executable, "-c", code, *paths], check=True)


def test_the_clock_follows_a_device_and_what_it_finds_comes_to_nothing() -> None:
    """The device is 200 ppm fast; what finds that out takes ten seconds, and sees only what is left."""
    clock = Clock(is_realtime=False)
    found = 0.0
    for _ in range(240 * 30):
        left = 200.0 - clock._faster_ppm
        found += (left - found) / 300.0
        clock.steer(found, 1 / 30)
    assert clock._faster_ppm == pytest.approx(200.0, abs=10.0)
    clock.steer(None, 1 / 30)
    assert clock._faster_ppm == 0.0


@pytest.mark.parametrize("every", [READINGS_FRAMES, UNSEEN_READINGS_FRAMES])
def test_a_hurried_clock_waits_before_sound_that_was_not_read_is_written_over(every: int) -> None:
    ours, end = packet_pair()
    playing = AudioProcess(end, Memory.local(), Plan(rig=Rig()))
    playing._every = every
    playing._memory.places[HURRIED_PLACE] = 0
    readings = 0
    while not playing._is_ahead():
        readings += 1
        playing._memory.head[LOGGED] = readings
    assert 12_000 < readings * every < RING_FRAMES - MARGIN_FRAMES - every
    for one in (ours, end):
        one.close()
