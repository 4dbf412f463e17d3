"""How well the suppressor does, by independent judges: PESQ (wide band) and STOI.

Used by the tests on a part of the material, and by ``tools/measure_suppressor.py`` on all of it."""

from dataclasses import dataclass

import numpy as np
import soxr
from pesq import pesq
from pystoi import stoi

from goshawk.core.dsp.suppressor import LearnedRoom, Suppressor, SuppressorSettings
from goshawk.core.measure.room import learn_room
from tests.material import RATE_HZ, SPEECH_DBFS, Mono, noise, voice

BLOCK = 480
LEAD_S = 2.0
"""Noise alone before the voice: one second to learn the room from, and time to settle."""


@dataclass(frozen=True)
class Score:
    """PESQ, STOI, and how far the noise in pauses fell, in dB."""

    pesq: float
    stoi: float
    pauses_db: float


def room_of(sound: Mono) -> LearnedRoom:
    """The room of one quiet second."""
    take = learn_room(sound[:RATE_HZ])
    assert take.room, take.refusal
    return take.room


def suppressed(sound: Mono, settings: SuppressorSettings) -> Mono:
    """The sound after a suppressor, its delay taken out."""
    stage = Suppressor(settings, 1, BLOCK)
    late = stage.latency_frames
    out = np.pad(sound, (0, late + BLOCK))[:, None].astype(np.float32)
    for start in range(0, len(out), BLOCK):
        stage.process(out[start : start + BLOCK])
    return np.ascontiguousarray(out[late : late + len(sound), 0])


def spoken(name: str) -> Mono:
    """A voice after LEAD_S of silence."""
    return np.pad(voice(name), (int(LEAD_S * RATE_HZ), 0))


def in_noise(name: str, noise_name: str, snr_db: float) -> tuple[Mono, Mono]:
    """A voice, and the same in a noise; both begin with LEAD_S without voice."""
    clean = spoken(name)
    level = 10 ** ((SPEECH_DBFS - snr_db) / 20)
    return clean, clean + level * noise(noise_name, len(clean) / RATE_HZ)[: len(clean)]


def pauses(clean: Mono) -> np.ndarray:
    """Which frames lie in pauses, not nearer than 0.1 s to speech, after the lead's settling."""
    pieces = clean[: len(clean) // BLOCK * BLOCK].reshape(-1, BLOCK)
    is_loud = np.convolve((pieces**2).mean(axis=1) > 1e-11, np.ones(21), "same") > 0.5
    is_loud[: int(0.6 * LEAD_S * 100)] = True
    return np.repeat(~is_loud, BLOCK)


def level_db(sound: Mono) -> float:
    return float(10 * np.log10(np.mean(sound.astype(np.float64) ** 2) + 1e-20))


def score(clean: Mono, noisy: Mono, heard: Mono) -> Score:
    """``heard`` against the clean voice; the lead is left out."""
    start = int(LEAD_S * RATE_HZ)
    a, b = (soxr.resample(sound[start:], RATE_HZ, 16_000) for sound in (clean, heard))
    where = pauses(clean)
    quiet = len(where)
    fell = level_db(noisy[:quiet][where]) - level_db(heard[:quiet][where])
    return Score(float(pesq(16_000, a, b, "wb")), float(stoi(a, b, 16_000)), fell)


def judged(name: str, noise_name: str, snr_db: float, *, is_learned: bool) -> tuple[Score, Score]:
    """Input and output of the suppressor at its default settings."""
    clean, noisy = in_noise(name, noise_name, snr_db)
    room = room_of(noisy) if is_learned else None
    heard = suppressed(noisy, SuppressorSettings(room=room))
    return score(clean, noisy, noisy), score(clean, noisy, heard)
