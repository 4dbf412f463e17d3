"""A finer look at the lows, for what windows of 20 ms cannot tell apart there: a voice's lowest harmonics, the lines of hum, and the
noise between both.

Windows of 80 ms have bins of 12.5 Hz. Of each only the last 20 ms go out, so that no delay is added: the long window rises slowly and
falls as the short one does, and what it is multiplied by afterwards makes the same of both (D. Mauler and R. Martin, "A low delay,
variable resolution, perfect reconstruction spectral analysis-synthesis system for speech enhancement", EUSIPCO 2007).

Only what the finer gains take or leave otherwise is added, onto the short window's bins: where they say the same as the short window's
gains nothing is changed. The sound is thinned first, by four running means in a row (E. B. Hogenauer, "An economical class of digital
filters for decimation and interpolation", IEEE Trans. Acoust. Speech Signal Process. 29(2), 1981), whose aliases lie 70 dB down.

How far up and how finely was found by trial on two recorded voices (docs/measurements.md): with 40 to 100 ms it is as good, from 500 Hz
on the shorter windows are better.
"""

import math
from functools import reduce

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.fast_math import dot, exp2, log2
from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ, ms_to_frames

SHORT_FRAMES = ms_to_frames(20.0)
FINE_FRAMES = ms_to_frames(80.0)
PER_BIN = FINE_FRAMES // SHORT_FRAMES
"""Fine bins for each of the short window's."""

FADES_FROM_HZ, FADES_TO_HZ = 255.0, 345.0
"""Between them the short window's gains take over."""

TAKES_IN_WORDS = 0.4
"""Of what the finer gains would take more, in dB: all of it costs a voice under strokes 0.1 dB, none of it keeps half of the hum (tried likewise)."""

FINE_HZ = SAMPLE_RATE_HZ / FINE_FRAMES
FINE_BINS = math.ceil(FADES_TO_HZ / FINE_HZ)
SHORT_BINS = 24
"""So many of the short window's bins hold what is added, to 1 %: the lows, cut to 20 ms."""

THINNED_BY = 16
PIECES = FINE_FRAMES // THINNED_BY
_RUNNING_MEANS = 4

TAPS: Floats = reduce(np.convolve, [np.full(THINNED_BY, 1.0 / THINNED_BY)] * _RUNNING_MEANS)

FINE_FADE: Floats = np.clip(
    (FADES_TO_HZ - np.arange(FINE_BINS) * FINE_HZ) / (FADES_TO_HZ - FADES_FROM_HZ), 0.0, 1.0
)


def long_window(place: Floats) -> Floats:
    """The window at places from 0 to FINE_FRAMES (0 outside): a quarter of a sine, then the short window's end."""
    fall = SHORT_FRAMES // 2
    rise = FINE_FRAMES - fall
    rising = np.sin(np.pi / 2 * place / rise)
    falling = np.sin(np.pi * (place - FINE_FRAMES) / SHORT_FRAMES + np.pi)
    window: Floats = np.where(place < rise, rising, falling)
    return np.where((place >= 0) & (place < FINE_FRAMES), window, 0.0)


def _looking() -> Floats:
    """From thinned sound to fine bins, shape (2, FINE_BINS, PIECES): real and imaginary parts. What the running means take is given
    back."""
    hz = np.arange(FINE_BINS)[:, None] * FINE_HZ
    x = np.pi * np.maximum(hz, 1e-6) / SAMPLE_RATE_HZ
    kept = (np.sin(THINNED_BY * x) / (THINNED_BY * np.sin(x))) ** _RUNNING_MEANS
    last = FINE_FRAMES - 1 - (len(TAPS) - 1) / 2
    place: Floats = last - THINNED_BY * np.arange(PIECES - 1.0, -1.0, -1.0)
    turns = np.exp(-2j * np.pi * hz / SAMPLE_RATE_HZ * place)
    seen = THINNED_BY * long_window(place) * turns / kept
    return np.stack([seen.real, seen.imag])


def _adding() -> Floats:
    """From fine bins to what is added to those of the short window, shape (2, 2, SHORT_BINS, FINE_BINS): parts of the sum, of the term."""
    n = np.arange(SHORT_FRAMES)
    place = FINE_FRAMES - SHORT_FRAMES + n
    both = np.sin(np.pi * n / SHORT_FRAMES) / np.maximum(long_window(place.astype(float)), 1e-9)
    k = np.arange(FINE_BINS)[:, None]
    wave = np.exp(2j * np.pi * k * place / FINE_FRAMES) * both / FINE_FRAMES
    wave[0] /= 2
    turns = np.exp(-2j * np.pi * np.arange(SHORT_BINS)[:, None] * n / SHORT_FRAMES)
    ahead, back = turns @ wave.T, turns @ wave.conj().T
    of_real, of_imaginary = ahead + back, 1j * (ahead - back)
    return np.stack(
        [np.stack([part.real, part.imag]) for part in (of_real, of_imaginary)], axis=1
    ).copy()


LOOKING, ADDING = _looking(), _adding()

MORE_POWER = float(PER_BIN)
"""Of the same noise in a fine bin, over that in one of the short window's: the squares of both windows have a mean of one half."""


@kernel
def thin_out(sound: Floats, lows: Floats) -> None:
    """One channel goes on: of ``sound``, the newest frames and what lies TAPS before them, into the end of ``lows`` (PIECES,)."""
    new = (sound.shape[0] + 1 - TAPS.shape[0]) // THINNED_BY
    kept = lows.shape[0] - new
    for i in range(kept):
        lows[i] = lows[i + new]
    first = sound.shape[0] - TAPS.shape[0] - THINNED_BY * (new - 1)
    for i in range(new):
        at = first + THINNED_BY * i
        lows[kept + i] = dot(sound[at : at + TAPS.shape[0]], TAPS)


@kernel
def look_finely(lows: Floats, fine: Floats, power: Floats, least_power: float) -> None:
    """Spectra of thinned channels, (channels, PIECES) → (channels, 2, FINE_BINS), and their mean power in each bin."""
    channels = lows.shape[0]
    for k in range(power.shape[0]):
        total = 0.0
        for c in range(channels):
            fine[c, 0, k] = dot(lows[c], LOOKING[0, k])
            fine[c, 1, k] = dot(lows[c], LOOKING[1, k])
            total += fine[c, 0, k] ** 2 + fine[c, 1, k] ** 2
        power[k] = max(total / channels, least_power)


@kernel
def between_bins(values: Floats, out: Floats) -> None:
    """Values in the short window's bins at the places of the fine ones."""
    for k in range(out.shape[0]):
        below, far = k // PER_BIN, (k % PER_BIN) / PER_BIN
        out[k] = values[below] + far * (values[below + 1] - values[below])


@kernel
def add_finer(
    spectra: np.ndarray,
    fine: Floats,
    fine_gains: Floats,
    room_gains: Floats,
    gains: Floats,
    strength: float,
    is_voice: bool,
    least_gain: float,
    room: Floats,
) -> None:
    """Add to ``spectra`` (channels, bins), which ``gains`` (bins,) have been taken to, what the finer look says otherwise: ``fine_gains``
    (FINE_BINS,) where the short window's would be ``room_gains`` (bins,), as far as ``strength`` (0 to 1) lets it. Where ``is_voice`` it
    takes less of what it might, and alone there it gives back: what a stroke leaves in a long window is heard after the stroke. ``gains``
    is then what was taken in all; ``room`` (2, FINE_BINS) is room to work in, and ``fine`` is used up."""
    whole, change = room[0], room[1]
    between_bins(gains, whole)
    between_bins(room_gains, change)
    for k in range(change.shape[0]):
        octaves = strength * FINE_FADE[k] * log2(fine_gains[k] / change[k])
        if is_voice:
            octaves *= TAKES_IN_WORDS if octaves < 0.0 else 1.0
        else:
            octaves = min(octaves, 0.0)
        gain = max(least_gain, min(1.0, whole[k] * exp2(octaves)))
        change[k] = gain - whole[k]
        whole[k] = gain
    for c in range(spectra.shape[0]):
        for k in range(change.shape[0]):
            fine[c, 0, k] *= change[k]
            fine[c, 1, k] *= change[k]
        for b in range(SHORT_BINS):
            real = dot(fine[c, 0], ADDING[0, 0, b]) + dot(fine[c, 1], ADDING[0, 1, b])
            imaginary = dot(fine[c, 0], ADDING[1, 0, b]) + dot(fine[c, 1], ADDING[1, 1, b])
            spectra[c, b] += complex(real, imaginary)
    for b in range(change.shape[0] // PER_BIN):
        gains[b] = whole[PER_BIN * b]
