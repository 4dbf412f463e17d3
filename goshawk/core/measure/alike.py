"""Finds the same sound in two places: how much later and how much weaker it is in the second.

Each second of the first signal is looked for in the second signal by the generalised cross-correlation
with phase transform (C. H. Knapp and G. C. Carter, "The Generalized Correlation Method for Estimation
of Time Delay", IEEE Trans. Acoust., Speech, Signal Process. 24(4), 1976): each frequency votes with its
phase alone, so that a leak far under a voice is found. One second may point anywhere by chance; what
counts is that several point to the same delay. The level at that delay is the least-squares gain from
the first signal to the second.
"""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goshawk.core.measure.sound_keeper import SoundKeeper
from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ, db_to_linear, linear_to_db

Spectrum = NDArray[np.complex128]

DECIMATION = 8
TAP_RATE_HZ = SAMPLE_RATE_HZ // DECIMATION
"""Signals are compared at a few kilohertz."""

_BOX = np.ones(DECIMATION, np.float32)

LONGEST_LAG_S = 0.6
PIECES = 8
WINDOW_S = PIECES + 2.0 * LONGEST_LAG_S
LEAST_PIECES = 4
"""So many of the eight must agree. By chance two agree within a thousand, four hardly ever."""

AGREEING_SAMPLES = 3
"""Half a millisecond: the spread of a delay whose devices' clocks are still being followed."""

LEAST_LEVEL_DBFS = -70.0
"""What is quieter than this (RMS) tells nothing."""

LEAST_GAIN_DB = -45.0
"""A copy this far under is not heard."""


@dataclass(frozen=True)
class Alike:
    """``second`` holds what ``first`` has, ``lag_ms`` later (never earlier), at ``gain_db``."""

    first: str
    second: str
    lag_ms: float
    gain_db: float
    correlation: float


class Thinner:
    """Brings one signal to TAP_RATE_HZ: the mean of its channels through two boxcars of DECIMATION frames. Two boxes
    make a triangle: what aliases is 25 dB down, enough to compare like with like."""

    def __init__(self) -> None:
        self._rest: Block = np.zeros(0, np.float32)
        self._next_at = -1
        self._last_box = 0.0

    def push(self, at: int, samples: Block) -> tuple[int, Block]:
        """Some frames, shape (frames, channels), the first of them number ``at``: the number of the first thinned
        sample, and all of them, shape (n, 1). Behind a gap it begins anew, at a multiple of DECIMATION."""
        mono = samples[:, 0] if samples.shape[1] == 1 else 0.5 * (samples[:, 0] + samples[:, -1])
        if at != self._next_at:
            mono, self._rest, self._last_box = mono[-at % DECIMATION :], self._rest[:0], 0.0
            at += -at % DECIMATION
        first = (at - len(self._rest)) // DECIMATION
        mono = np.concatenate([self._rest, mono])
        count = len(mono) // DECIMATION
        boxes = mono[: count * DECIMATION].reshape(-1, DECIMATION) @ _BOX
        self._rest = mono[count * DECIMATION :]
        self._next_at = first * DECIMATION + len(mono)
        before = np.concatenate([[self._last_box], boxes[:-1]]) if count else boxes
        self._last_box = float(boxes[-1]) if count else self._last_box
        thin: Block = ((boxes + before) / (2.0 * DECIMATION)).astype(np.float32)[:, None]
        return first, thin


class Likeness:
    """Keeps the last seconds of every signal by the time at which it was there, and compares them on request."""

    def __init__(self) -> None:
        self.forget()

    def push(self, name: str, at: int, samples: Block) -> None:
        """A piece of a signal, shape (frames, channels)."""
        if name not in self._kept:
            self._kept[name] = (Thinner(), SoundKeeper(2.0 * WINDOW_S / DECIMATION))
        thinner, keeper = self._kept[name]
        first, thin = thinner.push(at, samples)
        if len(thin):
            keeper.push(first, thin)

    def forget(self) -> None:
        """Begin anew."""
        self._kept: dict[str, tuple[Thinner, SoundKeeper]] = {}

    def keep_only(self, names: Iterable[str]) -> None:
        """Forget the signals that are gone."""
        wanted = set(names)
        self._kept = {name: one for name, one in self._kept.items() if name in wanted}

    def snapshot(self) -> dict[str, Block]:
        """The last window of all that have one without a gap, of the same time; shape (samples,)."""
        length = round(WINDOW_S * TAP_RATE_HZ)
        end = min((keeper.end for _, keeper in self._kept.values()), default=0)
        return {
            name: keeper.cut(end - length, end)[:, 0]
            for name, (_, keeper) in self._kept.items()
            if keeper.whole_from <= end - length
        }


def find_alike(kept: dict[str, Block], pairs: Iterable[tuple[str, str]]) -> list[Alike]:
    """Those of the pairs that hold the same sound; a pair needs a whole window of both."""
    length = round(WINDOW_S * TAP_RATE_HZ)
    whole = {name: sound for name, sound in kept.items() if len(sound) == length}
    spectra: dict[str, Spectrum] = {}
    found = []
    for first, second in pairs:
        if first in whole and second in whole:
            for name in (first, second):
                if name not in spectra:
                    spectra[name] = _spectra_of_pieces(whole[name])
            lag = _common_lag(spectra[first], spectra[second])
            one = lag if lag is None else _measured(first, second, lag, whole)
            if one:
                found.append(one)
    return found


def _spectra_of_pieces(sound: Block) -> Spectrum:
    """Spectra of all pieces, short ones (one second) and long ones (with LONGEST_LAG_S on both sides),
    shape (2, PIECES, bins). A piece of silence has none."""
    second, most = TAP_RATE_HZ, round(LONGEST_LAG_S * TAP_RATE_HZ)
    size = 1 << int(np.ceil(np.log2(second + 2 * most)))
    pieces = np.zeros((2, PIECES, size))
    least = db_to_linear(LEAST_LEVEL_DBFS)
    for number in range(PIECES):
        start = most + number * second
        short = sound[start : start + second].astype(float)
        if np.sqrt(np.mean(short**2)) > least:
            pieces[0, number, most : most + second] = short * np.hanning(second)
            pieces[1, number, : second + 2 * most] = sound[start - most : start + second + most]
    return np.fft.rfft(pieces)


def _common_lag(a: Spectrum, b: Spectrum) -> int | None:
    """The delay in samples from the first to the second signal on which enough pieces agree."""
    most = round(LONGEST_LAG_S * TAP_RATE_HZ)
    cross = np.conj(a[0]) * b[1]
    votes = np.fft.irfft(cross / np.maximum(np.abs(cross), 1e-12))
    near = np.abs(np.concatenate([votes[:, -most:], votes[:, : most + 1]], axis=1))
    lags = near.argmax(axis=1)[near.max(axis=1) > 0.0] - most
    if len(lags) < LEAST_PIECES:
        return None
    agreeing = [lags[np.abs(lags - lag) <= AGREEING_SAMPLES] for lag in lags]
    largest = max(agreeing, key=len)
    return int(np.median(largest)) if len(largest) >= LEAST_PIECES else None


def _measured(first: str, second: str, lag: int, whole: dict[str, Block]) -> Alike | None:
    """Level and correlation at a known delay; None if the copy is too weak to be heard."""
    if lag < 0:  # What is later holds the copy.
        return _measured(second, first, -lag, whole)
    a = whole[first][: len(whole[first]) - lag].astype(float)
    b = whole[second][lag:].astype(float)
    product, own, other = float(np.mean(a * b)), float(np.mean(a**2)), float(np.mean(b**2))
    gain_db = linear_to_db(product / own)
    if gain_db < LEAST_GAIN_DB:
        return None
    correlation = min(1.0, abs(product) / np.sqrt(own * other))
    return Alike(first, second, lag * 1000.0 / TAP_RATE_HZ, gain_db, float(correlation))
