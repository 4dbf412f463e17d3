"""Sound for tests and measurements: voices other than the demo's, and noises made in code.

The voices are invented sentences spoken by open synthesizers (three of CMU's, permissive; one under
the Apache licence), kept at their own rates.
"""

from collections.abc import Callable
from functools import cache, lru_cache
from pathlib import Path

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray
from scipy.fft import next_fast_len
from scipy.signal import lfilter

RATE_HZ = 48_000
VOICES = ("keeper", "ferryman", "miller", "porter")
NOISES = ("fan", "hiss", "hum", "rain")
SPEECH_DBFS = -26.0
"""RMS of the speaking parts."""

Mono = NDArray[np.float32]


@cache
def voice(name: str) -> Mono:
    """A voice at 48 kHz, shape (frames,), SPEECH_DBFS, with 0.3 s of silence at either end."""
    path = Path(__file__).parent / "data" / f"{name}.flac"
    sound, rate_hz = soundfile.read(path, dtype="float32")
    sound = soxr.resample(sound, rate_hz, RATE_HZ)
    return np.pad(sound * (10 ** (SPEECH_DBFS / 20) / speech_rms(sound)), int(0.3 * RATE_HZ))


def speech_rms(sound: Mono) -> float:
    """RMS over the 10 ms pieces that are no more than 30 dB under the loudest."""
    pieces = sound[: len(sound) // 480 * 480].reshape(-1, 480)
    power = (pieces.astype(np.float64) ** 2).mean(axis=1)
    return float(np.sqrt(power[power > power.max() / 1000].mean()))


@lru_cache(32)
def noise(name: str, seconds: float, seed: int = 7) -> Mono:
    """A steady noise of unit RMS, shape (frames,); not to be written into."""
    rng = np.random.default_rng(seed)
    wanted = int(seconds * RATE_HZ)
    frames = next_fast_len(
        wanted, real=True
    )  # with a large prime factor it takes ten times as long
    white = rng.standard_normal(frames)
    spectrum = np.fft.rfft(white)
    hz = np.fft.rfftfreq(frames, 1 / RATE_HZ)
    time_s = np.arange(frames) / RATE_HZ
    match name:
        case "hiss":
            sound = np.fft.irfft(spectrum * np.sqrt(hz / (hz + 2000.0)), frames)
        case "fan":  # Air above, blades below.
            air = np.fft.irfft(spectrum / (1.0 + (hz / 150.0) ** 1.6), frames)
            blades = sum(np.sin(2 * np.pi * 118 * k * time_s + k) / k for k in range(1, 6))
            sound = air / air.std() + 0.5 * blades
        case "hum":
            tones = sum(np.sin(2 * np.pi * 50 * k * time_s + k * k) / k**0.7 for k in range(1, 20))
            sound = tones / tones.std() + 0.05 * white
        case "rain":  # Many drops a second over a soft rush.
            drops = np.zeros(frames)
            at = rng.integers(0, frames, int(400 * seconds))
            np.add.at(drops, at, rng.exponential(1.0, len(at)) * rng.choice([-1, 1], len(at)))
            drop = np.exp(-np.arange(240) / 40) * np.sin(
                2 * np.pi * 3000 * np.arange(240) / RATE_HZ
            )
            drops = np.convolve(drops, drop)[:frames]
            rush = np.fft.irfft(spectrum / (1.0 + (hz / 500.0)), frames)
            sound = 0.4 * drops / drops.std() + rush / rush.std()
        case _:
            raise ValueError(f"no noise called {name}")
    sound = sound[:wanted]
    made = (sound / sound.std()).astype(np.float32)
    made.setflags(write=False)
    return made


def sung(pitch_hz: float) -> Mono:
    """Four long vowels with vibrato, of unit RMS: pulses of the voice's source through three formants each (G. Fant, "Acoustic Theory of
    Speech Production", 1960; formants after G. E. Peterson and H. L. Barney, J. Acoust. Soc. Am. 24(2), 1952)."""
    notes = []
    for semitones, seconds, formants_hz in (
        (0, 0.7, (730, 1090, 2440)),
        (4, 1.2, (270, 2290, 3010)),
        (7, 1.8, (570, 840, 2410)),
        (0, 2.4, (660, 1720, 2410)),
    ):
        t = np.arange(round(seconds * RATE_HZ)) / RATE_HZ
        hz = pitch_hz * 2 ** ((semitones + 0.4 * np.sin(2 * np.pi * 5.5 * t)) / 12)
        sound = np.diff(np.floor(np.cumsum(hz) / RATE_HZ), prepend=0.0)
        sound = lfilter([1.0], [1.0, -0.97], sound)
        for formant_hz in formants_hz:
            near = np.exp(-np.pi * 100.0 / RATE_HZ)
            turn = 2.0 * near * np.cos(2 * np.pi * formant_hz / RATE_HZ)
            sound = lfilter([1.0], [1.0, -turn, near * near], sound)
        ends = np.clip(np.minimum(t, seconds - t) / 0.06, 0.0, 1.0)
        notes += [sound / sound.std() * ends, np.zeros(RATE_HZ // 12)]
    return np.concatenate(notes).astype(np.float32)


def keys(seconds: float, kind: str = "keys", seed: int = 3) -> Mono:
    """A keyboard, some seven strokes a second, each a click and a softer return, greatest peak 1: "keys" with the
    thud of the key bed, "clicks" without."""
    rng = np.random.default_rng(seed)
    sound = np.zeros(int((seconds + 1) * RATE_HZ))
    thud = 0.8 if kind == "keys" else 0.0
    at_s = 0.2
    while at_s < seconds:
        for later_s, height in ((0.0, 1.0), (rng.uniform(0.05, 0.09), 0.4)):
            start, frames = int((at_s + later_s) * RATE_HZ), 960
            t = np.arange(frames) / RATE_HZ
            click = rng.standard_normal(frames) * np.exp(-t / rng.uniform(0.0015, 0.003))
            thump = np.sin(2 * np.pi * rng.uniform(180, 320) * t) * np.exp(-t / 0.006)
            stroke = height * rng.uniform(0.6, 1.0) * (click + thud * thump)
            sound[start : start + frames] += stroke
        at_s += rng.uniform(0.09, 0.2)
    sound = sound[: int(seconds * RATE_HZ)]
    return (sound / np.abs(sound).max()).astype(np.float32)


def clatter_fall_db(
    quiet: Mono, speech: Mono, treat: Callable[[Mono], Mono], kind: str
) -> tuple[float, float]:
    """By how many dB a keyboard falls between words and under them. What is left of it is what ``treat`` gives of
    ``quiet`` with it less what it gives without; its peaks are as high as 0.15."""
    strokes = 0.15 * keys(len(quiet) / RATE_HZ + 1, kind)[: len(quiet)]
    left = treat(quiet + strokes) - treat(quiet)
    pieces = (len(quiet) // 480, 480)
    count = pieces[0] * 480
    spoken, given, stayed = (
        (sound[:count].reshape(pieces).astype(np.float64) ** 2).mean(axis=1)
        for sound in (speech, strokes, left)
    )
    is_pause = np.convolve(spoken > 1e-7, np.ones(7), "same") < 0.5
    is_pause[:100] = False
    falls = [
        float(10 * np.log10(given[where].mean() / stayed[where].mean()))
        for where in (is_pause, spoken > 1e-4)
    ]
    return falls[0], falls[1]
