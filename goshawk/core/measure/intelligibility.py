"""Speech Intelligibility Index, the third-octave procedure of ANSI S3.5-1997 (R2017), and what goes into it.

The index wants sound pressure at the listener; a stream has none. Assumed here: the viewer plays it so that the
voice arrives as loudly as normal speech one metre away (62.35 dB SPL, Table 3), hears normally and with one ear;
the talker speaks with normal effort. Everything is relative to the voice then, as it is in a mix.
"""

from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from goshawk.core.dsp.bands import band_weights
from goshawk.core.measure.levels import HOP_FRAMES, SPEECH
from goshawk.core.stage import Block, Floats

BAND_HZ: tuple[int, ...] = (
    160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500, 3150, 4000, 5000, 6300, 8000,
)  # fmt: skip
"""Nominal centres of the eighteen bands."""

BANDWIDTH_DB: Floats = 15.65 + np.arange(18.0)
IMPORTANCE: Floats = np.array([
    0.0083, 0.0095, 0.0150, 0.0289, 0.0440, 0.0578, 0.0653, 0.0711, 0.0818,
    0.0844, 0.0882, 0.0898, 0.0868, 0.0844, 0.0771, 0.0527, 0.0364, 0.0185,
])  # fmt: skip
NORMAL_SPEECH_DB: Floats = np.array([
    32.41, 34.48, 34.75, 33.98, 34.59, 34.27, 32.06, 28.30, 25.01,
    23.00, 20.15, 17.32, 13.18, 11.55, 9.33, 5.31, 2.59, 1.13,
])  # fmt: skip
_INTERNAL_NOISE_DB: Floats = np.array([
    0.6, -1.7, -3.9, -6.1, -8.2, -9.7, -10.8, -11.9, -12.5,
    -13.5, -15.4, -17.7, -21.2, -24.2, -25.9, -23.6, -15.8, -7.1,
])  # fmt: skip
"""Table 3: importance for average speech; spectrum levels of normal speech and of the ear's own noise."""

SPEECH_DB_SPL = 62.35
NO_NOISE_DB = -50.0
"""Clause 4.2: where there is no noise."""

GOOD_SII, POOR_SII = 0.75, 0.45
"""Above the one a communication system is good, below the other it is poor, as the standard says of its own index."""

_FFT_FRAMES = 4096
PIECES_EVERY_HOPS = 4
_AT_ONCE = 64
_WINDOW = np.hanning(_FFT_FRAMES).astype(np.float32)
_WEIGHTS = band_weights(_FFT_FRAMES, 10.0 ** (np.arange(22, 40) / 10.0), 3).astype(np.float32)
"""In single precision, as the sound is: right to a millionth, in a fifth of the time."""
_SCALE = 2.0 / (_FFT_FRAMES * float((_WINDOW**2).sum()))
_LEAST_POWER = 1e-14


def audibility(speech_db: Floats, noise_db: Floats, threshold_db: Floats | float = 0.0) -> Floats:
    """How much of the speech in each band can be heard, 0 to 1: equations 5 to 13, clause 4.

    Equivalent spectrum levels of speech and noise in dB, hearing threshold in dB HL, each of shape (18,)."""
    self_masked = np.maximum(speech_db - 24.0, noise_db)
    hz = np.array(BAND_HZ, float)
    slope = -80.0 + 0.6 * (self_masked + 10.0 * np.log10(hz) - 6.353)
    masking = self_masked.copy()
    for i in range(1, len(hz)):
        spread = self_masked[:i] + 3.32 * slope[:i] * np.log10(0.89 * hz[i] / hz[:i])
        masking[i] = 10.0 * np.log10(10.0 ** (0.1 * noise_db[i]) + (10.0 ** (0.1 * spread)).sum())
    disturbance = np.maximum(masking, _INTERNAL_NOISE_DB + threshold_db)
    distortion = np.minimum(1.0, 1.0 - (speech_db - NORMAL_SPEECH_DB - 10.0) / 160.0)
    heard: Floats = np.clip((speech_db - disturbance + 15.0) / 30.0, 0.0, 1.0) * distortion
    return heard


def intelligibility_index(
    speech_db: Floats, noise_db: Floats, threshold_db: Floats | float = 0.0
) -> float:
    """The Speech Intelligibility Index, 0 to 1 (equation 14), for average speech."""
    return float(IMPORTANCE @ audibility(speech_db, noise_db, threshold_db))


def pieces_that_fit(hops: int) -> int:
    """How many pieces, with speech or without, begin and end within so many hops."""
    rest = hops * HOP_FRAMES - _FFT_FRAMES
    return rest // (PIECES_EVERY_HOPS * HOP_FRAMES) + 1 if rest >= 0 else 0


def pieces_in(wanted: NDArray[np.bool_], frames: int) -> NDArray[np.intp]:
    """Where pieces of 85 ms begin that lie mostly in the hops wanted, in frames."""
    count = min(len(wanted), frames // HOP_FRAMES)
    length = -(-_FFT_FRAMES // HOP_FRAMES)
    if count < length:
        return np.zeros(0, np.intp)
    share = np.convolve(wanted[:count].astype(float), np.ones(length) / length, "valid")
    starts: NDArray[np.intp] = np.flatnonzero(share >= 0.75)
    starts = starts[starts % PIECES_EVERY_HOPS == 0] * HOP_FRAMES
    return starts[starts + _FFT_FRAMES <= frames]


def speech_pieces(activity: NDArray[np.integer], frames: int) -> NDArray[np.intp]:
    """Where the pieces of speech begin."""
    return pieces_in(activity == SPEECH, frames)


def band_powers(sound: Block, starts: NDArray[np.intp]) -> Floats:
    """Mean square in each band of every piece, the mean of both sides, shape (pieces, 18)."""
    powers = np.zeros((len(starts), len(BAND_HZ)))
    if not len(starts):
        return powers
    sides = [np.ascontiguousarray(side) for side in sound.T]
    if all(np.array_equal(side, sides[0]) for side in sides[1:]):
        sides = sides[:1]
    for side in sides:
        pieces = sliding_window_view(side, _FFT_FRAMES)
        for first in range(0, len(starts), _AT_ONCE):
            spectra = np.fft.rfft(pieces[starts[first : first + _AT_ONCE]] * _WINDOW, axis=1)
            power = spectra.real**2 + spectra.imag**2
            powers[first : first + _AT_ONCE] += power @ _WEIGHTS.T
    scaled: Floats = powers * (_SCALE / len(sides))
    return scaled


@dataclass(frozen=True)
class Hearing:
    """What a viewer hears of the voice over the rest: the index, and by band the levels (dB SPL as assumed above,
    of the whole band) and how much of the voice is heard."""

    index: float
    voice_db: Floats
    rest_db: Floats
    heard: Floats


def hearing(voice_power: Floats, rest_power: Floats) -> Hearing:
    """From mean squares in each band, shape (18,), of the voice and of all the rest, both while it speaks."""
    to_spl = SPEECH_DB_SPL - 10.0 * np.log10(max(float(voice_power.sum()), _LEAST_POWER))
    voice_db = 10.0 * np.log10(np.maximum(voice_power, _LEAST_POWER)) + to_spl
    rest_db = 10.0 * np.log10(np.maximum(rest_power, _LEAST_POWER)) + to_spl
    speech, noise = voice_db - BANDWIDTH_DB, np.maximum(rest_db - BANDWIDTH_DB, NO_NOISE_DB)
    heard = audibility(speech, noise)
    return Hearing(float(IMPORTANCE @ heard), voice_db, rest_db, heard)
