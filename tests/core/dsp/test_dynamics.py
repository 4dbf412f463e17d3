"""Gate, compressor and limiter against their formulas and published limits."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from goshawk.core.compiled import kernel
from goshawk.core.dsp.compressor import (
    PEAK_WINDOW_MS,
    Compressor,
    CompressorSettings,
    static_curve_db,
)
from goshawk.core.dsp.fast_math import exp2, log2
from goshawk.core.dsp.gate import Gate, GateSettings
from goshawk.core.dsp.limiter import Limiter, LimiterSettings
from goshawk.core.dsp.trim import Trim, TrimSettings
from goshawk.core.measure.true_peak import TruePeakMeter
from goshawk.errors import BadSetting
from goshawk.units import ms_to_frames
from tests.conftest import RATE_HZ, peak_db, random_sound, run, tone


def envelope_db(gain: np.ndarray) -> np.ndarray:
    return 20 * np.log10(np.maximum(gain, 1e-6))


# --- trim ---------------------------------------------------------------------------------------


def test_trim_gives_its_gain_and_takes_dc_away() -> None:
    trim = Trim(TrimSettings(gain_db=6.0, is_polarity_inverted=True), 1, 256)
    sound = tone(1000, -20, 2.0)
    out = run(trim, sound + 0.1)
    settled = slice(RATE_HZ, 2 * RATE_HZ)
    assert peak_db(out[settled]) == pytest.approx(-14.0, abs=0.02)
    assert abs(out[settled].mean()) < 1e-4
    assert np.dot(out[settled, 0], sound[settled, 0]) < 0


# --- gate ---------------------------------------------------------------------------------------


@pytest.mark.parametrize("range_db", [6.0, 18.0, 40.0])
def test_the_closed_gate_takes_away_its_range(range_db: float) -> None:
    gate = Gate(
        GateSettings(range_db=range_db, open_threshold_dbfs=-40, close_threshold_dbfs=-45), 1, 256
    )
    out = run(gate, tone(1000, -60, 2.0))
    assert peak_db(out[RATE_HZ:]) == pytest.approx(-60 - range_db, abs=0.5)
    silent = Gate(GateSettings(range_db=80.0), 1, 256)
    assert not run(silent, tone(1000, -60, 3.0))[2 * RATE_HZ :].any()


def test_the_gate_has_hysteresis_hold_and_the_named_times() -> None:
    chosen = GateSettings(
        open_threshold_dbfs=-30, close_threshold_dbfs=-40, attack_ms=10, hold_ms=100, release_ms=50,
        range_db=40, look_ahead_ms=0,
    )  # fmt: skip
    parts = [(-60, 0.5), (-20, 0.5), (-35, 0.5), (-60, 1.0)]
    sound = np.concatenate([tone(4000, dbfs, s) for dbfs, s in parts])
    gain = np.abs(signal.hilbert(run(Gate(chosen, 1, 256), sound)[:, 0])) / np.abs(
        signal.hilbert(sound[:, 0])
    )
    opens = round(0.5 * RATE_HZ)
    assert gain[opens + ms_to_frames(10)] == pytest.approx(1 - (1 - 0.01) / np.e, rel=0.05)
    # Between the thresholds it stays open.
    assert gain[round(1.45 * RATE_HZ)] == pytest.approx(1.0, abs=0.01)
    # It closes when the detector has fallen under the lower threshold and the hold is over.
    falls = round(1.5 * RATE_HZ)
    started = falls + int(np.argmax(gain[falls + 100 : -100] < 0.98)) + 100
    detector_ms = 15.0 * np.log(10 ** ((-35 + 40) / 20))
    assert (started - falls) / 48 == pytest.approx(100 + detector_ms, rel=0.05)
    to_63_percent = int(np.argmax(gain[started:-100] < 0.98 / np.e + 0.01)) / 48
    assert to_63_percent == pytest.approx(50, rel=0.07)


def test_look_ahead_lets_the_first_syllable_through() -> None:
    """A word that begins at once loses its first 2 ms without look-ahead and nothing with it."""
    word = np.concatenate([np.zeros((RATE_HZ, 1), np.float32), tone(500, -12, 0.2)])
    start = slice(RATE_HZ, RATE_HZ + ms_to_frames(2))

    def share(look_ahead_ms: float) -> float:
        gate = Gate(GateSettings(look_ahead_ms=look_ahead_ms, attack_ms=1.0, range_db=80), 1, 256)
        out = run(gate, np.concatenate([word, np.zeros((960, 1), np.float32)]))
        out = out[gate.latency_frames :]
        return float(np.sum(out[start] ** 2) / np.sum(word[start] ** 2))

    assert share(0.0) < 0.7
    assert share(5.0) > 0.97


def test_rumble_does_not_open_the_gate() -> None:
    gate = Gate(GateSettings(open_threshold_dbfs=-30, side_chain_high_pass_hz=200), 1, 256)
    run(gate, tone(25, -12, 1.0))
    assert gate.take_reading()["is_open"] is False
    run(gate, tone(1000, -12, 0.1))
    assert gate.take_reading()["is_open"] is True


def test_a_gate_that_closes_above_where_it_opens_is_refused() -> None:
    with pytest.raises(ValueError, match="Lower the closing threshold first"):
        GateSettings(open_threshold_dbfs=-50, close_threshold_dbfs=-40)


# --- compressor ---------------------------------------------------------------------------------


def formula_db(level: float, threshold: float, ratio: float, knee: float) -> float:
    """Giannoulis, Massberg and Reiss (2012), equation 4, written out anew."""
    if 2 * (level - threshold) < -knee:
        return level
    if 2 * abs(level - threshold) <= knee and knee > 0:
        return level + (1 / ratio - 1) * (level - threshold + knee / 2) ** 2 / (2 * knee)
    return threshold + (level - threshold) / ratio


@pytest.mark.parametrize("knee", [0.0, 6.0, 18.0])
@pytest.mark.parametrize("ratio", [1.5, 4.0, 20.0])
@pytest.mark.parametrize("hz", [60.0, 997.0, 9000.0])
def test_steady_tones_meet_the_static_curve(hz: float, ratio: float, knee: float) -> None:
    chosen = CompressorSettings(
        threshold_dbfs=-20, ratio=ratio, knee_db=knee, makeup_gain_db=0, side_chain_high_pass_hz=20
    )
    for level in (-40.0, -26.0, -20.0, -15.0, -8.0, 0.0):
        out = run(Compressor(chosen, 1, 256), tone(hz, level, 1.0))
        expected = formula_db(level, -20, ratio, knee)
        assert peak_db(out[RATE_HZ // 2 :]) == pytest.approx(expected, abs=0.1)
        drawn = static_curve_db(chosen, np.array([level]))[0]
        assert drawn == pytest.approx(expected, abs=1e-9)


def test_the_textbook_example() -> None:
    """-8 dBFS over a threshold of -20 at 4:1 with a hard knee comes out at -17: 9 dB less."""
    chosen = CompressorSettings(threshold_dbfs=-20, ratio=4, knee_db=0, makeup_gain_db=0)
    compressor = Compressor(chosen, 1, 256)
    out = run(compressor, tone(997, -8, 1.0))
    assert peak_db(out[RATE_HZ // 2 :]) == pytest.approx(-17, abs=0.1)
    assert compressor.take_reading()["gain_reduction_db"] == pytest.approx(9.0, abs=0.1)


@pytest.mark.parametrize(("attack_ms", "release_ms"), [(5.0, 100.0), (30.0, 400.0), (100.0, 50.0)])
def test_attack_and_release_are_63_percent_of_the_step_in_db(
    attack_ms: float, release_ms: float
) -> None:
    chosen = CompressorSettings(
        threshold_dbfs=-30, ratio=4, knee_db=0, makeup_gain_db=0,
        attack_ms=attack_ms, release_ms=release_ms, side_chain_high_pass_hz=20,
    )  # fmt: skip
    sound = np.concatenate([tone(6000, dbfs, 2.0) for dbfs in (-40, -10, -40)])
    out = run(Compressor(chosen, 1, 256), sound)
    gain = envelope_db(np.abs(signal.hilbert(out[:, 0])) / np.abs(signal.hilbert(sound[:, 0])))
    whole = 15.0
    up = gain[2 * RATE_HZ :]
    reached = np.argmax(up < -whole * (1 - 1 / np.e)) / 48
    assert reached == pytest.approx(attack_ms, rel=0.05, abs=0.2)
    down = gain[4 * RATE_HZ + ms_to_frames(PEAK_WINDOW_MS) :]
    reached = np.argmax(down > -whole / np.e) / 48
    assert reached == pytest.approx(release_ms, rel=0.05)


def test_makeup_and_mix() -> None:
    half = CompressorSettings(
        threshold_dbfs=-20, ratio=4, knee_db=0, makeup_gain_db=6, mix_percent=50
    )
    out = run(Compressor(half, 1, 256), tone(997, -8, 1.0))
    expected = 20 * np.log10(0.5 * 10 ** ((-17 + 6) / 20) + 0.5 * 10 ** (-8 / 20))
    assert peak_db(out[RATE_HZ // 2 :]) == pytest.approx(expected, abs=0.1)


# --- limiter ------------------------------------------------------------------------------------


def true_peak_dbtp(sound: np.ndarray) -> float:
    meter = TruePeakMeter(sound.shape[1], len(sound))
    meter.measure(sound)
    return meter.take_dbtp()


def fine_true_peak_dbtp(sound: np.ndarray) -> float:
    """An independent judge: 16-fold, with a filter three times as long as the limiter's own."""
    taps = signal.firwin(16 * 128 + 1, 1 / 16, window=("kaiser", 8.0)) * 16
    return peak_db(signal.upfirdn(taps, sound[:, 0].astype(float), up=16))


def hard_signals() -> dict[str, np.ndarray]:
    random = np.random.default_rng(8)
    n = RATE_HZ
    t = np.arange(n) / RATE_HZ
    noise = random.standard_normal(n)
    return {
        "quarter rate at 45 degrees": 2 * np.sin(2 * np.pi * 12_000 * t + np.pi / 4),
        "full-scale noise": random.uniform(-1, 1, n),
        "noise at +24 dB": noise * 16,
        "random signs": np.sign(noise),
        "impulses": (np.arange(n) % 4800 == 0) * 16.0,
        "bursts": noise * (np.sin(2 * np.pi * 300 * t) > 0.9) * 8,
        "steps of 64 dB": np.sin(2 * np.pi * 997 * t)
        * np.where((t * 20).astype(int) % 2, 16, 0.01),
        "modulated 19 kHz": 8 * np.sin(2 * np.pi * 18_997 * t) * (1 + np.sin(2 * np.pi * 900 * t)),
        "sparse signs": np.sign(noise) * (random.random(n) < 0.02) * 16,
        "sweep": 4 * np.sin(2 * np.pi * np.cumsum(np.linspace(20, 23_900, n)) / RATE_HZ),
    }


def limited(sound: np.ndarray, settings: LimiterSettings) -> np.ndarray:
    """Through the limiter, and the silence that follows too."""
    tail = np.zeros((960, sound.shape[1]), np.float32)
    padded = np.concatenate([sound.astype(np.float32), tail])
    return run(Limiter(settings, sound.shape[1], 256), padded)


@pytest.mark.parametrize("ceiling", [-3.0, -12.0])
@pytest.mark.parametrize("name", list(hard_signals()))
def test_true_peak_stays_under_the_ceiling(name: str, ceiling: float) -> None:
    out = limited(
        hard_signals()[name][:, None], LimiterSettings(ceiling_dbtp=ceiling, release_ms=5)
    )
    assert true_peak_dbtp(out) <= ceiling + 0.1
    assert np.abs(out).max() <= 10 ** (ceiling / 20)


@settings(max_examples=25)
@given(
    seed=st.integers(0, 10_000),
    gain_db=st.floats(-20, 24),
    ceiling=st.floats(-30, 0),
    release_ms=st.floats(5, 1000),
)
def test_the_ceiling_holds_for_any_sound(
    seed: int, gain_db: float, ceiling: float, release_ms: float
) -> None:
    sound = random_sound(seed, 0.3, channels=2) * np.float32(10 ** (gain_db / 20))
    out = limited(sound, LimiterSettings(ceiling_dbtp=ceiling, release_ms=release_ms))
    assert true_peak_dbtp(out) <= ceiling + 0.1


def test_a_finer_judge_agrees_below_20_khz() -> None:
    low = signal.firwin(255, 20_000, fs=RATE_HZ)
    for name in ("noise at +24 dB", "bursts", "steps of 64 dB", "sparse signs"):
        sound = signal.lfilter(low, 1, hard_signals()[name])[:, None].astype(np.float32)
        out = run(Limiter(LimiterSettings(ceiling_dbtp=-3), 1, 256), sound)
        assert fine_true_peak_dbtp(out[2000:-2000]) <= -3 + 0.1, name


def eightfold_dbtp(sound: np.ndarray, half: int, beta: float) -> float:
    """By polyphase meters of eight times, flat to some 20 kHz; the first is SciPy's own."""
    window = signal.firwin(16 * half + 1, 1 / 8, window=("kaiser", beta))
    peaks = [
        np.abs(signal.resample_poly(channel, 8, 1, window=window)).max() for channel in sound.T
    ]
    return float(20 * np.log10(max(peaks)))


HARD = ("white", "binary", "clipped", "bursts", "hiss", "fm")


def hard_noise(kind: str, seed: int) -> np.ndarray:
    """Full to half the rate, and jumping: where meters differ and gains move."""
    random = np.random.default_rng(seed)
    noise = random.standard_normal((RATE_HZ // 2, 1))
    match kind:
        case "white":
            return noise * 5
        case "binary":
            return np.sign(noise) * 2
        case "clipped":
            return np.clip(noise * 5, -1, 1) * 3
        case "bursts":
            return noise * 10 * (random.random(len(noise) // 48) < 0.1).repeat(48)[:, None]
        case "hiss":
            high = signal.butter(6, 15_000, "hp", fs=RATE_HZ, output="sos")
            return signal.sosfilt(high, noise, axis=0) * 5
    t = np.arange(len(noise)) / RATE_HZ
    wave = np.sin(2 * np.pi * random.uniform(8e3, 2e4) * t + 3 * np.sin(2 * np.pi * 700 * t))
    return (wave * (1 + np.sign(np.sin(2 * np.pi * random.uniform(5, 500) * t))))[:, None] * 2


@settings(max_examples=24)
@given(
    kind=st.sampled_from(HARD),
    seed=st.integers(0, 2**32 - 1),
    ceiling=st.floats(-12, 0),
    release_ms=st.floats(5, 200),
)
def test_meters_that_look_between_the_samples_otherwise_find_nothing_above(
    kind: str, seed: int, ceiling: float, release_ms: float
) -> None:
    """Noise and bursts once stood up to 0.3 dB above by meters that fall from 20 kHz on."""
    sound = hard_noise(kind, seed).astype(np.float32)
    out = limited(sound, LimiterSettings(ceiling_dbtp=ceiling, release_ms=release_ms))
    for half, beta in ((10, 5.0), (10, 3.5), (12, 6.0), (20, 5.0)):
        assert eightfold_dbtp(out, half, beta) <= ceiling + 0.1


def test_below_the_ceiling_nothing_changes() -> None:
    limiter = Limiter(LimiterSettings(ceiling_dbtp=-3), 1, 256)
    sound = tone(997, -4, 0.5)
    out = run(limiter, sound)
    late = limiter.latency_frames
    np.testing.assert_allclose(out[late:], sound[:-late], atol=1e-6)
    assert limiter.take_reading()["gain_reduction_db"] == 0.0


def test_settings_refuse_what_is_out_of_range_nan_and_unknown() -> None:
    from goshawk.core.rig import Rig, changed

    for path, value, sentence in [
        ("inputs.voice.chain.gate.settings.range_db", 99, "at most 80"),
        ("inputs.voice.chain.compressor.settings.ratio", float("nan"), "finite"),
        ("inputs.voice.chain.limiter.settings.volume", 1, "no setting"),
        ("inputs.voice.chain.reverb.settings.mix", 1, "no setting"),
        ("block_frames", 100, "64, 128, 256, 512 or 1024"),
    ]:
        with pytest.raises(BadSetting, match=sentence):
            changed(Rig(), path, value)


def test_the_quick_logarithms_and_powers_are_right() -> None:
    """Against the C library's, over all that a kernel can meet, ends of the mantissa and whole numbers included."""
    random = np.random.default_rng(3)
    x = np.concatenate([10.0 ** random.uniform(-300, 300, 4000), 2.0 ** np.arange(-40.0, 40.0)])
    x = np.concatenate([x, np.nextafter(x, 0.0)])
    powers = np.concatenate([random.uniform(-1000, 1000, 4000), np.arange(-60.0, 60.0, 0.5)])
    logarithms, exponentials = np.zeros_like(x), np.zeros_like(powers)
    _quick(x, logarithms, powers, exponentials)
    np.testing.assert_allclose(logarithms, np.log2(x), atol=1e-9)
    np.testing.assert_allclose(exponentials, np.exp2(powers), rtol=1e-9)


@kernel
def _quick(
    x: np.ndarray, logarithms: np.ndarray, powers: np.ndarray, exponentials: np.ndarray
) -> None:
    for i in range(len(x)):
        logarithms[i] = log2(x[i])
    for i in range(len(powers)):
        exponentials[i] = exp2(powers[i])
