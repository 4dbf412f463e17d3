"""Noises and rooms made in code, for training only: others than those of the tests. All at 48 kHz, mono, float32."""

from collections.abc import Callable

import numpy as np
from numpy.random import Generator
from scipy.signal import fftconvolve, sosfilt

from goshawk.units import SAMPLE_RATE_HZ as RATE_HZ
from tools.train_suppressor.shapes import Mono, band_pass, shaped, to_rms

Maker = Callable[[int, Generator], Mono]


def air(frames: int, chance: Generator) -> Mono:
    """A steady rush of any colour."""
    tilt, knee_hz = chance.uniform(-1.2, 0.6), chance.uniform(60, 2000)
    return shaped(
        chance.standard_normal(frames, np.float32),
        lambda hz: (1 + hz / knee_hz) ** tilt * (1 + bumps(hz, chance, 3, 9.0)),
    )


def bumps(hz: Mono, chance: Generator, most: int, height_db: float) -> Mono:
    """Some resonances, as linear gains less one."""
    gain_db = np.zeros_like(hz)
    for _ in range(chance.integers(0, most + 1)):
        centre, width = np.exp(chance.uniform(np.log(60), np.log(12_000))), chance.uniform(0.1, 0.8)
        gain_db += chance.uniform(-height_db, height_db) * np.exp(
            -((np.log2(np.maximum(hz, 1.0) / centre) / width) ** 2)
        )
    return 10 ** (gain_db / 20) - 1


def blades(frames: int, chance: Generator) -> Mono:
    """A fan: harmonics that waver a little, over air."""
    time_s = np.arange(frames) / RATE_HZ
    base_hz = chance.uniform(40, 260)
    wander = 1 + 0.004 * np.sin(2 * np.pi * chance.uniform(0.1, 1.0) * time_s)
    phase = (2 * np.pi * ((base_hz * np.cumsum(wander) / RATE_HZ) % 1.0)).astype(np.float32)
    tones = sum(
        np.sin(k * phase + chance.uniform(0, 6)) / k ** chance.uniform(0.3, 1.5)
        for k in range(1, chance.integers(3, 14))
    )
    return to_rms(air(frames, chance)) + chance.uniform(0.1, 1.2) * to_rms(tones)


def mains(frames: int, chance: Generator) -> Mono:
    """Hum of 50 or 60 Hz and its harmonics, with some hiss. A second of it repeats itself."""
    time_s = np.arange(RATE_HZ) / RATE_HZ
    base_hz = chance.choice([50.0, 60.0])
    tones = sum(
        np.sin(2 * np.pi * base_hz * k * time_s + chance.uniform(0, 6))
        * chance.uniform(0.1, 1)
        / k ** chance.uniform(0.3, 1.2)
        for k in range(1, 24)
    )
    return np.resize(to_rms(tones), frames) + chance.uniform(0.02, 0.4) * to_rms(
        air(frames, chance)
    )


def drops(frames: int, chance: Generator) -> Mono:
    """Rain, or something that crackles."""
    at = chance.integers(0, frames, int(frames / RATE_HZ * chance.uniform(30, 1200)))
    sound = np.zeros(frames)
    np.add.at(sound, at, chance.exponential(1.0, len(at)) * chance.choice([-1.0, 1.0], len(at)))
    time_s = np.arange(480) / RATE_HZ
    drop = np.exp(-time_s / chance.uniform(0.0003, 0.002)) * np.sin(
        2 * np.pi * chance.uniform(800, 6000) * time_s
    )
    wet = fftconvolve(sound, drop)[:frames]
    return chance.uniform(0.1, 1) * to_rms(wet) + to_rms(air(frames, chance))


def traffic(frames: int, chance: Generator) -> Mono:
    """What passes by: a low rush that comes and goes within seconds."""
    time_s = np.arange(frames) / RATE_HZ
    swell = np.zeros(frames)
    for _ in range(chance.integers(1, 4)):
        middle, width = chance.uniform(0, time_s[-1]), chance.uniform(0.6, 3.0)
        swell += np.exp(-(((time_s - middle) / width) ** 2))
    low = shaped(chance.standard_normal(frames, np.float32), lambda hz: (1 + hz / 200.0) ** -1.1)
    return to_rms((0.1 + swell) * low)


def keys(frames: int, chance: Generator) -> Mono:
    """A keyboard: strokes in runs, each with its press and its return; no two keyboards are alike."""
    sound = np.zeros(frames + RATE_HZ)
    fast_s = chance.uniform(0.07, 0.3)
    decay_s, thud_hz, thud = (
        chance.uniform(0.0008, 0.006),
        chance.uniform(90, 500),
        chance.uniform(0, 1.2),
    )
    low_hz, high_hz = chance.uniform(200, 2500), chance.uniform(4000, 16_000)
    ring_hz, ring = chance.uniform(1000, 7000), chance.choice([0.0, chance.uniform(0.1, 0.8)])
    at_s = chance.uniform(0, 1.0)
    time_s = np.arange(2400) / RATE_HZ
    while at_s < frames / RATE_HZ:
        for later_s, height in ((0.0, 1.0), (chance.uniform(0.03, 0.12), chance.uniform(0.1, 0.8))):
            start = int((at_s + later_s) * RATE_HZ)
            rise = np.minimum(1.0, time_s / chance.uniform(0.0001, 0.0015))
            click = chance.standard_normal(2400) * np.exp(
                -time_s / (decay_s * chance.uniform(0.7, 1.5))
            )
            bed = (
                thud
                * np.sin(2 * np.pi * thud_hz * chance.uniform(0.8, 1.2) * time_s)
                * np.exp(-time_s / 0.009)
            )
            bell = ring * np.sin(2 * np.pi * ring_hz * time_s) * np.exp(-time_s / 0.006)
            if start + 2400 < len(sound):
                sound[start : start + 2400] += (
                    height * chance.uniform(0.4, 1.0) * rise * (click + bed + bell)
                )
        at_s += (
            chance.exponential(fast_s) + 0.04
            if chance.random() < 0.93
            else chance.uniform(0.5, 2.5)
        )
    return band_pass(sound[:frames], low_hz * 0.2, high_hz)


def mouse(frames: int, chance: Generator) -> Mono:
    """Clicks of a mouse or a switch: two sharp ticks."""
    sound = np.zeros(frames + 4800)
    for at in chance.integers(0, frames, int(frames / RATE_HZ * chance.uniform(0.5, 4)) + 1):
        for late in (0, int(chance.uniform(0.04, 0.14) * RATE_HZ)):
            ring = np.exp(-np.arange(480) / chance.uniform(8, 60)) * chance.standard_normal(480)
            if at + late + 480 < len(sound):
                sound[at + late : at + late + 480] += ring * chance.uniform(0.4, 1)
    return band_pass(sound[:frames], 600, 14_000)


def knocks(frames: int, chance: Generator) -> Mono:
    """A desk, a door, a cup that is put down: low, and over within a tenth of a second."""
    sound = np.zeros(frames + RATE_HZ)
    time_s = np.arange(RATE_HZ // 3) / RATE_HZ
    for at in chance.integers(0, frames, int(frames / RATE_HZ * chance.uniform(0.2, 1.5)) + 1):
        hit = sum(
            np.sin(2 * np.pi * hz * time_s + chance.uniform(0, 6))
            * np.exp(-time_s / chance.uniform(0.01, 0.07))
            for hz in chance.uniform(50, 900, 5)
        )
        hit = hit + chance.uniform(0.2, 3) * chance.standard_normal(len(time_s)) * np.exp(
            -time_s / 0.004
        )
        sound[at : at + len(time_s)] += hit * chance.uniform(0.3, 1)
    return sound[:frames].astype(np.float32)


def creaks(frames: int, chance: Generator) -> Mono:
    """A chair: pulses whose rate glides, through a resonance."""
    sound = np.zeros(frames)
    for _ in range(chance.integers(1, 5)):
        start, length = chance.integers(0, frames), int(chance.uniform(0.15, 1.0) * RATE_HZ)
        rate = np.linspace(chance.uniform(15, 120), chance.uniform(15, 120), length)
        pulses = np.diff(np.floor(np.cumsum(rate) / RATE_HZ), prepend=0) * chance.uniform(
            0.3, 1, length
        )
        sound[start : start + length] += pulses[: frames - start]
    ring = np.exp(-np.arange(1200) / 150) * np.sin(
        2 * np.pi * chance.uniform(300, 3000) * np.arange(1200) / RATE_HZ
    )
    return fftconvolve(sound, ring)[:frames].astype(np.float32)


def music(frames: int, chance: Generator) -> Mono:
    """Chords, a bass and a beat, by plain waves."""
    time_s = np.arange(frames) / RATE_HZ
    beat_s = chance.uniform(0.3, 0.8)
    sound = np.zeros(frames)
    root_hz = chance.uniform(55, 220)
    steps = chance.choice([0, 2, 3, 5, 7, 8, 10], 8)
    for n in range(int(time_s[-1] / beat_s) + 1):
        start = int(n * beat_s * RATE_HZ)
        piece = time_s[
            : max(0, min(frames - start, int(chance.uniform(0.5, 2) * beat_s * RATE_HZ)))
        ]
        step = steps[n // 4 % 8]
        for interval in (0, 4, 7, 12, 19)[: chance.integers(1, 6)]:
            hz = root_hz * 2 ** ((step + interval) / 12)
            wave = sum(
                np.sin(2 * np.pi * hz * k * piece) / k ** chance.uniform(0.8, 2)
                for k in range(1, 7)
            )
            sound[start : start + len(piece)] += (
                wave * np.exp(-piece / chance.uniform(0.15, 2)) * chance.uniform(0.2, 1)
            )
        hit = (
            chance.standard_normal(min(4800, frames - start))
            if chance.random() < 0.7
            else np.zeros(0)
        )
        sound[start : start + len(hit)] += (
            hit * np.exp(-np.arange(len(hit)) / chance.uniform(100, 1200)) * chance.uniform(0, 2)
        )
    return shaped(sound, lambda hz: 1 + bumps(hz, chance, 3, 8.0))


def game(frames: int, chance: Generator) -> Mono:
    """Explosions, steps, sweeps and signals over something that goes on."""
    sound = 0.2 * to_rms(chance.choice([air, traffic, music])(frames, chance))
    for _ in range(int(frames / RATE_HZ * chance.uniform(0.5, 4))):
        start, length = chance.integers(0, frames), int(chance.uniform(0.03, 1.5) * RATE_HZ)
        time_s = np.arange(length) / RATE_HZ
        kind = chance.integers(0, 3)
        if kind == 0:
            one = sosfilt(_low_pass(chance.uniform(150, 4000)), chance.standard_normal(length))
        elif kind == 1:
            hz = np.geomspace(*chance.uniform(80, 4000, 2), length)
            one = np.sign(np.sin(2 * np.pi * np.cumsum(hz) / RATE_HZ)) * chance.uniform(0.1, 0.6)
        else:
            one = sum(np.sin(2 * np.pi * hz * time_s) for hz in chance.uniform(300, 3500, 3)) / 3
        one = one * np.exp(-time_s / chance.uniform(0.02, 0.6)) * chance.uniform(0.2, 1)
        sound[start : start + length] += one[: frames - start]
    return sound.astype(np.float32)


def _low_pass(hz: float) -> np.ndarray:
    from scipy.signal import butter

    return butter(2, hz, fs=RATE_HZ, output="sos")


BEDS: tuple[Maker, ...] = (air, air, blades, mains, drops)
"""What a room does all the time, and what is learned of it."""

EVENTS: tuple[Maker, ...] = (keys, keys, keys, mouse, knocks, creaks)
OTHERS: tuple[Maker, ...] = (music, game, traffic)


def room(chance: Generator) -> Mono:
    """An impulse response: a direct sound, some first reflections, and a tail of noise whose highs fade sooner."""
    seconds = chance.uniform(0.08, 0.6)
    frames = int(seconds * RATE_HZ)
    time_s = np.arange(frames) / RATE_HZ
    tail = chance.standard_normal(frames, np.float32) * 10 ** (-3 * time_s / seconds)
    tail = shaped(tail, lambda hz: (1 + hz / chance.uniform(1500, 8000)) ** -0.7)
    tail[: int(0.004 * RATE_HZ)] = 0.0
    for _ in range(chance.integers(2, 8)):
        tail[int(chance.uniform(0.001, 0.02) * RATE_HZ)] += chance.uniform(-1, 1)
    tail *= 10 ** (-chance.uniform(4, 22) / 20) / np.sqrt((tail**2).sum() + 1e-12)
    tail[0] += 1.0
    return tail.astype(np.float32)
