"""The finer look at the lows, beside whole Fourier transforms of the long window."""

import numpy as np
import pytest

from goshawk.core.dsp.fine_lows import (
    FADES_FROM_HZ,
    FADES_TO_HZ,
    FINE_BINS,
    FINE_FRAMES,
    FINE_HZ,
    PER_BIN,
    PIECES,
    SHORT_FRAMES,
    TAKES_IN_WORDS,
    TAPS,
    add_finer,
    long_window,
    look_finely,
    thin_out,
)
from goshawk.core.dsp.suppressor import BINS, HOP_FRAMES, WINDOW
from tests.material import RATE_HZ

LONG = long_window(np.arange(FINE_FRAMES, dtype=float))
CHANGED = int(FADES_FROM_HZ / FINE_HZ)


def looked_at(sound: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Fine spectra (2, FINE_BINS) and power of the end of a sound, which came hop by hop."""
    lows = np.zeros((1, PIECES))
    for end in range(HOP_FRAMES + len(TAPS), len(sound) + 1, HOP_FRAMES):
        thin_out(sound[end - HOP_FRAMES - len(TAPS) + 1 : end], lows[0])
    fine, power = np.zeros((1, 2, FINE_BINS)), np.zeros(FINE_BINS)
    look_finely(lows, fine, power, 0.0)
    return fine, power


@pytest.fixture
def sound() -> np.ndarray:
    """Noise, most of it low, whose last hop is whole."""
    white = np.random.default_rng(4).normal(size=len(TAPS) + HOP_FRAMES * 40)
    hz = np.fft.rfftfreq(len(white), 1 / RATE_HZ)
    return np.fft.irfft(np.fft.rfft(white) / (1.0 + (hz / 200.0) ** 2), len(white))


def of_whole(sound: np.ndarray) -> np.ndarray:
    return np.fft.rfft(sound[-FINE_FRAMES:] * LONG)[:FINE_BINS]


def test_its_bins_are_those_of_the_long_window_and_what_is_above_does_not_fold_into_them(
    sound: np.ndarray,
) -> None:
    fine, power = looked_at(sound)
    right = of_whole(sound)
    error = fine[0, 0] + 1j * fine[0, 1] - right
    # The newest thousandth of a second is not thinned yet, where the window has all but ended.
    assert np.abs(error).max() < 4e-3 * np.abs(right).max()
    assert power == pytest.approx(np.abs(fine[0, 0] + 1j * fine[0, 1]) ** 2)
    t = np.arange(len(sound)) / RATE_HZ
    for hz in (2_690.0, 3_300.0, 5_800.0):  # what thinning would fold into the lows
        sibilant = np.sin(2 * np.pi * hz * t)
        assert looked_at(sibilant)[1].max() < 1e-6 * (LONG.sum() / 2) ** 2


def added(sound: np.ndarray, fine_gains: np.ndarray, *, is_voice: bool) -> tuple[np.ndarray, ...]:
    """What is added to short windows that were taken to 0.2 where the room's gain was 0.5, and the gains of both in all."""
    spectra, gains = np.zeros((1, BINS), complex), np.full(BINS, 0.2)
    fine, _ = looked_at(sound)
    room = np.zeros((2, FINE_BINS))
    add_finer(spectra, fine, fine_gains, np.full(BINS, 0.5), gains, 1.0, is_voice, 0.05, room)
    return np.fft.irfft(spectra[0]) * WINDOW, gains


def test_what_it_adds_is_the_end_of_the_long_window_and_takes_the_short_ones_gain_along(
    sound: np.ndarray,
) -> None:
    fine_gains = np.full(FINE_BINS, 0.5)
    fine_gains[[0, 8]], fine_gains[12] = 1.0, 0.01
    fine_gains[16] = 0.5 * 0.5 ** (1.0 / TAKES_IN_WORDS)
    out, gains = added(sound, fine_gains, is_voice=True)
    change = np.zeros(FINE_FRAMES // 2 + 1)
    # Twice as much; to the least and not under it; and half as much, of what would be more.
    change[[0, 8]], change[12], change[16] = 0.4 - 0.2, 0.05 - 0.2, 0.1 - 0.2
    whole = np.fft.irfft(np.fft.rfft(sound[-FINE_FRAMES:] * LONG) * change)[-SHORT_FRAMES:]
    right = whole * WINDOW**2 / LONG[-SHORT_FRAMES:]
    assert np.abs(out - right).max() < 0.02 * np.abs(right).max()
    assert gains[[2, 3, 4, 5]] == pytest.approx([0.4, 0.05, 0.1, 0.2])


def test_where_it_says_the_same_nothing_changes_and_without_a_voice_it_only_takes(
    sound: np.ndarray,
) -> None:
    same, gains = added(sound, np.full(FINE_BINS, 0.5), is_voice=True)
    assert np.abs(same).max() < 1e-9 * np.abs(sound).max()
    assert gains == pytest.approx(0.2)
    more = np.ones(FINE_BINS)
    silent, _ = added(sound, more, is_voice=False)
    assert np.abs(silent).max() < 1e-9 * np.abs(sound).max()
    given_back, gains = added(sound, more, is_voice=True)
    assert np.abs(given_back).max() > 0.01 * np.abs(sound).max()
    above = round(FADES_TO_HZ / FINE_HZ / PER_BIN)
    assert gains[1 : CHANGED // PER_BIN] == pytest.approx(0.4)
    assert gains[above:] == pytest.approx(0.2)
    taken, _ = added(sound, np.full(FINE_BINS, 0.1), is_voice=False)
    assert np.abs(taken).max() > 0.01 * np.abs(sound).max()
