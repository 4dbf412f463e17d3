"""Compiles every kernel before the first start, in one process for each processor."""

import multiprocessing
import os
from collections.abc import Callable
from concurrent.futures import Future, ProcessPoolExecutor, wait

import numpy as np

from goshawk import kernel_note
from goshawk.core.dsp.compressor import CompressorSettings, reduction_at_db
from goshawk.core.graph.chain import STAGES, warm_up_stage
from goshawk.core.graph.mixer import Mixer
from goshawk.core.rig import Rig
from goshawk.devices.inserts import warm_up_inserts
from goshawk.devices.outlets import warm_up_outlets
from goshawk.devices.rack import Rack
from goshawk.engine.loop import AudioLoop
from goshawk.engine.plan import Plan
from goshawk.engine.plan_maker import MAX_FRAMES
from goshawk.kernel_cache import sweep
from goshawk.model_file import give_weights
from goshawk.timeline.memory import Memory
from goshawk.timeline.sound import SoundWriter

LONGEST_FIRST = ("suppressor", "eq", "limiter", "compressor", "de_esser")
LOOKS_EVERY_S = 0.2


def _mix_without_chains() -> None:
    rig = Rig()
    bare = tuple(one.model_copy(update={"chain": ()}) for one in rig.inputs)
    mixer = Mixer(rig.model_copy(update={"inputs": bare}), MAX_FRAMES)
    mixer.process({}, 64)


def _read_devices() -> None:
    rack = Rack(MAX_FRAMES)
    rack.apply(Rig())
    rack.is_watched = True
    rack.read(64, set())


def _devices_of_the_computer() -> None:
    warm_up_outlets(MAX_FRAMES)
    warm_up_inserts(MAX_FRAMES)


_PARTS: dict[str, Callable[[], None]] = {
    "mix": _mix_without_chains,
    "computer": _devices_of_the_computer,
    "devices": _read_devices,
}


def _compile(part: str) -> None:
    if part in STAGES:
        warm_up_stage(part)
    else:
        _PARTS[part]()


def _what_is_left() -> None:
    """Load everything that the engine runs. Other processes have compiled most of it."""
    AudioLoop(Plan())
    memory = Memory.make()
    try:
        writer = SoundWriter(memory)
        writer.offer(["any"])
        writer.write("any", np.zeros((64, 2), np.float32), 0)
    finally:
        memory.remove()
    reduction_at_db(CompressorSettings(), 0.0)


def compile_all(say: Callable[[int], None]) -> None:
    """Compile the kernels that are missing, and tell ``say`` how many there are meanwhile. Raises the error of a kernel that cannot be
    compiled."""
    sweep()
    others = [name for name in STAGES if name not in LONGEST_FIRST]
    parts = [*LONGEST_FIRST[:1], *_PARTS, *LONGEST_FIRST[1:], *others]
    processes = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count()
    with ProcessPoolExecutor(
        processes, multiprocessing.get_context("spawn"), initializer=give_weights
    ) as pool:
        waiting: set[Future[None]] = {pool.submit(_compile, part) for part in parts}
        while waiting:
            done, waiting = wait(waiting, LOOKS_EVERY_S)
            for one in done:
                one.result()
            say(kernel_note.count())
    _what_is_left()
    say(kernel_note.count())
    kernel_note.note_compiled()
