"""The suppressor against independent judges, on voices other than the demo's. The whole table: measurements.md."""

import numpy as np
import pytest
from scipy.special import exp1

from goshawk.core.dsp.spectral_gain import (
    GAIN,
    NEIGHBOURS,
    NOISE,
    ROWS,
    exponential_integral,
    find_gains,
    log_spectral_gain,
)
from goshawk.core.dsp.suppressor import BINS, Suppressor, SuppressorSettings
from goshawk.core.measure.room import RoomLearner, learn_room
from tests.conftest import AtticMicrophone
from tests.judge import in_noise, judged, level_db, pauses, room_of, score, spoken, suppressed
from tests.material import RATE_HZ, VOICES, clatter_fall_db, keys, noise, voice


def test_the_gain_is_ephraim_and_malahs() -> None:
    """Equation 20 of their paper of 1985, with SciPy's exponential integral."""
    for prior in 10.0 ** np.arange(-2, 3.1, 0.5):
        for posterior in 10.0 ** np.arange(-2, 3.1, 0.25):
            wiener = prior / (1 + prior)
            wanted = min(1.0, wiener * np.exp(0.5 * exp1(wiener * posterior)))
            assert log_spectral_gain(prior, posterior) == pytest.approx(wanted, rel=3e-4)
    for x in np.geomspace(1e-6, 30, 60):
        assert exponential_integral(x) == pytest.approx(exp1(x), rel=2e-4, abs=1e-12)


@pytest.mark.parametrize(("snr_db", "least_pesq", "most_loss"), [(5, 0.42, 0.0), (20, 1.0, 0.0)])
def test_a_learned_room_is_taken_from_under_the_voice(
    snr_db: float, least_pesq: float, most_loss: float
) -> None:
    """Means over four noises; all voices in all of them are judged by ``tools.measure_suppressor``."""
    cases = zip(VOICES, ("fan", "hiss", "hum", "rain"), strict=True)
    pairs = [judged(name, kind, snr_db, is_learned=True) for name, kind in cases]
    assert np.mean([after.pesq - before.pesq for before, after in pairs]) > least_pesq
    assert np.mean([after.stoi - before.stoi for before, after in pairs]) > most_loss
    assert min(after.pauses_db for _, after in pairs) > 12


@pytest.mark.parametrize(("words", "neighbours"), [(0.0, 2), (1.0, 10), (1.0, 2), (0.5, 10)])
def test_what_stands_clear_is_told_from_few_bins_and_in_words_from_many(
    words: float, neighbours: int
) -> None:
    """The first hop's gains beside NumPy's: the a-priori SNR is smoothed by 0.985 where the neighbours' mean is noise, and by 0.85
    where it is 10 dB above."""
    count, least_gain = 60, 0.05
    posterior = np.random.default_rng(2).exponential(np.linspace(8.0, 0.5, count))
    bins = np.zeros((ROWS, count))
    bins[NOISE] = 0.25
    find_gains(0.25 * posterior, bins, least_gain, 0.0, words, neighbours)
    snr = np.maximum(posterior - 1.0, 0.0)

    def mean_of(wide: int) -> np.ndarray:
        return np.array([snr[max(0, k - wide) : k + wide + 1].mean() for k in range(count)])

    near = (1.0 - words) * mean_of(NEIGHBOURS) + words * mean_of(neighbours)
    clear = np.clip(np.log10(np.maximum(near, 1e-9)), 0.0, 1.0)
    prior = np.maximum((0.015 + 0.135 * clear) * snr, 0.01)
    gains = [log_spectral_gain(*one) for one in zip(prior, posterior, strict=True)]
    np.testing.assert_allclose(bins[GAIN], np.maximum(gains, least_gain), rtol=1e-6)


@pytest.mark.parametrize("kind", ["fan", "hum"])
def test_without_a_learned_room_it_is_better_than_nothing(kind: str) -> None:
    # At 20 dB nearly nothing is missing of the words before, and much is won for the ear.
    for snr_db, least_pesq, most_loss in ((5, 0.0, 0.0), (20, 1.3, 0.001)):
        before, after = judged("miller", kind, snr_db, is_learned=False)
        assert after.pesq > before.pesq + least_pesq
        assert after.stoi > before.stoi - most_loss
        assert after.pauses_db > 12


def test_clean_speech_passes() -> None:
    for name in ("porter", "keeper"):
        clean = spoken(name)
        by_room, by_both = (
            score(clean, clean, suppressed(clean, SuppressorSettings(knows_voices_percent=p))).pesq
            for p in (0.0, 50.0)
        )
        assert by_room > 4.0
        assert by_both > max(3.9, by_room - 0.15)


def test_keys_are_softened_and_speech_is_not_taken_for_keys() -> None:
    clean = spoken("miller")
    fan = noise("fan", len(clean) / RATE_HZ)[: len(clean)] * 10 ** (-66 / 20)
    room = room_of(fan)

    def fall(clatter_db: float) -> tuple[float, float]:
        settings = SuppressorSettings(room=room, clatter_db=clatter_db, knows_voices_percent=0.0)
        return clatter_fall_db(
            clean + fan, clean, lambda sound: suppressed(sound, settings), "clicks"
        )

    between, under = fall(24.0)
    assert between > 15
    assert under > 2
    assert max(fall(0.0)) < 2, "that was the detector's work"
    with_detector, without = (
        suppressed(clean, SuppressorSettings(clatter_db=db)) for db in (24.0, 0.0)
    )
    assert level_db(with_detector - without) < level_db(clean) - 20


def test_it_takes_no_more_than_it_may_and_follows_a_change_of_the_room() -> None:
    clean, noisy = in_noise("ferryman", "fan", 10)
    for most_db in (0.0, 6.0, 12.0):
        settings = SuppressorSettings(room=room_of(noisy), reduction_db=most_db)
        # What it knows of voices may take three quarters more at the usual 50 %, where nobody speaks.
        assert score(clean, noisy, suppressed(noisy, settings)).pauses_db < 1.75 * most_db + 0.5
        by_room = settings.model_copy(update={"knows_voices_percent": 0.0})
        assert score(clean, noisy, suppressed(noisy, by_room)).pauses_db < most_db + 0.5
    hiss = noise("hiss", 20) * np.float32(1e-3)
    louder = hiss.copy()
    louder[5 * RATE_HZ :] *= 2.5
    heard = suppressed(
        louder,
        SuppressorSettings(room=room_of(hiss), follow_s=2.0, knows_voices_percent=0.0),
    )
    at_once = level_db(louder[5 * RATE_HZ : 6 * RATE_HZ]) - level_db(
        heard[5 * RATE_HZ : 6 * RATE_HZ]
    )
    later = level_db(louder[-RATE_HZ:]) - level_db(heard[-RATE_HZ:])
    assert later > 15 > at_once + 3
    assert np.abs(pauses(clean)).any()


def test_the_room_is_learned_from_quiet_and_refused_with_a_reason() -> None:
    fan = (noise("fan", 4.0) * 1e-3).astype(np.float64)
    learner = RoomLearner(seconds=3.0)
    takes = [learner.push(fan[start : start + 480]) for start in range(0, len(fan), 480)]
    progress = [take.progress for take in takes if take.progress < 1]
    assert progress == sorted(progress)
    assert len(progress) > 300
    room = next(take.room for take in takes if take.room)
    stage = Suppressor(SuppressorSettings(room=room), 1, 480)
    assert stage.take_reading()["noise_dbfs"] == pytest.approx(-60, abs=1)
    silent = np.zeros(RATE_HZ)
    holed = fan.copy()
    holed[100] = np.nan
    for sound, reason in [
        (fan + 0.1 * spoken("keeper")[2 * RATE_HZ : 6 * RATE_HZ], "not the room"),
        (voice("miller").astype(np.float64), "not the room"),
        (fan + 0.2 * keys(4.0), "not the room"),
        (silent, "Nothing came"),
        (fan[:4800], "shorter"),
        (holed, "no numbers"),
    ]:
        take = learn_room(sound)
        assert take.room is None
        assert reason in take.refusal
        assert take.refusal.endswith((".", "kept."))


def test_the_attics_room_is_learned_and_digital_silence_does_not_unlearn_it() -> None:
    attic = AtticMicrophone()
    attic.set_preamp_gain_db(36.0)
    sound = np.zeros((4 * RATE_HZ, 2), np.float32)
    attic.read(sound)
    room = learn_room(sound[RATE_HZ:, 0].astype(np.float64)).room
    assert room is not None
    assert len(room.levels_db) == BINS
    stage = Suppressor(SuppressorSettings(room=room), 1, 480)
    before = stage.take_reading()["noise_dbfs"]
    for _ in range(1000):
        stage.process(np.zeros((480, 1), np.float32))
    assert stage.take_reading()["noise_dbfs"] == pytest.approx(before, abs=0.1)
