"""Two clocks apart for hours, faster than time: a 1 kHz tone through the clock follower."""

import time
from collections.abc import Callable
from typing import Any

import numpy as np

from goshawk.core.dsp.clock_follower import Follower
from goshawk.core.dsp.frame_ring import DROPOUTS, OVERRUNS, Ring, take
from goshawk.core.dsp.rate_matcher import RateMatcher
from goshawk.units import SAMPLE_RATE_HZ

TONE_HZ = 1000.0
TARGET_MS = 25.0
PACKET = BLOCK = 256
SETTLE_S = 60.0
JUDGED_S = 20.0
SAY_EVERY_S = 3600.0


OUTPUT_BLOCK = 1024
OUTPUT_TARGET_MS = 40.0


def run_two_outputs(hours: float, ppm: float, say: Callable[[str], None]) -> dict[str, Any]:
    """Two outputs of one feed, on clocks ``ppm`` apart: delays and dropouts of each. In blocks of 1024, to be quick."""
    now_ns = np.zeros(1, np.int64)
    rings = Ring(), Ring()
    followers = [
        Follower(ring, SAMPLE_RATE_HZ, OUTPUT_TARGET_MS, now_ns, is_output=True) for ring in rings
    ]
    rates_hz = [SAMPLE_RATE_HZ * (1.0 + sign * ppm * 0.5e-6) for sign in (1.0, -1.0)]
    taken = [0, 0]
    piece = np.zeros((PACKET, 2), np.float32)
    wave = np.sin(2.0 * np.pi * TONE_HZ / SAMPLE_RATE_HZ * np.arange(OUTPUT_BLOCK + 48))
    least, most = [np.inf, np.inf], [0.0, 0.0]
    began = time.monotonic()
    for number in range(round(hours * 3600.0 * SAMPLE_RATE_HZ / OUTPUT_BLOCK)):
        now_s = (number + 1) * OUTPUT_BLOCK / SAMPLE_RATE_HZ
        now_ns[0] = round(now_s * 1e9)
        start = number * OUTPUT_BLOCK % 48  # A period of the tone.
        block = wave[start : start + OUTPUT_BLOCK, None].astype(np.float32).repeat(2, axis=1)
        for side, (ring, follower) in enumerate(zip(rings, followers, strict=True)):
            while (taken[side] + 1) * PACKET / rates_hz[side] <= now_s:
                taken[side] += 1
                at_ns = round(taken[side] * PACKET / rates_hz[side] * 1e9)
                take(ring.sound, ring.numbers, piece, at_ns)
            follower.step.run(block)
            if now_s > SETTLE_S:
                least[side] = min(least[side], follower.age_ms)
                most[side] = max(most[side], follower.age_ms)
        if now_s % SAY_EVERY_S < OUTPUT_BLOCK / SAMPLE_RATE_HZ:
            say(f"{now_s / 3600:.0f} h simulated …")
    return {
        "hours": hours,
        "apart_ppm": ppm,
        "found_ppm": [round(one.clock_ppm) for one in followers],
        "delay_ms_least": [round(one, 3) for one in least],
        "delay_ms_most": [round(one, 3) for one in most],
        "dropouts": [int(ring.numbers[DROPOUTS]) for ring in rings],
        "overruns": [int(ring.numbers[OVERRUNS]) for ring in rings],
        "took_s": round(time.monotonic() - began, 1),
    }


def residue_db(sound: np.ndarray[Any, Any], hz: float = TONE_HZ) -> float:
    """Everything but a tone, against the tone, in dB."""
    power = np.abs(np.fft.rfft(sound * np.blackman(len(sound)))) ** 2
    near = np.abs(np.fft.rfftfreq(len(sound), 1.0 / SAMPLE_RATE_HZ) - hz) < 20.0
    return float(10.0 * np.log10(power[~near].sum() / power[near].sum()))


def run_bench_drift(hours: float, ppm: float, say: Callable[[str], None]) -> dict[str, Any]:
    """A device whose clock is ``ppm`` off for ``hours``; figures of delay, buffer and tone."""
    matcher = RateMatcher(1, SAMPLE_RATE_HZ, TARGET_MS)
    rate_hz = SAMPLE_RATE_HZ * (1.0 + ppm * 1e-6)
    step = 2.0 * np.pi * TONE_HZ / rate_hz
    block = np.zeros((BLOCK, 1), np.float32)
    heard: list[np.ndarray[Any, Any]] = []
    residues, ages = [], []
    least_fill_ms, pushed, began = np.inf, 0, time.monotonic()
    judged_blocks = round(JUDGED_S * SAMPLE_RATE_HZ / BLOCK)
    total = round(hours * 3600.0 * SAMPLE_RATE_HZ / BLOCK)
    for number in range(total):
        now_s = (number + 1) * BLOCK / SAMPLE_RATE_HZ
        while (pushed + PACKET) / rate_hz <= now_s:
            phase = (pushed * step) % (2.0 * np.pi) + step * np.arange(PACKET)
            matcher.push(
                (0.5 * np.sin(phase)).astype(np.float32)[:, None], (pushed + PACKET) / rate_hz
            )
            pushed += PACKET
        matcher.pull(block, now_s)
        heard.append(block[:, 0].copy())
        if len(heard) == judged_blocks:
            if now_s > SETTLE_S + JUDGED_S:
                residues.append(residue_db(np.concatenate(heard)))
            heard.clear()
        if now_s > SETTLE_S:
            reading = matcher.reading()
            ages.append(reading["age_ms"])
            least_fill_ms = min(least_fill_ms, reading["fill_ms"])
        if now_s % SAY_EVERY_S < BLOCK / SAMPLE_RATE_HZ:
            say(f"{now_s / 3600:.0f} h simulated …")
    return {
        "hours": hours,
        "clock_ppm": ppm,
        "found_ppm": matcher.reading()["clock_ppm"],
        "delay_ms_first": ages[0],
        "delay_ms_last": ages[-1],
        "delay_ms_least": min(ages),
        "delay_ms_most": max(ages),
        "least_fill_ms": round(float(least_fill_ms), 1),
        "dropouts": matcher.dropouts,
        "worst_residue_db": round(max(residues), 1),
        "took_s": round(time.monotonic() - began, 1),
    }
