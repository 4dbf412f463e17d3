"""How much of a block's time the voice chain and the balance take: figures, never a test."""

import gc
import importlib
import time
from collections.abc import Callable
from typing import Any

import numpy as np
import typer

from goshawk.core.chain_slots import default_chain
from goshawk.core.graph.chain import RunningChain
from goshawk.core.graph.mixer import STRIPS, Mixer
from goshawk.core.graph.stations import kept_sounds
from goshawk.core.rendering import render
from goshawk.core.rig import Rig, changed_together
from goshawk.core.routing import FEEDS
from goshawk.core.stage import Block, Floats
from goshawk.core.steps import StepProgram
from goshawk.devices.attic import Interface, Room
from goshawk.timeline.memory import Memory
from goshawk.timeline.sound import SoundWriter
from goshawk.units import SAMPLE_RATE_HZ

BLOCK_SIZES = (64, 128, 256, 512)
WARM_UP_BLOCKS = 200
BALANCE_FRAMES = 256


def _voice(seconds: float) -> Block:
    """The attic's voice, shape (frames, 2)."""
    frames = int(seconds * SAMPLE_RATE_HZ)
    room = Room(frames)
    room.perform("talk")
    attic = Interface(room)
    attic.set_preamp_gain_db(36.0)
    sound = np.zeros((frames, 2), np.float32)
    room.hear(sound)
    attic.read(sound)
    return sound


def run_bench(seconds: float, say: Callable[[str], None]) -> dict[str, Any]:
    """Time each block and each stage of the default chain on the attic's voice, mono."""
    sound = _voice(seconds)
    voice = np.ascontiguousarray(sound[:, :1])
    runs = []
    gc.disable()
    for block_frames in BLOCK_SIZES:
        say(f"timing blocks of {block_frames} frames …")
        runs.append(_run(voice, block_frames))
    say("timing the balance …")
    balance = _run_balance(sound)
    gc.enable()
    return {"sample_rate_hz": SAMPLE_RATE_HZ, "runs": runs, "balance": balance}


def _run_balance(sound: Block) -> dict[str, Any]:
    """What trims, EQs and duckers of three background inputs cost a block, all of them at work, and what it takes to
    write the sound into shared memory for everything that is computed elsewhere."""
    shaped = {
        "ducker.is_bypassed": False,
        **{f"eq.settings.bell_{band}.gain_db": -3.0 for band in range(1, 7)},
    }
    rig = changed_together(
        Rig(),
        {
            f"inputs.{name}.chain.{name}_{setting}": value
            for name in ("game", "music", "copilot")
            for setting, value in shaped.items()
        },
    )
    mixer = Mixer(rig, BALANCE_FRAMES, time.perf_counter)
    others = (one for one in rig.inputs if one.id != rig.chained)
    counted = [STRIPS, *(slot.id for one in others for slot in one.chain)]
    blocks = len(sound) // BALANCE_FRAMES
    strips, written = np.zeros(blocks), np.zeros(blocks)
    writer = SoundWriter(Memory.local())
    writer.offer([*kept_sounds(rig), *FEEDS])
    written_by = StepProgram()
    for i in range(blocks):
        block = sound[i * BALANCE_FRAMES : (i + 1) * BALANCE_FRAMES]
        mixer.process(dict.fromkeys(("attic", "game", "player", "call"), block), BALANCE_FRAMES)
        busy_s = mixer.take_readings().stage_busy_s
        strips[i] = sum(busy_s[name] for name in counted)
        if i == 0:
            for name in writer.names:
                place = mixer.place(name)
                if place:
                    written_by.add(place[0], writer.step(name, place[1]))
            written_by.finish()
        began = time.perf_counter()
        written_by.run(BALANCE_FRAMES)
        writer.finish(BALANCE_FRAMES)
        written[i] = time.perf_counter() - began
    strips, written = _settled(strips) * 1e6, _settled(written) * 1e6
    return {
        "block_frames": BALANCE_FRAMES,
        "budget_us": round(BALANCE_FRAMES / SAMPLE_RATE_HZ * 1e6, 1),
        "strips_median_us": round(float(np.median(strips)), 1),
        "strips_p999_us": round(float(np.quantile(strips, 0.999)), 1),
        "written_median_us": round(float(np.median(written)), 1),
    }


def _run(voice: Block, block_frames: int) -> dict[str, Any]:
    chain = RunningChain(default_chain(), 1, block_frames)
    chain.process(np.zeros((block_frames, 1), np.float32))
    chain.take_cycles()  # What is loaded with the first block counts for none.
    times = _times(voice, block_frames, chain.process)
    spent = chain.take_cycles()
    one_us = float(np.sum(times)) / max(1, sum(spent.values()))
    times = _settled(times)
    blocks = len(voice) // block_frames
    return {
        "block_frames": block_frames,
        "budget_us": round(block_frames / SAMPLE_RATE_HZ * 1e6, 1),
        "median_us": round(float(np.median(times)), 1),
        "p99_us": round(float(np.quantile(times, 0.99)), 1),
        "p999_us": round(float(np.quantile(times, 0.999)), 1),
        "stages": {
            name: round(count * one_us / blocks, 1) for name, count in spent.items() if name
        },
    }


def _settled(times: Floats) -> Floats:
    """Without the first blocks, which find nothing in the caches."""
    return times[min(WARM_UP_BLOCKS, len(times) // 4) :]


def _times(voice: Block, block_frames: int, process: Callable[[Block], Any]) -> Floats:
    """How long each block takes, in µs."""
    blocks = len(voice) // block_frames
    times = np.zeros(blocks)
    buffer = np.zeros((block_frames, voice.shape[1]), np.float32)
    for i in range(blocks):
        buffer[:] = voice[i * block_frames : (i + 1) * block_frames]
        began = time.perf_counter()
        process(buffer)
        times[i] = time.perf_counter() - began
    return times * 1e6


COMPARED_FRAMES = 128


def run_compare(seconds: float, say: Callable[[str], None]) -> dict[str, Any] | None:
    """The chain without its suppressor, and a comparable one of a C++ library of effects, block by block in one run; None
    where the library is not installed."""
    try:
        library: Any = importlib.import_module("pedalboard")
    except ImportError:
        return None
    say("comparing with a C++ library …")
    voice = _voice(seconds)[:, :1]
    bands = {
        **{f"bell_{band}.gain_db": -2.0 for band in range(1, 7)},
        "low_shelf.gain_db": 1.0,
        "high_shelf.gain_db": 1.0,
    }
    names = ("trim", "high_pass", "gate", "eq", "compressor", "limiter")
    chain = tuple(
        slot.model_copy(update={"is_bypassed": False})
        for slot in default_chain()
        if slot.stage in names
    )
    eq = next(slot for slot in chain if slot.stage == "eq")
    settings: Any = eq.settings
    for path, value in bands.items():
        band, field = path.split(".")
        changed = getattr(settings, band).model_copy(update={field: value, "is_on": True})
        settings = settings.model_copy(update={band: changed})
    chain = tuple(
        slot.model_copy(update={"settings": settings}) if slot is eq else slot for slot in chain
    )
    running = RunningChain(chain, 1, COMPARED_FRAMES)
    theirs = library.Pedalboard(
        [
            library.NoiseGate(-45.0),
            library.HighpassFilter(80.0),
            library.LowShelfFilter(150.0, 1.0),
            *(library.PeakFilter(hz, -2.0, 1.0) for hz in (200, 400, 800, 1600, 3200, 6400)),
            library.HighShelfFilter(8000.0, 1.0),
            library.Compressor(-24.0, 3.0),
            library.Gain(3.0),
            library.Limiter(-1.0),
        ]
    )

    def pass_theirs(block: Block) -> None:
        theirs.process(block.T, SAMPLE_RATE_HZ, COMPARED_FRAMES, reset=False)

    ours_us, theirs_us = (
        float(np.median(_settled(_times(voice, COMPARED_FRAMES, process))))
        for process in (running.process, pass_theirs)
    )
    return {
        "block_frames": COMPARED_FRAMES,
        "stages": [slot.stage for slot in chain],
        "ours_median_us": round(ours_us, 1),
        "theirs_median_us": round(theirs_us, 1),
        "ratio": round(ours_us / theirs_us, 2),
    }


def run_bench_render(minutes: float, say: Callable[[str], None]) -> dict[str, Any]:
    """How much faster than time ``minutes`` of voice are rendered through the default chain, once all is loaded."""
    say(f"making {minutes:g} minutes of voice …")
    once = _voice(60.0)[:, :1]
    voice = np.ascontiguousarray(np.tile(once, (max(1, round(minutes)), 1)))
    render(once[:SAMPLE_RATE_HZ], default_chain())
    say("rendering …")
    began = time.perf_counter()
    render(voice, default_chain())
    took_s = time.perf_counter() - began
    sound_s = len(voice) / SAMPLE_RATE_HZ
    return {
        "sound_s": round(sound_s, 1),
        "took_s": round(took_s, 2),
        "real_time_factor": round(took_s / sound_s, 4),
        "times_faster": round(sound_s / took_s, 1),
    }


def print_table(result: dict[str, Any]) -> None:
    """The same figures for people."""
    for run in result["runs"]:
        share = 100 * run["median_us"] / run["budget_us"]
        worst = 100 * run["p999_us"] / run["budget_us"]
        typer.echo(
            f"{run['block_frames']:>4} frames ({run['budget_us'] / 1000:.2f} ms): "
            f"median {run['median_us']:.0f} µs = {share:.1f} %, p99 {run['p99_us']:.0f} µs, "
            f"p99.9 {run['p999_us']:.0f} µs = {worst:.1f} %   "
            + "  ".join(f"{name} {us:.0f}" for name, us in run["stages"].items())
        )
    one = result["balance"]
    each = one["strips_median_us"] + one["written_median_us"]
    typer.echo(
        f"balance at {one['block_frames']} frames, three inputs with EQ and ducker at work: median "
        f"{one['strips_median_us']:.0f} µs, p99.9 {one['strips_p999_us']:.0f} µs; writing the sound down "
        f"{one['written_median_us']:.0f} µs; together {100 * each / one['budget_us']:.1f} % of a block"
    )
    compared = result.get("compared")
    if compared:
        typer.echo(
            f"without suppressor at {compared['block_frames']} frames: {compared['ours_median_us']:.1f} µs, a C++ "
            f"library's chain {compared['theirs_median_us']:.1f} µs: {compared['ratio']:.2f} times"
        )
