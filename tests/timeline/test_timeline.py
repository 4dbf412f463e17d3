"""The timeline in shared memory: every frame once and by its number, gaps seen and counted, nothing left behind."""

import os
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from goshawk.errors import TimelineLost
from goshawk.timeline import memory as memory_module
from goshawk.timeline import sound as sound_module
from goshawk.timeline.memory import RING_FRAMES, SLOTS, Memory, sweep
from goshawk.timeline.sound import Piece, SoundReader, SoundWriter


def ramp(start: int, frames: int) -> np.ndarray:
    """Samples that say which frame they are."""
    return np.repeat(np.arange(start, start + frames, dtype=np.float32)[:, None], 2, 1)


@given(
    st.lists(
        st.tuples(st.integers(1, 1024), st.integers(0, 900), st.booleans()),
        min_size=1,
        max_size=80,
    )
)
@settings(max_examples=40)
def test_a_reader_gets_every_frame_once_by_its_number(
    blocks: list[tuple[int, int, bool]],
) -> None:
    """Whatever the blocks, whenever it reads, and however the way to the sound's place changes in length."""
    memory = Memory.local()
    writer = SoundWriter(memory)
    writer.offer(["voice"])
    reader = SoundReader(memory, "voice")
    late_at: dict[int, int] = {}
    pieces: list[Piece] = reader.read()
    late_now = 0
    for frames, late, reads in blocks:
        late_at |= dict.fromkeys(range(writer.frame, writer.frame + frames), late_now)
        writer.write("voice", ramp(writer.frame, frames), late_now)
        writer.finish(frames)
        if reads:
            pieces += reader.read()
            late_now = late
    pieces += reader.read()
    read = np.concatenate([one.samples[:, 0] for one in pieces])
    np.testing.assert_array_equal(read, np.arange(len(read)))
    assert len(read) == writer.frame
    assert reader.losses == 0
    for one in pieces:
        said = {late_at[one.at + n] for n in range(len(one.samples))}
        assert said == {one.at - one.frame}, "the same sound has the same number everywhere"


@given(
    st.lists(
        st.tuples(
            st.integers(1, 1024),
            st.integers(0, 900),
            st.booleans(),
            st.sampled_from([0, 0, 480, 960]),
        ),
        min_size=1,
        max_size=30,
    )
)
@settings(max_examples=60)
def test_what_was_passed_over_is_missing_and_what_was_made_before_it_is_not_lost(
    blocks: list[tuple[int, int, bool, int]],
) -> None:
    memory = Memory.local()
    writer = SoundWriter(memory)
    writer.offer(["voice"])
    reader = SoundReader(memory, "voice")
    pieces: list[Piece] = reader.read()
    made: list[int] = []
    late_now = 0
    for frames, late, reads, passed in blocks:
        made += range(writer.frame, writer.frame + frames)
        writer.write("voice", ramp(writer.frame, frames), late_now)
        writer.finish(frames)
        if passed:
            writer.pass_over(passed)
        if reads:
            pieces += reader.read()
            late_now = late
    pieces += reader.read()
    assert [frame for one in pieces for frame in range(one.at, one.at + len(one.samples))] == made
    assert np.concatenate([one.samples[:, 0] for one in pieces]).tolist() == made
    assert reader.losses == 0
    # Beyond a stretch longer than all that is kept, too.
    writer.pass_over(3 * RING_FRAMES)
    reader.read()
    writer.write("voice", ramp(writer.frame, 64), late_now)
    writer.finish(64)
    (piece,) = reader.read()
    assert piece.samples[0, 0] == piece.at == writer.frame - 64
    assert reader.losses == 0


def test_of_a_way_that_changed_twice_no_number_is_guessed() -> None:
    memory = Memory.local()
    writer = SoundWriter(memory)
    writer.offer(["voice"])
    reader = SoundReader(memory, "voice")
    for late in (0, 100, 50):
        writer.write("voice", ramp(writer.frame, 256), late)
        writer.finish(256)
    pieces = reader.read()
    assert [(one.at, one.frame) for one in pieces] == [(256, 156), (512, 462)]


def test_who_is_slow_sees_what_is_missing_and_never_splices() -> None:
    memory = Memory.local()
    writer = SoundWriter(memory)
    writer.offer(["voice", "game"])
    reader, quick = SoundReader(memory, "voice"), SoundReader(memory, "game")
    for number in range(2 * RING_FRAMES // 512):
        for name in writer.names:
            writer.write(name, ramp(writer.frame, 512), 0)
        writer.finish(512)
        if number == 0:
            reader.read()
        quick.read()
    (piece,) = reader.read()
    assert piece.at > 512
    np.testing.assert_array_equal(piece.samples[:, 0], np.arange(piece.at, 2 * RING_FRAMES))
    assert (reader.losses, reader.lost_frames) == (1, piece.at - 512)
    assert quick.losses == 0, "each has a place of its own"


def test_a_sound_that_is_given_up_is_not_taken_for_the_next_in_its_place() -> None:
    memory = Memory.local()
    writer = SoundWriter(memory)
    writer.offer(["voice"])
    reader = SoundReader(memory, "voice")
    writer.write("voice", ramp(0, 64), 0)
    writer.finish(64)
    assert len(reader.read()) == 1
    writer.offer(["game"])
    writer.write("game", ramp(64, 64), 0)
    writer.finish(64)
    assert reader.read() == []
    writer.offer([f"sound_{n}" for n in range(SLOTS + 9)])
    assert len(writer.names) == SLOTS, "more are not offered"
    # It comes back: what was between is not there, and not taken for lost.
    writer.offer(["voice"])
    writer.write("voice", ramp(128, 64), 0)
    writer.finish(64)
    (piece,) = reader.read()
    assert piece.at == 128
    assert reader.losses == 0


def test_the_next_process_goes_on_where_time_has_come_to(monkeypatch: pytest.MonkeyPatch) -> None:
    """Sound that nobody made is missing for as long as it was missing, and hops lie where they lay."""
    now = [10**9]
    monkeypatch.setattr(sound_module.time, "monotonic_ns", lambda: now[0])
    memory = Memory.local()
    first = SoundWriter(memory)
    first.offer(["voice"])
    reader = SoundReader(memory, "voice")
    first.write("voice", ramp(0, 1000), 0)
    first.finish(1000)
    assert len(reader.read()) == 1
    now[0] += 2 * 10**9
    second = SoundWriter(memory)
    assert second.frame == -(-(1000 + 96_000) // 480) * 480
    second.offer(["voice"])
    second.write("voice", ramp(second.frame, 64), 0)
    second.finish(64)
    (piece,) = reader.read()
    assert piece.at == second.frame - 64


def test_another_process_reads_what_one_writes_and_nothing_is_left(tmp_path: Path) -> None:
    memory = Memory.make()
    shown = Path("/dev/shm") / memory.name
    assert shown.exists()
    assert shown.stat().st_mode & 0o077 == 0, "for its user alone"
    writer = SoundWriter(memory)
    writer.offer(["voice"])
    writer.write("voice", ramp(0, 480), 0)
    writer.finish(480)
    code = (
        "import sys; from goshawk.timeline.memory import Memory; "
        "from goshawk.timeline.sound import SoundReader; "
        "(one,) = SoundReader(Memory.open(sys.argv[1]), 'voice').read(); "
        "print(one.at, len(one.samples), one.samples[-1, 0])"
    )
    run = subprocess.run(
        [sys.executable, "-c", code, memory.name], capture_output=True, text=True, check=True
    )
    assert run.stdout.split() == ["0", "480", "479.0"]
    assert run.stderr == ""
    assert shown.exists(), "a reader that ends takes nothing with it"
    memory.remove()
    assert not shown.exists()
    memory.remove()
    with pytest.raises(TimelineLost, match="Start Goshawk again"):
        Memory.open(memory.name)


def test_what_a_killed_process_has_left_is_swept() -> None:
    code = "from goshawk.timeline.memory import Memory; import os; print(Memory.make().name, flush=True); os._exit(1)"
    run = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    left, ours = Path("/dev/shm") / run.stdout.strip(), Memory.make()
    assert left.exists()
    sweep()
    assert not left.exists()
    assert (Path("/dev/shm") / ours.name).exists(), "not what is in use"
    # Who was started by who made it removes it, when that one is gone; and only then.
    ours.remove_if_left()
    if str(os.getppid()) != ours.name.split("-")[1]:
        assert not (Path("/dev/shm") / ours.name).exists()
    ours.remove()


def test_no_room_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*given: object, **more: object) -> None:
        raise OSError(28, "No space left on device")

    # The system takes what is asked for as given, and ends whoever writes more than there is.
    with monkeypatch.context() as small:
        small.setattr(memory_module, "shared_memory_left", lambda: 20 << 20)
        with pytest.raises(
            TimelineLost, match=r"20 MB are left, 37 are needed.*let the system have more"
        ):
            Memory.make()
    monkeypatch.setattr(memory_module, "_Shared", full)
    with pytest.raises(TimelineLost, match=r"no memory to share.*No space left"):
        Memory.make()


def test_sound_costs_a_reader_no_more_the_longer_it_runs() -> None:
    """A ratio within one run: an hour on, a read takes as long as at the beginning."""
    memory = Memory.local()
    writer = SoundWriter(memory)
    writer.offer(["voice"])
    reader = SoundReader(memory, "voice")
    block = ramp(0, 480)

    def cost() -> float:
        best = np.inf
        for _ in range(200):
            writer.write("voice", block, 0)
            writer.finish(480)
            began = time.perf_counter()
            reader.read()
            best = min(best, time.perf_counter() - began)
        return float(best)

    early = cost()
    writer.finish(3600 * 48_000)
    assert cost() < 4 * early
