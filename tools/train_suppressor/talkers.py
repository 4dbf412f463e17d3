"""What the synthesisers and recordings said, as talkers of many sizes, efforts and microphones."""

from pathlib import Path

import numpy as np
import soundfile
import soxr
from numpy.random import Generator
from scipy.ndimage import uniform_filter1d
from scipy.signal import butter, fftconvolve, istft, sosfilt, stft

from goshawk.units import SAMPLE_RATE_HZ as RATE_HZ
from tools.train_suppressor.noises import bumps, room
from tools.train_suppressor.shapes import Mono, band_pass, shaped, speech_rms

VOICES = Path("build/train/voices")
WHOLE = Path("build/train/voices.npy")
SIZES = (0.82, 1.22)
"""Played slower or faster by so much, a talker has a longer or shorter throat, and another pitch."""


class Talkers:
    """All voices in one file at 48 kHz, mapped into memory."""

    def __init__(self) -> None:
        files = sorted(VOICES.rglob("*.flac"))
        if not files:
            raise SystemExit("There are no voices: run make_voices.py first (see README.md).")
        if not WHOLE.exists():
            _gather(files)
        self._sound = np.load(WHOLE, mmap_mode="r")
        self._places = np.load(WHOLE.with_suffix(".places.npy"))
        """(files, 3): start, length, the source's own rate."""
        names = [file.parent.name for file in files]
        self.names = sorted(set(names))
        self._of = {name: [n for n, one in enumerate(names) if one == name] for name in self.names}

    def some(self, frames: int, chance: Generator, name: str | None = None) -> Mono:
        """So many frames of one talker, with pauses, as that talker sounds at a microphone. RMS 1 while they speak."""
        name = name or str(chance.choice(self.names))
        size = float(chance.uniform(*SIZES)) if chance.random() < 0.8 else 1.0
        sound = np.zeros(frames, np.float32)
        at = int(chance.uniform(0.0, 1.0) * RATE_HZ)
        source_hz = 0.0
        while at < frames:
            start, length, rate_hz = self._places[chance.choice(self._of[name])]
            wanted = int(chance.uniform(1.0, 6.0) * RATE_HZ * size)
            begin = int(start + chance.integers(0, max(1, length - wanted)))
            piece = self._sound[begin : begin + min(wanted, int(start + length) - begin)].astype(
                np.float32
            )
            piece = soxr.resample(piece, RATE_HZ * size, RATE_HZ, "MQ")
            _fade(piece)
            piece = piece[: frames - at]
            sound[at : at + len(piece)] = piece
            source_hz = float(rate_hz) / 2
            at += len(piece) + int(chance.exponential(0.6) * RATE_HZ)
        if chance.random() < 0.07:
            sound = _whispered(sound, chance)
        if chance.random() < 0.75:
            sound = _with_highs(sound, source_hz * size, chance)
        sound = _at_a_microphone(sound, chance)
        return _to_speech_rms(sound)

    def babble(self, frames: int, chance: Generator) -> Mono:
        """Several others at once, farther away."""
        sound = np.zeros(frames, np.float32)
        for _ in range(chance.integers(3, 9)):
            sound += self.some(frames, chance) * chance.uniform(0.3, 1.0)
        return fftconvolve(sound, room(chance))[:frames].astype(np.float32)


def _gather(files: list[Path]) -> None:
    pieces, places, at = [], [], 0
    for file in files:
        sound, rate_hz = soundfile.read(file, dtype="float32")
        sound = soxr.resample(sound, rate_hz, RATE_HZ)
        sound *= 0.1 / max(1e-6, speech_rms(sound))
        pieces.append(np.clip(sound, -1, 1).astype(np.float16))
        places.append((at, len(sound), rate_hz))
        at += len(sound)
    np.save(WHOLE.with_suffix(".places.npy"), np.array(places))
    np.save(WHOLE, np.concatenate(pieces))


def _fade(piece: Mono) -> None:
    count = min(240, len(piece) // 2)
    ramp = np.linspace(0, 1, count, dtype=np.float32)
    piece[:count] *= ramp
    piece[len(piece) - count :] *= ramp[::-1]


def _whispered(sound: Mono, chance: Generator) -> Mono:
    """The same words without a pitch: their spectral envelope on noise."""
    _, _, pieces = stft(sound, RATE_HZ, nperseg=960, noverlap=720)
    envelope = uniform_filter1d(np.abs(pieces), 11, axis=0)
    noise = chance.standard_normal(pieces.shape) + 1j * chance.standard_normal(pieces.shape)
    _, out = istft(envelope * noise, RATE_HZ, nperseg=960, noverlap=720)
    return np.resize(out, len(sound)).astype(np.float32)


def _with_highs(sound: Mono, source_hz: float, chance: Generator) -> Mono:
    """What a synthesiser's rate has cut off, made anew from the octave below: moved up and laid over it."""
    time_s = np.arange(len(sound), dtype=np.float32) / RATE_HZ
    top_hz = source_hz
    while top_hz < 15_000:
        shift_hz = top_hz / 2 if top_hz < 10_000 else 7_000.0
        moved = sound * np.cos(2 * np.pi * shift_hz * time_s)
        edge = butter(6, min(top_hz * 0.97, 22_000), "high", fs=RATE_HZ, output="sos")
        sound = sound + chance.uniform(0.2, 1.2) * sosfilt(edge, moved).astype(np.float32)
        top_hz += shift_hz
    return sound


def _at_a_microphone(sound: Mono, chance: Generator) -> Mono:
    """Effort, distance, capsule, room."""
    tilt, low_hz = chance.uniform(-0.35, 0.35), chance.uniform(20, 180)
    high_hz = 20_000.0 if chance.random() < 0.8 else float(chance.uniform(4_000, 14_000))
    sound = shaped(sound, lambda hz: (1 + hz / 500.0) ** tilt * (1 + bumps(hz, chance, 4, 7.0)))
    sound = band_pass(sound, low_hz, high_hz)
    if chance.random() < 0.6:
        sound = fftconvolve(sound, room(chance))[: len(sound)].astype(np.float32)
    return sound


def sung(sound: Mono, chance: Generator) -> Mono:
    """The words drawn out, so that their vowels stand: a phase vocoder (J. L. Flanagan and R. M. Golden, Bell System Technical
    Journal 45, 1966)."""
    _, _, pieces = stft(sound, RATE_HZ, nperseg=1920, noverlap=1440)
    step = 1.0 / chance.uniform(2.0, 6.0)
    start = chance.uniform(0.0, 0.6) * pieces.shape[1]
    at = np.minimum(start + step * np.arange(pieces.shape[1]), pieces.shape[1] - 2)
    whole, share = at.astype(int), at % 1.0
    moved = np.angle(pieces[:, whole + 1] * pieces[:, whole].conj())
    phases = np.cumsum(moved, axis=1)
    level = (1 - share) * np.abs(pieces[:, whole]) + share * np.abs(pieces[:, whole + 1])
    _, out = istft(level * np.exp(1j * phases), RATE_HZ, nperseg=1920, noverlap=1440)
    return _to_speech_rms(np.resize(out, len(sound)))


def laughed(sound: Mono, chance: Generator) -> Mono:
    """Short pieces of the voice in runs, each a little lower and softer than the one before."""
    out = np.zeros_like(sound)
    loud = np.flatnonzero(np.abs(sound) > 0.7)
    at = int(chance.uniform(0.0, 1.0) * RATE_HZ)
    while len(loud) and at < len(sound):
        length, apart_s = int(chance.uniform(0.08, 0.16) * RATE_HZ), chance.uniform(0.15, 0.25)
        begin = min(int(chance.choice(loud)), len(sound) - length)
        ha = sound[begin : begin + length] * np.hanning(length).astype(np.float32)
        for n in range(chance.integers(3, 10)):
            one = soxr.resample(ha, RATE_HZ, RATE_HZ * (1 + 0.03 * n), "MQ") * 0.9**n
            one = one[: max(0, len(out) - at)]
            out[at : at + len(one)] += one
            at += int(apart_s * chance.uniform(0.9, 1.1) * RATE_HZ)
        at += int(chance.uniform(0.2, 1.5) * RATE_HZ)
    return _to_speech_rms(out)


def _to_speech_rms(sound: Mono) -> Mono:
    rms = speech_rms(sound)
    return (sound / rms if rms > 0 else sound).astype(np.float32)
