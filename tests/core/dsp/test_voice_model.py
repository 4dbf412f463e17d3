"""What the suppressor knows of voices: the network's arithmetic beside PyTorch's, and what it is good for. The whole table: measurements.md."""

from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr

from goshawk import model_file
from goshawk.core.chain_slots import GateSlot, SuppressorSlot
from goshawk.core.dsp.gate import GateSettings
from goshawk.core.dsp.suppressor import WINDOW_FRAMES, Suppressor, SuppressorSettings
from goshawk.core.dsp.voice_features import (
    BANDS,
    CORNERS_HZ,
    FEATURES,
    PAST_HOPS,
    band_sizes,
    corners_of_bins,
    see,
)
from goshawk.core.dsp.voice_model import UNITS, DamagedModel, advance, packed, weights
from goshawk.core.graph.chain import RunningChain
from goshawk.core.graph.taken_alone import TakenAlone
from tests.conftest import some_each_day
from tests.judge import in_noise, level_db, pauses, room_of, score, spoken, suppressed
from tests.material import RATE_HZ, SPEECH_DBFS, VOICES, clatter_fall_db, keys, noise, sung

SOUNDS = Path(__file__).parents[3] / "goshawk" / "devices" / "sounds"
PYTORCH = Path(__file__).parents[2] / "data" / "voice_model_check.npz"
"""What PyTorch made of some seconds of features with the shipped weights (tools/train_suppressor/put_in.py)."""


def test_its_steps_are_those_of_pytorch() -> None:
    found = dict(np.load(PYTORCH))
    states, scratch = np.zeros((2, UNITS), np.float32), np.zeros((2, 3 * UNITS), np.float32)
    more_db = np.zeros(BANDS + 1, np.float32)
    for seen, gain_db, speech in zip(found["seen"], found["gain_db"], found["speech"], strict=True):
        speaks = advance(weights(), seen, states, scratch, more_db)
        ours, theirs = (10 ** (np.minimum(0.0, one) / 20) for one in (more_db[:BANDS], gain_db))
        np.testing.assert_allclose(ours, theirs, atol=1e-4)
        assert speaks == pytest.approx(float(speech), abs=1e-4)
    # What is no number is gone with the next step.
    advance(weights(), np.full(FEATURES, np.nan, np.float32), states, scratch, more_db)
    advance(weights(), found["seen"][0], states, scratch, more_db)
    assert np.isfinite(more_db).all()


def test_it_sees_means_under_triangles_and_how_peaked_the_differences_are() -> None:
    """The features beside NumPy's: triangles that stand on the corners' neighbours, and differences of the window."""
    random = np.random.default_rng(4)
    starts, share = corners_of_bins(WINDOW_FRAMES)
    hz = np.arange(len(share)) * RATE_HZ / WINDOW_FRAMES
    triangles = np.array([np.interp(hz, CORNERS_HZ, one) for one in np.eye(BANDS)])
    sizes = band_sizes(starts, share)
    np.testing.assert_allclose(sizes, triangles.sum(axis=1), rtol=1e-12)

    def levels_db(power: np.ndarray) -> np.ndarray:
        return np.asarray(10 * np.log10(triangles @ power / sizes + 1e-12))

    power, noise, gains = (random.exponential(one, len(hz)) for one in (1.0, 0.1, 0.5))
    sound = random.standard_normal(WINDOW_FRAMES) * np.linspace(0.1, 1.0, WINDOW_FRAMES)
    seen = np.zeros(FEATURES, np.float32)
    past_db, scratch = np.full((PAST_HOPS, BANDS), -3.0), np.zeros((2, BANDS))
    see(power, noise, gains, sound, 1.0, starts, share, sizes, past_db, scratch, seen)
    level, over, gain, moved = seen[: 4 * BANDS].reshape(4, BANDS)
    np.testing.assert_allclose(level, (levels_db(power) + 70) / 30, atol=1e-5)
    above = np.clip(levels_db(power) - levels_db(noise), -10, 40)
    np.testing.assert_allclose(over, above / 20, atol=1e-5)
    in_db = 20 * np.log10(triangles @ gains / sizes + 1e-4)
    np.testing.assert_allclose(gain, np.maximum(-40, in_db) / 20, atol=1e-5)
    np.testing.assert_allclose(moved, np.clip(levels_db(power) + 3.0, -30, 30) / 15, atol=1e-5)
    for row, crest in enumerate(seen[4 * BANDS :].reshape(4, 3)):
        differences = np.pad(np.diff(sound, row), (row, 0)) ** 2
        ticks = differences.reshape(8, -1).sum(axis=1)
        expected = [10 * np.log10(one / ticks.mean()) / 9 for one in (ticks.max(), ticks[-1])]
        np.testing.assert_allclose(crest, [*expected, ticks.argmax() / 7], atol=1e-5)


def test_who_only_hears_is_told_the_same() -> None:
    _, noisy = in_noise("keeper", "fan", 20)
    whole, hearing = (Suppressor(SuppressorSettings(), 1, 480) for _ in range(2))
    only, told = hearing.only_hear(), []
    for start in range(0, len(noisy) - 480, 480):
        piece = noisy[start : start + 480, None].astype(np.float32)
        whole.process(piece.copy())
        only.run(piece)
        assert not piece.any()
        assert np.array_equal(hearing.speaks, whole.speaks)
        told.append(hearing.speaks[-1])
    assert np.percentile(told, 90) > 0.9
    assert np.percentile(told, 10) < 0.1


def test_weights_that_are_not_those_of_this_version_are_refused(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(model_file, "WEIGHTS_SHA256", "0" * 64)
    with pytest.raises(DamagedModel, match=r"damaged\. Install"):
        model_file.read_weights()
    monkeypatch.setattr(model_file, "WEIGHTS_FILE", "not_there.npz")
    with pytest.raises(DamagedModel, match="cannot be read"):
        model_file.read_weights()
    with pytest.raises(DamagedModel, match="no usable into"):
        packed({"into": np.zeros((1, 1), np.float32)})


def test_what_was_saved_before_goes_by_the_room_alone() -> None:
    old = SuppressorSlot.model_validate({"id": "one", "settings": {"reduction_db": 12.0}})
    assert old.settings.knows_voices_percent == 0.0
    assert SuppressorSlot(id="two").settings.knows_voices_percent > 0.0
    kept = SuppressorSlot.model_validate_json(SuppressorSlot(id="three").model_dump_json())
    assert kept.settings == SuppressorSettings()


@pytest.mark.parametrize(
    ("kind", "snr_db", "least"),
    some_each_day([("hum", 5, 0.17), ("hiss", 5, 0.09), ("rain", 5, 0.08)], ("hum", 5, 0.17)),
)
def test_it_is_better_than_the_room_alone(kind: str, snr_db: float, least: float) -> None:
    """Hum in bands the room alone knows as well: what is better there comes from the finer look at the lows, and from between the
    harmonics. In hiss and rain it is half the model, half that in words what stands clear is told from many bins."""
    better = []
    for name in VOICES:
        clean, noisy = in_noise(name, kind, snr_db)
        room = room_of(noisy)
        by_room, by_both = (
            score(
                clean,
                noisy,
                suppressed(noisy, SuppressorSettings(room=room, knows_voices_percent=p)),
            )
            for p in (0.0, 50.0)
        )
        assert by_both.pauses_db > by_room.pauses_db
        better.append(by_both.pesq - by_room.pesq)
    assert np.mean(better) > least


def test_music_is_let_through_and_taken_under_somebody_who_talks() -> None:
    music, rate_hz = soundfile.read(SOUNDS / "music.flac", dtype="float32", always_2d=True)
    sound = soxr.resample(music.mean(axis=1), rate_hz, RATE_HZ)[: 12 * RATE_HZ]
    talk = spoken("miller")[: 8 * RATE_HZ]
    for before in (sound[:0], talk):
        came = np.concatenate([before, sound])
        fan = noise("fan", len(came) / RATE_HZ)[: len(came)] * 10 ** (-66 / 20)
        room = SuppressorSettings(room=room_of(fan))
        heard = suppressed((came + fan).astype(np.float32), room)
        for second in range(3):
            first = len(before) + second * RATE_HZ
            then = slice(first, first + RATE_HZ)
            assert level_db(came[then]) - level_db(heard[then]) < 3.0
    # There it is no voice, and goes in the pauses.
    clean = spoken("miller")[: len(sound)]
    talk = (clean + 0.1 * sound[: len(clean)]).astype(np.float32)
    where = pauses(clean)
    talk, heard = (
        talk[: len(where)],
        suppressed(talk, SuppressorSettings(room=room_of(fan)))[: len(where)],
    )
    assert level_db(talk[where]) - level_db(heard[where]) > 10.0


def test_keys_between_words_all_but_go_and_a_clean_voice_stays() -> None:
    clean = spoken("miller")
    fan = noise("fan", len(clean) / RATE_HZ)[: len(clean)] * 10 ** (-66 / 20)
    falls = [
        clatter_fall_db(
            clean + fan,
            clean,
            lambda sound, percent=percent: suppressed(
                sound, SuppressorSettings(room=room_of(fan), knows_voices_percent=percent)
            ),
            "keys",
        )[0]
        for percent in (0.0, 50.0)
    ]
    assert falls[1] > falls[0] + 6.0
    heard = suppressed(clean, SuppressorSettings())
    assert abs(level_db(heard) - level_db(clean)) < 0.2


@pytest.mark.parametrize(("name", "pitch_hz"), [("keeper", 220.0), ("porter", 110.0)])
def test_a_voice_that_sings_keeps_its_level(name: str, pitch_hz: float) -> None:
    """Long vowels are no talk for the network; but they repeat."""
    song = sung(pitch_hz) * 10 ** (SPEECH_DBFS / 20)
    clean = np.concatenate([spoken(name), song]).astype(np.float32)
    by_room, by_both = (
        level_db(suppressed(clean, SuppressorSettings(knows_voices_percent=p))[-len(song) :])
        for p in (0.0, 50.0)
    )
    assert by_both == pytest.approx(by_room, abs=0.1)


def test_a_gate_for_voices_stays_shut_for_keys_that_would_open_it() -> None:
    clean = spoken("keeper")
    strokes = 0.1 * keys(len(clean) / RATE_HZ + 1)[: len(clean)]
    strokes[3 * RATE_HZ :] = 0.0
    quiet = 1e-4 * noise("hiss", len(clean) / RATE_HZ)[: len(clean)]

    def opened(sound: np.ndarray, is_for_voice: bool) -> float:
        gate = GateSettings(
            open_threshold_dbfs=-60.0,
            close_threshold_dbfs=-65.0,
            range_db=80.0,
            is_for_voice=is_for_voice,
        )
        suppressor = SuppressorSettings(reduction_db=0.0, clatter_db=0.0)
        slots = (SuppressorSlot(id="s", settings=suppressor), GateSlot(id="g", settings=gate))
        chain = RunningChain(slots, 1, 480)
        out = sound[:, None].astype(np.float32)
        for start in range(0, len(out), 480):
            chain.process(out[start : start + 480])
        return level_db(out) - level_db(sound)

    assert opened(strokes + quiet, False) > -3.0
    assert opened(strokes + quiet, True) < -6.0
    assert opened(clean + quiet, True) > -0.5


def test_what_each_knowledge_takes_alone_is_together_what_is_removed() -> None:
    _, noisy = in_noise("porter", "fan", 10)
    settings = SuppressorSettings(room=room_of(noisy))
    stage, block = Suppressor(settings, 1, 480), 480
    alone = {by: TakenAlone(block) for by in ("room", "voices")}
    late = stage.latency_frames
    removed, parts = [], []
    before_all = np.pad(noisy, (late, 0)).astype(np.float32)
    for start in range(0, len(noisy) // block * block, block):
        after = noisy[start : start + block, None].astype(np.float32)
        stage.process(after)
        before = before_all[start : start + block, None]
        removed.append(before[:, 0] - after[:, 0])
        parts.append(
            sum(one.process(settings, by, before, after)[:, 0] for by, one in alone.items())  # type: ignore[arg-type]
        )
    whole, summed = np.concatenate(removed), np.concatenate(parts)
    np.testing.assert_allclose(summed[late:], whole[:-late], atol=1e-6)
