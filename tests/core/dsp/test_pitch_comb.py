"""The comb between harmonics, beside what the theory of averaging says."""

import numpy as np
import pytest

from goshawk.core.dsp.pitch_comb import (
    COMB_BANDS,
    THINNED,
    average,
    find_period,
    keep_what_repeats,
    places_of_bins,
    voiced_bins,
)
from goshawk.core.dsp.suppressor import PAST_FRAMES, WINDOW, WINDOW_FRAMES
from tests.material import RATE_HZ


def harmonics(pitch_hz: float, frames: int) -> np.ndarray:
    """Twenty of them, falling by 6 dB an octave."""
    t = np.arange(frames) / RATE_HZ
    return np.sum([np.sin(2 * np.pi * pitch_hz * n * t + n * n) / n for n in range(1, 21)], axis=0)


def period_of(sound: np.ndarray) -> int:
    voiced = np.fft.rfft(sound[-WINDOW_FRAMES:] * WINDOW)
    first, end = voiced_bins(WINDOW_FRAMES)
    voiced[:first] = voiced[end:] = 0.0
    thinned = np.zeros((3, PAST_FRAMES // THINNED))
    return find_period(np.fft.irfft(voiced) * WINDOW, sound, thinned)


@pytest.mark.parametrize("pitch_hz", [62.0, 95.0, 140.0, 231.0, 410.0])
def test_the_period_is_that_of_the_pitch_in_noise_too(pitch_hz: float) -> None:
    chance = np.random.default_rng(1)
    right = RATE_HZ / pitch_hz
    for _ in range(20):
        sound = harmonics(pitch_hz, PAST_FRAMES)
        sound += 0.5 * sound.std() * chance.normal(size=PAST_FRAMES)
        assert period_of(sound) == pytest.approx(right, abs=4)
    assert period_of(np.zeros(PAST_FRAMES)) == 0


def averaged(voice: np.ndarray, noise: np.ndarray, period: int) -> tuple[float, float]:
    """By how many dB the error and the sound are more, under 3 kHz, after the average with a period ago."""
    now = slice(PAST_FRAMES - WINDOW_FRAMES, PAST_FRAMES)
    before = slice(now.start - period, now.stop - period)
    spectra, earlier, right = (
        np.fft.rfft(one * WINDOW)[None]
        for one in ((voice + noise)[now], (voice + noise)[before], voice[now])
    )
    place, count = places_of_bins(WINDOW_FRAMES), 60
    near = np.ones(9) / 9
    own = np.convolve(np.abs(right[0]) ** 2, near, "same")
    gains = own / (own + WINDOW_FRAMES / 2 * noise.var())
    was = spectra.copy()
    average(spectra, earlier, gains, 1.0, place, np.zeros((4, COMB_BANDS)))
    assert (spectra[0, len(place) :] == was[0, len(place) :]).all()

    def more_db(one: np.ndarray, other: np.ndarray) -> float:
        return float(10 * np.log10((np.abs(one) ** 2).sum() / (np.abs(other) ** 2).sum()))

    of = np.s_[:, :count]
    return more_db((spectra - right)[of], (was - right)[of]), more_db(spectra[of], was[of])


def test_two_looks_at_a_voice_halve_the_noise_and_noise_alone_is_left_as_it_is() -> None:
    """Two looks of equal and independent errors: their mean has half the error's power, -3.01 dB."""
    chance = np.random.default_rng(2)
    period = 400
    voice = harmonics(RATE_HZ / period, PAST_FRAMES)
    fell = [
        averaged(voice, 0.1 * voice.std() * chance.normal(size=PAST_FRAMES), period)[0]
        for _ in range(40)
    ]
    assert -3.01 < np.mean(fell) < -2.6
    noise = [averaged(1e-3 * voice, chance.normal(size=PAST_FRAMES), period)[1] for _ in range(40)]
    assert abs(np.mean(noise)) < 0.3
    # Without noise nothing has to be averaged, though the pitch has changed since.
    gliding = np.interp(
        np.arange(PAST_FRAMES) ** 1.02 / PAST_FRAMES**0.02, np.arange(PAST_FRAMES), voice
    )
    quiet = 1e-4 * chance.normal(size=PAST_FRAMES)
    assert averaged(gliding, quiet, period)[0] == pytest.approx(0.0, abs=0.05)


@pytest.mark.parametrize("snr_db", [40.0, 10.0, 0.0, -40.0])
def test_no_more_is_taken_than_wieners_gain_by_what_repeats(snr_db: float) -> None:
    """Wiener's gain is the voice's share of the power; what never repeats is left to the gain that it had."""
    chance = np.random.default_rng(3)
    period = 300
    voice = harmonics(RATE_HZ / period, PAST_FRAMES)
    place = places_of_bins(WINDOW_FRAMES)
    right, found = [], []
    for _ in range(30):
        # Noise that falls as the harmonics do, so that their ratio is the same in all bands.
        coloured = np.fft.rfft(chance.normal(size=PAST_FRAMES))
        coloured[1:] /= np.arange(1, len(coloured))
        noise = np.fft.irfft(coloured)
        noise *= voice.std() / noise.std() * 10 ** (-snr_db / 20)
        sound = voice + noise
        now = slice(PAST_FRAMES - WINDOW_FRAMES, PAST_FRAMES)
        before = slice(now.start - period, now.stop - period)
        spectra, earlier = (np.fft.rfft(sound[one] * WINDOW)[None] for one in (now, before))
        gains, bands = np.full(len(spectra[0]), 0.01), np.zeros((4, COMB_BANDS))
        average(spectra, earlier, gains, 1.0, place, bands)
        keep_what_repeats(gains, np.ones_like(gains), 1.0, place, bands)
        assert (gains[len(place) :] == 0.01).all()
        found.append(gains[10:40].mean())
        shares = [
            (np.abs(np.fft.rfft(one[now] * WINDOW)[10:40]) ** 2).sum() for one in (voice, noise)
        ]
        right.append(shares[0] / sum(shares))
    assert np.mean(found) == pytest.approx(np.mean(right), abs=0.12)
