"""Two clocks apart for hours, faster than time: a 1 kHz tone through the clock follower."""

import time
from collections.abc import Callable
from typing import Any

import numpy as np

from goshawk.core.dsp.rate_matcher import RateMatcher
from goshawk.units import SAMPLE_RATE_HZ

TONE_HZ = 1000.0
TARGET_MS = 25.0
PACKET = BLOCK = 256
SETTLE_S = 60.0
JUDGED_S = 20.0
SAY_EVERY_S = 3600.0


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
