"""De-esser, three bands, leveller, automatic makeup: against their formulas and times."""

import numpy as np
import pytest
from scipy.signal import sosfreqz

from goshawk.core.dsp.compressor import CompressorSettings, makeup_gain_db, static_curve_db
from goshawk.core.dsp.crossover import three_bands, two_bands
from goshawk.core.dsp.de_esser import DeEsser, DeEsserSettings
from goshawk.core.dsp.leveller import Leveller, LevellerSettings
from goshawk.core.dsp.three_band import BandSettings, ThreeBand, ThreeBandSettings
from goshawk.core.stage import Block, Floats
from tests.conftest import RATE_HZ, run, tone

BLOCK = 480


def level_at_db(sound: Block, hz: float) -> float:
    """Peak level of one frequency in the last half second, by a windowed sum (no leakage into it)."""
    tail = sound[-RATE_HZ // 2 :, 0].astype(np.float64) * np.hanning(RATE_HZ // 2)
    t = np.arange(len(tail)) / RATE_HZ
    return float(20 * np.log10(4 * abs((tail * np.exp(-2j * np.pi * hz * t)).sum()) / len(tail)))


def response_db(sections: Floats, at_hz: Floats) -> np.ndarray:
    """Complex response by SciPy."""
    sos = np.insert(sections, 3, 1.0, axis=1)
    response: np.ndarray = sosfreqz(sos, at_hz, fs=RATE_HZ)[1]
    return response


@pytest.mark.parametrize(("lower", "upper"), [(60, 1000), (200, 3000), (990, 2000), (1000, 12_000)])
def test_crossovers_add_up_flat(lower: float, upper: float) -> None:
    hz = np.geomspace(20, 22_000, 500)
    for parts in (two_bands(lower), two_bands(upper), three_bands(lower, upper)):
        whole = sum(response_db(part, hz) for part in parts)
        assert np.abs(20 * np.log10(np.abs(whole))).max() < 0.1
    low, middle, high = (
        20 * np.log10(np.abs(response_db(p, hz))) for p in three_bands(lower, upper)
    )
    assert low[hz > 4 * lower].max() < -40
    assert middle[(hz < lower / 4) | (hz > min(4 * upper, 21_000))].max() < -40
    assert high[hz < upper / 4].max() < -40


def test_the_de_esser_turns_only_its_band_down_and_loudness_does_not_change_it() -> None:
    settings = DeEsserSettings(frequency_hz=5000, threshold_db=-10, amount_db=9)
    for voice_db in (-12, -24, -36):
        body = tone(400, voice_db, 1.5)
        for over_db, wanted in ((-14.0, 0.0), (-6.0, 4.0), (2.0, 9.0)):
            sharp = tone(16_000, voice_db + over_db, 1.5)
            out = run(DeEsser(settings, 1, BLOCK), body + sharp)
            taken = voice_db + over_db - level_at_db(out, 16_000)
            assert taken == pytest.approx(wanted, abs=0.6), (voice_db, over_db)
            assert level_at_db(out, 400) == pytest.approx(voice_db, abs=0.1)
    hiss = tone(9000, -70, 1.0)
    assert level_at_db(run(DeEsser(settings, 1, BLOCK), hiss), 9000) == pytest.approx(-70, abs=0.2)


def test_the_de_essers_times_are_those_that_are_set() -> None:
    """A step of the wanted reduction is covered to 63 % in the time set, the detector's 3 ms aside."""
    settings = DeEsserSettings(threshold_db=-30, amount_db=10, attack_ms=20, release_ms=200)
    stage = DeEsser(settings, 1, BLOCK)
    body = tone(400, -20, 2.0)
    sharp = tone(9000, -20, 2.0)
    sharp[: RATE_HZ // 2] = sharp[RATE_HZ:] = 0.0
    taken = []
    for start in range(0, 2 * RATE_HZ, 48):
        stage.process((body + sharp)[start : start + 48].copy())
        taken.append(float(stage._state[2]))
    reductions = np.array(taken)
    attack_ms = int(np.argmax(reductions > 6.3)) - 500
    released = reductions[1000:]
    release_ms = int(np.argmax(released < 3.7))
    assert attack_ms == pytest.approx(20, abs=2)
    # The upper band's power takes some ms to fall below the threshold, 40 dB down.
    assert release_ms - int(np.argmax(released < 9.99)) == pytest.approx(200, abs=10)


def test_three_bands_follow_their_own_curves() -> None:
    bands = {
        "low": BandSettings(threshold_dbfs=-30, ratio=2, makeup_gain_db=3),
        "middle": BandSettings(threshold_dbfs=-40, ratio=4),
        "high": BandSettings(threshold_dbfs=-20, ratio=10, makeup_gain_db=6),
    }
    settings = ThreeBandSettings(lower_hz=250, upper_hz=3000, **bands)
    for name, hz in zip(bands, (60, 800, 14_000), strict=True):
        for level in (-50.0, -25.0, -10.0):
            out = level_at_db(run(ThreeBand(settings, 1, BLOCK), tone(hz, level, 1.5)), hz)
            # What the other bands let through comes on top, each by its own curve.
            parts = [response_db(p, np.array([hz]))[0] for p in three_bands(250, 3000)]
            whole = 0j
            for part, one in zip(parts, bands.values(), strict=True):
                entering = level + 20 * np.log10(abs(part))
                left = float(static_curve_db(one.compressor, np.array([entering]))[0])
                whole += part * 10 ** ((left - entering) / 20)
            assert out == pytest.approx(level + 20 * np.log10(abs(whole)), abs=0.1), (name, level)
    with pytest.raises(ValueError, match="less than an octave"):
        ThreeBandSettings(lower_hz=900, upper_hz=1000)


def test_automatic_makeup_is_half_of_what_full_scale_would_lose() -> None:
    settings = CompressorSettings(
        threshold_dbfs=-24, ratio=3, knee_db=0, makeup_gain_db=20, is_makeup_automatic=True
    )
    assert makeup_gain_db(settings) == pytest.approx(24 * (1 - 1 / 3) / 2)
    assert static_curve_db(settings, np.array([0.0]))[0] == pytest.approx(-8)


def gain_after(stage: Leveller, sound: Block) -> float:
    out = run(stage, sound, BLOCK)
    last = slice(-RATE_HZ // 10, None)
    return float(20 * np.log10(np.abs(out[last]).max() / np.abs(sound[last]).max()))


def test_the_leveller_brings_a_voice_to_its_loudness_and_rests_in_pauses() -> None:
    """A 1 kHz tone of peak L dBFS stands at L - 3.01 + 0.0 LUFS, within BS.1770's rounding."""
    settings = LevellerSettings(target_lufs=-20, range_db=8, speed_db_per_s=2, threshold_lufs=-50)
    stage = Leveller(settings, 1, BLOCK)
    assert gain_after(stage, tone(997, -23, 12.0)) == pytest.approx(6.0, abs=0.15)
    # A pause: the gain holds, however long.
    quiet = tone(997, -75, 8.0)
    assert gain_after(stage, quiet) == pytest.approx(6.0, abs=0.15)
    # Louder speech is followed at the speed that is set, once its mean is over the old one.
    assert gain_after(stage, tone(997, -23, 1.0)) == pytest.approx(6.0, abs=0.15)
    louder = run(stage, tone(997, -5, 6.0), BLOCK)
    heights = np.abs(louder).reshape(-1, 4800).max(axis=1)
    gains = 20 * np.log10(heights) + 5
    falling = gains[5:25]
    assert -np.diff(falling).mean() * 10 == pytest.approx(2.0, rel=0.05)
    assert gain_after(stage, tone(997, -5, 8.0)) == pytest.approx(-8.0, abs=0.1), "bounded"
    # Quieter speech than before is a pause at first, and followed after some seconds.
    assert gain_after(stage, tone(997, -29, 20.0)) == pytest.approx(8.0, abs=0.15)
