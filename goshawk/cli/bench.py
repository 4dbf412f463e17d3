"""How much of a block's time the voice chain and the balance take: figures, never a test."""

import gc
import time
from collections.abc import Callable
from typing import Any

import numpy as np
import typer

from goshawk.core.chain_slots import default_chain
from goshawk.core.graph.chain import RunningChain
from goshawk.core.graph.mixer import STRIPS, Mixer
from goshawk.core.graph.stations import kept_sounds
from goshawk.core.rig import Rig, changed_together
from goshawk.core.routing import FEEDS
from goshawk.devices.attic import Interface, Room
from goshawk.timeline.memory import Memory
from goshawk.timeline.sound import SoundWriter
from goshawk.units import SAMPLE_RATE_HZ

BLOCK_SIZES = (64, 128, 256, 512)
RUN_S = 8.0
WARM_UP_BLOCKS = 200
BALANCE_FRAMES = 256


def run_bench(say: Callable[[str], None]) -> dict[str, Any]:
    """Time each block and each stage of the default chain on the attic's voice, mono."""
    frames = int(RUN_S * SAMPLE_RATE_HZ)
    room = Room(frames)
    room.perform("talk")
    attic = Interface(room)
    attic.set_preamp_gain_db(36.0)
    sound = np.zeros((frames, 2), np.float32)
    room.hear(sound)
    attic.read(sound)
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


def _run_balance(sound: np.ndarray[Any, Any]) -> dict[str, Any]:
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
    for i in range(blocks):
        block = sound[i * BALANCE_FRAMES : (i + 1) * BALANCE_FRAMES]
        mixer.process(dict.fromkeys(("attic", "game", "player", "call"), block), BALANCE_FRAMES)
        busy_s = mixer.take_readings().stage_busy_s
        strips[i] = sum(busy_s[name] for name in counted)
        began = time.perf_counter()
        for name in writer.names:
            writer.write(name, *mixer.sound(name, BALANCE_FRAMES))
        writer.finish(BALANCE_FRAMES)
        written[i] = time.perf_counter() - began
    strips, written = strips[WARM_UP_BLOCKS:] * 1e6, written[WARM_UP_BLOCKS:] * 1e6
    return {
        "block_frames": BALANCE_FRAMES,
        "budget_us": round(BALANCE_FRAMES / SAMPLE_RATE_HZ * 1e6, 1),
        "strips_median_us": round(float(np.median(strips)), 1),
        "strips_p999_us": round(float(np.quantile(strips, 0.999)), 1),
        "written_median_us": round(float(np.median(written)), 1),
    }


def _run(voice: np.ndarray[Any, Any], block_frames: int) -> dict[str, Any]:
    places = list(RunningChain(default_chain(), 1, block_frames))
    blocks = len(voice) // block_frames
    times = np.zeros((blocks, len(places) + 1))
    buffer = np.zeros((block_frames, 1), np.float32)
    for i in range(blocks):
        buffer[:] = voice[i * block_frames : (i + 1) * block_frames]
        times[i, 0] = time.perf_counter()
        for k, place in enumerate(places):
            place.process(buffer)
            times[i, k + 1] = time.perf_counter()
    times = times[WARM_UP_BLOCKS:] * 1e6
    whole = times[:, -1] - times[:, 0]
    stages = np.median(np.diff(times, axis=1), axis=0)
    return {
        "block_frames": block_frames,
        "budget_us": round(block_frames / SAMPLE_RATE_HZ * 1e6, 1),
        "median_us": round(float(np.median(whole)), 1),
        "p99_us": round(float(np.quantile(whole, 0.99)), 1),
        "p999_us": round(float(np.quantile(whole, 0.999)), 1),
        "stages": {
            place.slot.id: round(float(us), 1) for place, us in zip(places, stages, strict=True)
        },
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
    each = one["strips_median_us"] + one["handed_over_median_us"] / one["handed_over_every_blocks"]
    typer.echo(
        f"balance at {one['block_frames']} frames, three inputs with EQ and ducker at work: median "
        f"{one['strips_median_us']:.0f} µs, p99.9 {one['strips_p999_us']:.0f} µs; handing the sound over "
        f"{one['handed_over_median_us']:.0f} µs every {one['handed_over_every_blocks']} blocks; together "
        f"{100 * each / one['budget_us']:.1f} % of a block"
    )
