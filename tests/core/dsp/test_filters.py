"""Filters against their analogue prototypes, and the stages that are made of them."""

import numpy as np
import pytest
from scipy import signal

from goshawk.core.dsp.equaliser import (
    BellBand,
    Equaliser,
    EqualiserSettings,
    HighPassBand,
    HighShelfBand,
    LowPassBand,
    LowShelfBand,
)
from goshawk.core.dsp.high_pass import HighPass, HighPassSettings, Slope
from goshawk.core.dsp.matched import bell, high_shelf, low_pass, low_shelf, response_db
from tests.conftest import RATE_HZ, random_sound, run

FREQUENCIES = np.geomspace(20, 16_000, 300)
GAINS_DB = (-15.0, -6.0, -1.0, 1.0, 6.0, 15.0)


def analogue_db(numerator: list[float], denominator: list[float], hz: float) -> np.ndarray:
    """The prototype's gain at FREQUENCIES, by SciPy, from its coefficients in s / omega_0."""
    _, h = signal.freqs(numerator, denominator, worN=FREQUENCIES / hz)
    return 20 * np.log10(np.abs(h))


def high_pass_of(hz: float, slope: Slope) -> np.ndarray:
    """Sections of the high-pass stage; the EQ's go lower."""
    band = HighPassBand(is_on=True, frequency_hz=hz, slope_db_per_octave=slope)
    return Equaliser.sections(EqualiserSettings(high_pass=band))


def deviation_db(sections: np.ndarray, expected_db: np.ndarray) -> float:
    """The greatest deviation up to 16 kHz where the prototype lets anything through."""
    heard = expected_db > -40
    return float(np.abs(response_db(sections, FREQUENCIES) - expected_db)[heard].max())


@pytest.mark.parametrize("q", [0.4, 0.7, 1.4, 4.0, 12.0])
@pytest.mark.parametrize("gain_db", GAINS_DB)
def test_bells_follow_the_cookbooks_prototype_to_16_khz(q: float, gain_db: float) -> None:
    a = 10 ** (gain_db / 40)
    for hz in np.geomspace(20, 16_000, 25):
        expected = analogue_db([1, a / q, 1], [1, 1 / (a * q), 1], hz)
        assert deviation_db(bell(hz, gain_db, q), expected) < 0.5
        peak = response_db(bell(hz, gain_db, q), np.array([hz, 1e-3]))
        np.testing.assert_allclose(peak, [gain_db, 0.0], atol=0.01)


@pytest.mark.parametrize("gain_db", GAINS_DB)
def test_shelves_follow_the_cookbooks_prototype_to_16_khz(gain_db: float) -> None:
    a = 10 ** (gain_db / 40)
    root = np.sqrt(2 * a)
    for hz in np.geomspace(30, 1_000, 12):
        expected = analogue_db([a, a * root, a * a], [a, root, 1], hz)
        assert deviation_db(low_shelf(hz, gain_db), expected) < 0.5
    for hz in np.geomspace(1_000, 10_000, 12):
        expected = analogue_db([a * a, a * root, a], [1, root, a], hz)
        assert deviation_db(high_shelf(hz, gain_db), expected) < 0.5


@pytest.mark.parametrize("order", [2, 4])
def test_passes_follow_butterworth(order: int) -> None:
    for hz in (20.0, 40.0, 75.0, 200.0, 400.0):
        b, a = signal.butter(order, 1.0, "highpass", analog=True)
        expected = analogue_db(b, a, hz)
        assert deviation_db(high_pass_of(hz, 12 if order == 2 else 24), expected) < 0.5
        assert response_db(high_pass_of(hz, 24), np.array([hz]))[0] == pytest.approx(-3.01, abs=0.2)
    for hz in (3_000.0, 8_000.0, 16_000.0, 20_000.0):
        band = LowPassBand(
            is_on=True, frequency_hz=hz, slope_db_per_octave=12 if order == 2 else 24
        )
        b, a = signal.butter(order, 1.0, analog=True)
        got = response_db(Equaliser.sections(EqualiserSettings(low_pass=band)), FREQUENCIES)
        expected = analogue_db(b, a, hz)
        assert np.abs(got - expected)[expected > -40].max() < 0.5


def test_a_cut_undoes_a_boost_and_every_filter_is_stable() -> None:
    for hz in np.geomspace(20, 16_000, 30):
        for q in (0.4, 12.0):
            both = np.stack([bell(hz, 9.0, q), bell(hz, -9.0, q)])
            assert np.abs(response_db(both, FREQUENCIES)).max() < 1e-6
            for k in (*both, low_pass(20_000.0, q)):
                assert np.abs(np.roots([1, *k[3:]])).max() < 1
                assert np.abs(np.roots(k[:3])).max() < 1 + 1e-9


def measured_db(stage: Equaliser | HighPass, frequencies: np.ndarray) -> np.ndarray:
    """The gain of the running stage, from its impulse response."""
    impulse = np.zeros((1 << 16, 1), np.float32)
    impulse[0] = 1.0
    h = run(stage, impulse, 333)[:, 0].astype(float)
    spectrum = 20 * np.log10(np.abs(np.fft.rfft(h)) + 1e-12)
    return np.interp(frequencies, np.fft.rfftfreq(len(h), 1 / RATE_HZ), spectrum)


def test_what_is_drawn_is_what_is_heard() -> None:
    settings = EqualiserSettings(
        high_pass=HighPassBand(is_on=True, slope_db_per_octave=24),
        low_shelf=LowShelfBand(gain_db=3.0),
        bell_1=BellBand(frequency_hz=300.0, gain_db=-6.0, q=2.0),
        bell_2=BellBand(frequency_hz=500.0, gain_db=9.0, is_on=False),
        bell_6=BellBand(frequency_hz=7_000.0, gain_db=4.0, q=5.0),
        high_shelf=HighShelfBand(gain_db=-4.0),
        low_pass=LowPassBand(is_on=True),
    )
    at = np.geomspace(60, 19_000, 100)
    drawn = response_db(Equaliser.sections(settings), at)
    np.testing.assert_allclose(measured_db(Equaliser(settings, 1, 1024), at), drawn, atol=0.1)
    lows = HighPassSettings(frequency_hz=120.0, slope_db_per_octave=24)
    heard = measured_db(HighPass(lows, 1, 1024), at)
    np.testing.assert_allclose(heard, response_db(HighPass.sections(lows), at), atol=0.1)


def test_a_flat_eq_changes_nothing() -> None:
    sound = random_sound(1, 0.2, channels=2)
    np.testing.assert_array_equal(run(Equaliser(EqualiserSettings(), 2, 256), sound), sound)


@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("bells", [(), (1,), (1, 6), (2, 3, 5), (1, 2, 3, 4, 5, 6)])
def test_any_number_of_sections_in_a_row_is_scipys_cascade(
    bells: tuple[int, ...], channels: int
) -> None:
    """Those that do something run two at a time, with what does nothing between them and one that may be left over."""
    settings = EqualiserSettings().model_copy(
        update={
            f"bell_{n}": BellBand(is_on=True, frequency_hz=200.0 * 2**n, gain_db=3.0 * n - 10.0)
            for n in bells
        }
    )
    sections = Equaliser.sections(settings)
    taken, then = np.split(sections, [3], axis=1)
    sound = random_sound(5, 0.3, channels=channels)
    expected = signal.sosfilt(
        np.hstack([taken, np.ones((len(sections), 1)), then]), sound.astype(np.float64), axis=0
    )
    heard = run(Equaliser(settings, channels, 256), sound)
    np.testing.assert_allclose(heard, expected, atol=3e-6 * np.abs(sound).max())
