"""Suppressor: takes the room's steady noise out from under the voice.

Short-time spectra of 20 ms with a hop of 5 ms, root-Hann windows before and after, which add up to the
sound itself where nothing is taken away (Ephraim and Malah's analysis-synthesis; see ``spectral_gain``
for the gain and the noise estimate, ``clatter`` for keys and clicks).

The room is learned once on request, as a mean power in each bin, and followed afterwards. What was learned
is the starting point whenever the stage begins anew.
"""

import math
from typing import Any, Self

import numpy as np
from pydantic import Field, model_validator

from goshawk.core.dsp.clatter import LOOK_AHEAD_FRAMES, ClatterSoftener
from goshawk.core.dsp.spectral_gain import (
    COUNT,
    GAIN,
    LEAST,
    NOISE,
    RECENT,
    ROWS,
    SUB_WINDOWS,
    find_gains,
    follow_minima,
    follow_noise,
)
from goshawk.core.measure.spectrum import band_weights, in_db
from goshawk.core.settings import Settings, number
from goshawk.core.stage import Block, Floats, Stage, kernel
from goshawk.units import SAMPLE_RATE_HZ, SILENCE_LINEAR, db_to_linear, linear_to_db, ms_to_frames

WINDOW_FRAMES = ms_to_frames(20.0)
HOP_FRAMES = ms_to_frames(5.0)
BINS = WINDOW_FRAMES // 2 + 1
HOPS_OF_WINDOW = WINDOW_FRAMES // HOP_FRAMES
HOPS_PER_S = SAMPLE_RATE_HZ / HOP_FRAMES

assert WINDOW_FRAMES == LOOK_AHEAD_FRAMES, "keys are softened when they come out"

_WINDOW = np.sqrt(0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(WINDOW_FRAMES) / WINDOW_FRAMES))
_SYNTHESIS = _WINDOW * (2.0 * HOP_FRAMES / WINDOW_FRAMES)
_LEAST_POWER = float((_WINDOW**2).sum()) * SILENCE_LINEAR**2
"""What digital silence counts as, in one bin."""


_BAND_WEIGHTS = band_weights(WINDOW_FRAMES)


def power_spectrum(frames: Floats) -> Floats:
    """Power in each bin of windowed pieces, shape (…, WINDOW_FRAMES) → (…, BINS). White noise of RMS r
    has r² times half the window's length in each."""
    power: Floats = np.abs(np.fft.rfft(frames * _WINDOW)) ** 2
    return power


class LearnedRoom(Settings):
    """A room as it was when nobody spoke: its level in each bin in dB (the power of a windowed piece,
    as ``power_spectrum`` gives it)."""

    rate_hz: int
    levels_db: tuple[float, ...] = Field(min_length=1, max_length=BINS)

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.rate_hz != SAMPLE_RATE_HZ or len(self.levels_db) != BINS:
            raise ValueError(
                f"this room was learned at {self.rate_hz} Hz, but the chain runs at {SAMPLE_RATE_HZ} "
                "Hz. Learn it again."
            )
        return self

    @classmethod
    def of_power(cls, power: Floats) -> "LearnedRoom":
        """From a mean power in each bin, shape (BINS,)."""
        levels = 10.0 * np.log10(np.maximum(power, _LEAST_POWER))
        return cls(
            rate_hz=SAMPLE_RATE_HZ, levels_db=tuple(round(float(level), 1) for level in levels)
        )

    @property
    def power(self) -> Floats:
        """Mean power in each bin, shape (BINS,)."""
        power: Floats = 10.0 ** (np.array(self.levels_db) / 10.0)
        return power


class SuppressorSettings(Settings):
    """Settings of the suppressor."""

    reduction_db: float = number(
        24.0, 0.0, 30.0, "dB", "Takes away at most", "The most it may take off the noise.", step=1.0
    )
    emphasis_percent: float = number(
        60.0,
        0.0,
        100.0,
        "%",
        "Cleans pauses",
        "0 keeps all that might be voice; 100 makes the pauses as clean as it can.",
        step=5.0,
    )
    follow_s: float = number(
        10.0,
        1.0,
        60.0,
        "s",
        "Follows within",
        "How soon it has followed a change of the room.",
        taper="log",
    )
    clatter_db: float = number(
        24.0,
        0.0,
        30.0,
        "dB",
        "Softens keys by",
        "The most it may take off keys and clicks; 0 leaves them.",
        step=1.0,
    )
    room: LearnedRoom | None = Field(None, title="Learned room")


@kernel
def _push(block: Block, history: Floats, ready: Floats, first: int) -> None:
    """``block`` (frames, channels) goes in where ``ready`` comes out, from column ``first`` of the rings."""
    for i in range(block.shape[0]):
        at = first + i
        for c in range(block.shape[1]):
            history[c, at] = block[i, c]
            block[i, c] = np.float32(ready[c, at])
            ready[c, at] = 0.0


@kernel
def _unroll(history: Floats, first: int, window: Floats, out: Floats) -> None:
    """The ring from column ``first`` on, in the order of time, windowed."""
    length = history.shape[1]
    until_end = length - first
    for c in range(history.shape[0]):
        for i in range(until_end):
            out[c, i] = history[c, first + i] * window[i]
        for i in range(until_end, length):
            out[c, i] = history[c, i - until_end] * window[i]


@kernel
def _overlap(pieces: Floats, first: int, window: Floats, ready: Floats) -> None:
    """Add windowed pieces to what will come out, from column ``first`` of the ring on."""
    length = ready.shape[1]
    until_end = length - first
    for c in range(ready.shape[0]):
        for i in range(until_end):
            ready[c, first + i] += pieces[c, i] * window[i]
        for i in range(until_end, length):
            ready[c, i - until_end] += pieces[c, i] * window[i]


@kernel
def _weigh(spectra: np.ndarray, power: Floats, least_power: float) -> bool:
    """Mean power of the channels, per bin; whether it is digital silence."""
    whole = 0.0
    for k in range(power.shape[0]):
        total = 0.0
        for c in range(spectra.shape[0]):
            total += spectra[c, k].real ** 2 + spectra[c, k].imag ** 2
        total /= spectra.shape[0]
        whole += total
        power[k] = max(total, least_power)
    return bool(whole < least_power * power.shape[0])


@kernel
def _scale(spectra: np.ndarray, gains: Floats) -> None:
    for c in range(spectra.shape[0]):
        for k in range(gains.shape[0]):
            spectra[c, k] *= gains[k]


class Suppressor(Stage[SuppressorSettings]):
    """Takes steady noise and clatter away. Latency: one window of 20 ms."""

    latency_frames = WINDOW_FRAMES

    def __init__(self, settings: SuppressorSettings, channels: int, max_frames: int) -> None:
        self._history = np.zeros((channels, WINDOW_FRAMES))
        self._ready = np.zeros((channels, WINDOW_FRAMES))
        self._windowed = np.zeros((channels, WINDOW_FRAMES))
        self._spectra = np.zeros((channels, BINS), np.complex128)
        self._power = np.zeros(BINS)
        self._bins = np.zeros((ROWS, BINS))
        self._minima = np.zeros((SUB_WINDOWS, BINS))
        self._clatter = ClatterSoftener(channels, max_frames)
        self._at = self._hops = self._sounding = 0
        super().__init__(settings, channels, max_frames)
        self.reset()

    def apply(self, settings: SuppressorSettings) -> None:
        before = getattr(self, "settings", None)
        self.settings = settings
        self._least_gain = db_to_linear(-settings.reduction_db)
        self._clatter.least_gain = db_to_linear(-settings.clatter_db)
        if before and settings.room is not before.room and settings.room != before.room:
            self._begin()

    def _begin(self) -> None:
        """Take the learned room for the noise, or begin to learn by following."""
        self._bins.fill(0.0)
        self._bins[RECENT] = np.inf
        self._minima.fill(np.inf)
        self._bins[LEAST] = 0.0
        self._bins[NOISE] = _LEAST_POWER
        room = self.settings.room
        if room:
            self._bins[NOISE] = np.maximum(room.power, _LEAST_POWER)
            self._bins[COUNT] = self.settings.follow_s * HOPS_PER_S
        self._hops = self._sounding = 0

    def _run(self, block: Block) -> None:
        self._clatter.listen(block)
        start = 0
        while start < len(block):
            # A whole number of hops makes a window, so that no piece crosses the rings' ends.
            piece = block[start : start + HOP_FRAMES - self._at % HOP_FRAMES]
            _push(piece, self._history, self._ready, self._at)
            self._at = (self._at + len(piece)) % WINDOW_FRAMES
            if self._at % HOP_FRAMES == 0:
                self._hop()
            start += len(piece)
        self._clatter.soften(block)

    def _hop(self) -> None:
        _unroll(self._history, self._at, _WINDOW, self._windowed)
        np.fft.rfft(self._windowed, out=self._spectra)
        is_silent = _weigh(self._spectra, self._power, _LEAST_POWER)
        self._find_gains(is_silent)
        _scale(self._spectra, self._bins[GAIN])
        np.fft.irfft(self._spectra, WINDOW_FRAMES, out=self._windowed)
        _overlap(self._windowed, self._at, _SYNTHESIS, self._ready)

    def _find_gains(self, is_silent: bool) -> None:
        power, bins = self._power, self._bins
        self._sounding = 0 if is_silent else self._sounding + 1
        if is_silent or self._sounding > HOPS_OF_WINDOW:
            self._hops += 1
            follow_minima(power, bins, self._minima, self._hops)
        if self._sounding > HOPS_OF_WINDOW:
            # Digital silence, or a window half full of it, is no room.
            longest = self.settings.follow_s * HOPS_PER_S
            follow_noise(power, bins, longest, _LEAST_POWER, self.settings.room is not None)
        find_gains(power, bins, self._least_gain, self.settings.emphasis_percent / 100.0)

    def reset(self) -> None:
        self._history.fill(0.0)
        self._ready.fill(0.0)
        self._clatter.reset()
        self._at = 0
        self._begin()

    def take_reading(self) -> dict[str, Any]:
        # Parseval, for one half of the spectrum and a window of mean power 1/2.
        noise = self._bins[NOISE] * (4.0 / WINDOW_FRAMES**2)
        return {
            "strokes": self._clatter.take_strokes(),
            "noise_dbfs": round(linear_to_db(math.sqrt(float(noise.sum()))), 1),
            "noise_db": in_db(_BAND_WEIGHTS @ noise),
        }
