"""The audio process on a clock that the test turns: late blocks, slow readers, floods, bad files."""

import socket
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from goshawk.core.rig import Rig, changed
from goshawk.engine import messages, process
from goshawk.engine.plan import Plan
from goshawk.engine.process import AudioProcess, Clock
from goshawk.engine.spawn import make_pair

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
    monkeypatch.setattr(process, "try_realtime", lambda: False)
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


def test_after_a_long_stall_the_missed_time_is_given_up_and_counted(time: Time) -> None:
    clock = Clock(is_realtime=True)
    clock.wait(BLOCK_S)
    time.now += 100.5 * BLOCK_S
    for _ in range(3):
        clock.wait(BLOCK_S)
        clock.finished(BLOCK_S)
    assert clock.missed_blocks == 99
    assert clock.late_blocks <= 1


@pytest.fixture
def ends() -> Iterator[tuple[socket.socket, socket.socket]]:
    ours, theirs = make_pair()
    yield ours, theirs
    ours.close()
    theirs.close()


def run_blocks(audio: AudioProcess, count: int) -> None:
    """Run until so many blocks are done."""

    class Enough(Exception):
        pass

    done = [0]
    block = audio._loop.run_block

    def counted(*, is_late: bool) -> None:
        done[0] += 1
        if done[0] > count:
            raise Enough
        block(is_late=is_late)

    audio._loop.run_block = counted  # type: ignore[method-assign]
    with pytest.raises(Enough):
        audio.run()
    audio._loop.run_block = block  # type: ignore[method-assign]


def taken(end: socket.socket) -> dict[bytes, list[bytes]]:
    kinds: dict[bytes, list[bytes]] = {}
    while message := messages.receive(end):
        kinds.setdefault(message[0], []).append(message[1])
    return kinds


def test_rigs_are_taken_readings_and_sound_are_published(
    time: Time, ends: tuple[socket.socket, socket.socket]
) -> None:
    ours, theirs = ends
    audio = AudioProcess(theirs, Plan())
    rig = changed(Rig(), "inputs.game.is_muted", True)
    plan = Plan(number=7, rig=rig, points=("viewers", "input:game"))
    messages.send(ours, messages.PLAN, messages.pack_plan(plan))
    run_blocks(audio, 94)
    assert audio._loop.rig == rig
    said = taken(ours)
    assert len(said[messages.READY]) == 1
    assert len(said[messages.READINGS]) == pytest.approx(15, abs=2)
    sound: dict[str, int] = {}
    ends_at: dict[str, int] = {}
    for packet in said[messages.SOUND]:
        point, frame, samples = messages.unpack_sound(packet)
        assert frame == ends_at.get(point, frame), "each piece begins where the one before ended"
        ends_at[point] = frame + len(samples) // 8
        sound[point] = sound.get(point, 0) + len(samples) // 8
    assert sound == {
        "viewers": pytest.approx(24_000, abs=1024),
        "input:game": pytest.approx(24_000, abs=1024),
    }
    readings = [messages.unpack_readings(body) for body in said[messages.READINGS]]
    firsts = [r["first_moment"] for r in readings]
    counts = [r["moments"].shape[1] for r in readings]
    assert firsts[1:] == [a + b for a, b in zip(firsts, counts, strict=True)][:-1], "no moment lost"
    assert readings[-1]["engine"]["late_blocks"] == 0
    assert readings[-1]["plan"] == 7


def test_a_reader_that_never_reads_makes_nothing_late(
    time: Time, ends: tuple[socket.socket, socket.socket]
) -> None:
    ours, theirs = ends
    audio = AudioProcess(theirs, Plan())
    plan = Plan(points=("viewers", "input:game"))
    messages.send(ours, messages.PLAN, messages.pack_plan(plan))
    run_blocks(audio, 3000)
    assert audio._dropped > 0
    assert audio._clock.late_blocks == 0


def test_a_flood_is_taken_a_few_messages_a_block(
    time: Time, ends: tuple[socket.socket, socket.socket]
) -> None:
    ours, theirs = ends
    audio = AudioProcess(theirs, Plan())
    piece = messages.pack_microphone(48_000, 1, np.zeros(480, np.float32).tobytes())
    sent = sum(messages.send(ours, messages.MICROPHONE, piece) for _ in range(100))
    assert sent > 20
    run_blocks(audio, 3)
    left = len(taken(theirs)[messages.MICROPHONE])
    assert left == sent - 12


def test_a_damaged_file_is_said_and_the_sound_goes_on(
    time: Time, ends: tuple[socket.socket, socket.socket], tmp_path: Path
) -> None:
    ours, theirs = ends
    (tmp_path / "bad.npy").write_bytes(b"nothing")
    plan = Plan(rig=changed(Rig(), "inputs.voice.device", "file"))
    audio = AudioProcess(theirs, plan)
    bad, gone = str(tmp_path / "bad.npy"), str(tmp_path / "gone.npy")
    for number, update in enumerate(
        ({"file": bad}, {"file": gone}, {"loop": bad}, {"replay": gone, "replay_names": ("voice",)})
    ):
        plan = plan.model_copy(update={"number": number, **update})
        messages.send(ours, messages.PLAN, messages.pack_plan(plan))
    run_blocks(audio, 50)
    said = taken(ours)
    assert len(said[messages.NOTICE]) == 4
    assert b"Choose it again" in said[messages.NOTICE][0]
    assert b"The replay could not be read" in said[messages.NOTICE][3]
    readings = messages.unpack_readings(said[messages.READINGS][-1])
    assert readings["devices"]["file"]["state"] == "no file"


def test_commands_cough_fault_and_measure(
    time: Time, ends: tuple[socket.socket, socket.socket]
) -> None:
    """A cough silences the voice, a device can be unplugged, and a click comes back as it was said."""
    ours, theirs = ends
    audio = AudioProcess(theirs, Plan())

    def readings_after(**command: Any) -> list[dict[str, Any]]:
        if "name" in command:
            messages.send(ours, messages.COMMAND, messages.pack_command(**command))
        else:
            messages.send(ours, messages.PLAN, messages.pack_plan(Plan(**command)))
        run_blocks(audio, 400)
        return [messages.unpack_readings(body) for body in taken(ours)[messages.READINGS]]

    last = readings_after(is_coughing=True)[-1]
    assert last["inputs"]["voice"]["gains"] == [0.0] * 4
    assert last["inputs"]["game"]["gains"][0] > 0
    assert readings_after(is_coughing=False)[-1]["inputs"]["voice"]["gains"][0] == 1.0
    last = readings_after(name="fault", device="game", fault="unplug", value=None)[-1]
    assert last["devices"]["game"]["state"] == "unplugged"
    measured = [
        said["measured_delay_ms"]
        for said in readings_after(name="click")
        if said["measured_delay_ms"]
    ]
    assert len(measured) == 1
    for feed in ("viewers", "call", "archive"):
        shown = sum(ms for _, ms in last["ledgers"][feed])
        assert measured[0][feed] == pytest.approx(shown, abs=1.0)
    assert measured[0]["you"] is None, "the microphone is not in what you hear"


def test_the_process_ends_when_told_or_when_it_is_alone(
    time: Time, ends: tuple[socket.socket, socket.socket]
) -> None:
    ours, theirs = ends
    audio = AudioProcess(theirs, Plan())
    messages.send(ours, messages.QUIT)
    audio.run()
    ours.close()
    AudioProcess(theirs, Plan()).run()


def test_no_kernel_is_compiled_on_air(tmp_path: Path) -> None:
    """A process of its own: what a first change, bypass or switch calls was compiled at the start."""
    code = """
import sys
import numpy as np
from goshawk.core.rig import Rig, changed_together, with_stage
from goshawk.engine.loop import AudioLoop
from goshawk.engine.plan import Comparing, Plan

def compiled():
    return {
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
loop.point("removed:suppressor")
loop.take_readings()
late = {name: count for name, count in compiled().items() if count != before.get(name)}
assert not late, late
"""
    np.save(tmp_path / "replay.npy", np.ones((1, 4800, 2), np.float32))
    paths = [str(tmp_path / "loop.npy"), str(tmp_path / "replay.npy")]
    subprocess.run([sys.executable, "-c", code, *paths], check=True)
