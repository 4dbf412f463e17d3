"""Measurements against the signals and values that the standards publish."""

import numpy as np
import pyloudnorm
import pytest

from goshawk.core.measure import loudness
from goshawk.core.measure.clearance import background_peaks_dbfs, clearance_db, voice_peaks_dbfs
from goshawk.core.measure.levels import (
    MOMENT_FRAMES,
    PAUSE,
    SPEECH,
    MomentMeter,
    moments_in_db,
    station_levels,
)
from goshawk.core.measure.recording import measure_recording
from goshawk.core.measure.speech_activity import SpeechActivity
from goshawk.core.rig import Rig
from goshawk.core.rules.balance import standings
from goshawk.core.stage import Block
from tests.conftest import RATE_HZ, AtticMicrophone, random_sound, tone


def segments_of(sound: Block, block_frames: int = 1000) -> np.ndarray:
    meter = loudness.LoudnessMeter(sound.shape[1], block_frames)
    parts = [
        meter.measure(np.ascontiguousarray(sound[i : i + block_frames]))
        for i in range(0, len(sound), block_frames)
    ]
    return np.concatenate(parts)


def levels_in_turn(*parts: tuple[float, float]) -> Block:
    """A stereo 1 kHz sine at levels for seconds, as EBU Tech 3341 describes its test signals."""
    return np.concatenate([tone(1000, dbfs, s, channels=2) for dbfs, s in parts])


def test_a_full_scale_sine_on_one_channel_reads_minus_3_01_lufs() -> None:
    """ITU-R BS.1770: 997 Hz, 0 dBFS, one front channel."""
    assert loudness.integrated_lufs(segments_of(tone(997, 0, 5))) == pytest.approx(-3.01, abs=0.02)


# EBU Tech 3341, table 1, cases 1 to 5: levels and durations, expected integrated loudness.
TECH_3341 = [
    ([(-23, 20)], -23),
    ([(-33, 20)], -33),
    ([(-36, 10), (-23, 60), (-36, 10)], -23),
    ([(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], -23),
    ([(-26, 20), (-20, 20.1), (-26, 20)], -23),
]


@pytest.mark.parametrize(("parts", "expected"), TECH_3341)
def test_integrated_loudness_of_tech_3341(
    parts: list[tuple[float, float]], expected: float
) -> None:
    segments = segments_of(levels_in_turn(*parts))
    assert loudness.integrated_lufs(segments) == pytest.approx(expected, abs=0.1)


def test_momentary_and_short_term_of_tech_3341() -> None:
    segments = segments_of(levels_in_turn((-23, 20)))
    for length in (loudness.SEGMENTS_PER_BLOCK, loudness.SEGMENTS_PER_SHORT_TERM):
        values = loudness.sliding_loudness(segments, length)[1:]
        np.testing.assert_allclose(values, -23, atol=0.1)


# EBU Tech 3342, table 1, cases 1 to 3.
@pytest.mark.parametrize(
    ("first", "second", "expected"), [(-20, -30, 10), (-20, -15, 5), (-40, -20, 20)]
)
def test_loudness_range_of_tech_3342(first: float, second: float, expected: float) -> None:
    segments = segments_of(levels_in_turn((first, 20), (second, 20)))
    assert loudness.loudness_range_lu(segments) == pytest.approx(expected, abs=1)


def test_an_independent_meter_agrees(attic_talk: Block) -> None:
    """pyloudnorm, with the filters that match the published coefficients."""
    judge = pyloudnorm.Meter(RATE_HZ, filter_class="DeMan")
    expected = judge.integrated_loudness(attic_talk.astype(float))
    assert loudness.integrated_lufs(segments_of(attic_talk)) == pytest.approx(expected, abs=0.1)


def test_cutting_into_blocks_does_not_matter() -> None:
    sound = random_sound(1, 2.0, channels=2)
    np.testing.assert_array_equal(segments_of(sound, 64), segments_of(sound, 9999))


def test_true_peak_between_the_samples() -> None:
    """ITU-R BS.1770 Annex 2: a quarter-rate sine at 45° has samples at -3.01 dB and peaks at 0."""
    figures = measure_recording(tone(12_000, 0, 1.0, phase=np.pi / 4))
    assert figures["sample_peak_dbfs"] == pytest.approx(-3.01, abs=0.01)
    assert figures["true_peak_dbtp"] == pytest.approx(0, abs=0.3)


def test_too_short_or_silent_is_said_and_not_guessed() -> None:
    silent = measure_recording(np.zeros((RATE_HZ * 4, 1), np.float32))
    short = measure_recording(tone(997, -20, 0.05))
    for key in ("integrated_lufs", "momentary_max_lufs", "loudness_range_lu", "speech_level_dbfs"):
        assert silent[key] is None
        assert short[key] is None
    assert silent["true_peak_dbtp"] is None
    assert short["noise_floor_dbfs"] is None


def test_moments_are_numbered_from_the_microphone_whatever_the_latency() -> None:
    """A click in moment 7 is in moment 7 at a station that is 500 frames behind."""
    sound = np.zeros((4_800, 1), np.float32)
    sound[7 * MOMENT_FRAMES + 200] = 0.5
    late = np.concatenate([np.zeros((500, 1), np.float32), sound])
    for meter, heard in ((MomentMeter(), sound), (MomentMeter(500), late)):
        for start in range(0, len(heard), 256):
            meter.measure(np.ascontiguousarray(heard[start : start + 256]))
        peaks = moments_in_db(meter.moments(0, 10))[:, 1]
        assert int(np.argmax(peaks)) == 7
        assert peaks[7] == pytest.approx(-6.02, abs=0.01)


def test_station_levels_are_the_percentiles_of_the_design() -> None:
    random = np.random.default_rng(0)
    activity = np.repeat([PAUSE, SPEECH], 500)
    moments = np.stack([random.uniform(-60, -20, 1000), random.uniform(-50, -10, 1000)], 1)
    levels = station_levels(moments, activity)
    assert levels.noise_floor_dbfs == pytest.approx(np.median(moments[:500, 0]))
    assert levels.body_low_dbfs == pytest.approx(np.percentile(moments[500:, 0], 25))
    assert levels.peaks_dbfs == pytest.approx(np.percentile(moments[500:, 1], 95))
    assert levels.highest_peak_dbfs == pytest.approx(moments[:, 1].max())
    assert station_levels(moments, np.full(1000, PAUSE)).peaks_dbfs is None


def marked_speech() -> tuple[Block, np.ndarray]:
    """Bursts of modulated noise as words in steady noise 25 dB below, and where the words are."""
    random = np.random.default_rng(3)
    frames = 20 * RATE_HZ
    moment = np.arange(frames // MOMENT_FRAMES)
    is_word = (moment % 200 > 60) & (moment > 100)
    envelope = np.repeat(is_word * (0.6 + 0.4 * np.sin(moment * 0.3) ** 2), MOMENT_FRAMES)
    sound = random.standard_normal(frames) * (0.1 * envelope + 0.1 * 10 ** (-25 / 20))
    return sound[:, None].astype(np.float32), is_word


def test_speech_activity_finds_words_in_noise_at_any_gain() -> None:
    sound, is_word = marked_speech()
    for gain in (1.0, 0.01):
        activity = SpeechActivity()
        said = []
        for start in range(0, len(sound), MOMENT_FRAMES):
            activity.listen(
                np.ascontiguousarray(sound[start : start + MOMENT_FRAMES] * np.float32(gain))
            )
            said.append(int(activity.decisions(start // MOMENT_FRAMES, 1)[0]))
        found = np.array(said)[200:]
        truth = is_word[200:]
        assert np.mean(found[truth] == SPEECH) > 0.9
        assert np.mean(found[~truth] == SPEECH) < 0.05


def test_a_keyboard_is_not_speech() -> None:
    attic = AtticMicrophone()
    attic.set_preamp_gain_db(36.0)
    activity = SpeechActivity()
    said = []
    for performance in ("silent", "type"):
        attic.perform(performance)  # type: ignore[arg-type]
        block = np.zeros((MOMENT_FRAMES, 2), np.float32)
        for _ in range(500):
            attic.read(block)
            activity.listen(np.ascontiguousarray(block[:, :1]))
            said.append(int(activity.decisions(len(said), 1)[0]))
    assert np.mean(np.array(said[500:]) == SPEECH) < 0.2


def test_clearance_and_how_it_is_said() -> None:
    activity = np.repeat([PAUSE, SPEECH], 100)
    voice = voice_peaks_dbfs(np.repeat([-60.0, -8.0], 100), activity)
    game = background_peaks_dbfs(np.repeat([-80.0, -15.0], 100))
    clearance = {"game": clearance_db(voice, game), "music": clearance_db(voice, None)}
    assert clearance == {"game": pytest.approx(7.0), "music": None}
    said = standings({"voice": voice, "game": game, "music": None}, clearance, Rig())
    assert said["voice"].verdict == "on target"
    assert said["game"].text == "5 dB too loud"
    assert said["music"].verdict == "waiting"
    assert voice_peaks_dbfs(np.full(200, -8.0), np.full(200, PAUSE)) is None
