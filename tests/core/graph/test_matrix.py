"""The matrix of inputs and feeds against plain NumPy, and an input's way into it."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from goshawk.core.graph.matrix import ROWS, Matrix
from goshawk.core.graph.pick import Pick
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.routing import FEEDS
from goshawk.core.stage import GLIDE_MS
from tests.conftest import RATE_HZ, random_sound, tone

FRAMES = 4800


def matrix_with(seed: int) -> tuple[Matrix, np.ndarray, np.ndarray]:
    """A matrix at rest with random gains, the gains, and random sound for every row."""
    random = np.random.default_rng(seed)
    gains = np.where(
        random.random((ROWS, len(FEEDS))) < 0.4, 0.0, random.random((ROWS, len(FEEDS)))
    )
    matrix = Matrix(1024)
    for row in range(ROWS):
        matrix.set_gains(row, gains[row].tolist(), at_once=True)
    sound = (random.standard_normal((ROWS, FRAMES, 2)) * 0.1).astype(np.float32)
    return matrix, gains, sound


def mixed(matrix: Matrix, sound: np.ndarray, lengths: list[int]) -> np.ndarray:
    out, start = [], 0
    while start < FRAMES:
        frames = min(lengths[len(out) % len(lengths)], FRAMES - start)
        matrix.inputs[:, :frames] = matrix.unshaped[:, :frames] = sound[:, start : start + frames]
        matrix.step.run(matrix.sums[0][:frames])
        out.append(matrix.feeds[:, :frames].copy())
        start += frames
    return np.concatenate(out, axis=1)


@given(st.integers(0, 1000), st.lists(st.integers(1, 1024), min_size=1, max_size=5))
@settings(max_examples=15)
def test_every_feed_is_the_sum_of_gains_times_inputs(seed: int, lengths: list[int]) -> None:
    matrix, gains, sound = matrix_with(seed)
    out = mixed(matrix, sound, lengths)
    expected = np.einsum("if,inc->fnc", gains, sound.astype(float))
    np.testing.assert_allclose(out, expected, atol=1e-5)
    # What each input brings, as it was added.
    for row in range(ROWS):
        brought = gains[row][:, None, None] * sound[row].astype(float)
        peaks = matrix._peaks[row]
        np.testing.assert_allclose(peaks[:-1], np.abs(brought).max(axis=(1, 2)), rtol=1e-4)
        assert peaks[-1] == pytest.approx(float(np.abs(sound[row]).max()))
        hops = brought[0].reshape(-1, HOP_FRAMES, 2)
        kept = matrix.hops(row, 0, matrix.finished)
        np.testing.assert_allclose(kept[:, 0], (hops**2).mean(axis=(1, 2)), rtol=1e-3)
        np.testing.assert_allclose(kept[:, 1], np.abs(hops).max(axis=(1, 2)), rtol=1e-3)
    assert matrix.finished == FRAMES // HOP_FRAMES
    matrix.take_peaks()
    assert not matrix.take_peaks().any()


def test_a_gain_glides_to_where_it_was_set_and_a_row_is_silent_then() -> None:
    matrix = Matrix(1024)
    matrix.set_gains(3, [1.0] * len(FEEDS), at_once=True)
    matrix.inputs[3] = 1.0
    matrix.set_gains(3, [0.0] * len(FEEDS))
    steps = []
    for _ in range(60):
        before = matrix.feeds[0, 255, 0]
        matrix.step.run(matrix.sums[0][:256])
        steps.append(np.abs(np.diff(matrix.feeds[0, :256, 0], prepend=before)).max())
        if matrix.is_silent(3):
            break
    assert matrix.is_silent(3)
    # Two poles of GLIDE_MS: the steepest slope is 1/(e GLIDE) of the way.
    steepest = 1.0 / (np.e * GLIDE_MS / 1000.0 * RATE_HZ)
    assert max(steps[1:]) < 1.05 * steepest


def test_hops_are_counted_from_the_microphone_on() -> None:
    """An input that comes late by the chain's latency has its sound in the same hop."""
    matrix = Matrix(1024)
    matrix.set_gains(0, [1.0, 0.0, 0.0, 0.0], at_once=True)
    matrix.set_latency(700)
    sound = np.zeros((ROWS, FRAMES, 2), np.float32)
    sound[0, 3 * HOP_FRAMES + 700 + 10] = 0.5
    mixed(matrix, sound, [256])
    peaks = matrix.hops(0, 0, matrix.finished)[:, 1]
    assert int(np.argmax(peaks)) == 3
    assert matrix.finished == (FRAMES - 700) // HOP_FRAMES


def test_a_pick_crossfades_between_devices_and_counts_what_is_no_number() -> None:
    pick = Pick("one", "left")
    sound = {"one": tone(400, -6, 0.5, channels=2), "two": tone(700, -6, 0.5, channels=2)}
    silence = np.zeros((256, 2), np.float32)
    out = []
    for number, start in enumerate(range(0, RATE_HZ // 2 - 256, 256)):
        if number == 20:
            pick.choose("two", "stereo")
            assert pick.devices == ("two", "one"), "both are needed until the fade is over"
        if number == 50:
            pick.choose("gone", "sum")
        block = np.zeros((256, 2), np.float32)
        sources = [
            sound[name][start : start + 256] if name in sound else silence for name in pick.devices
        ]
        pick.step(*sources).run(block)
        out.append(block)
    heard = np.concatenate(out)
    steepest = np.abs(np.diff(sound["two"][:, 0])).max()
    assert np.abs(np.diff(heard[:, 0])).max() < 1.3 * steepest
    assert not heard[-256 * 20 :].any(), "a device that is not there is silence"
    assert pick.devices == ("gone", "gone")
    bad = random_sound(1, 0.1, channels=2)[:256]
    bad[7] = np.nan
    bad[9] = np.inf
    fresh = Pick("bad", "stereo")
    fresh.step(bad, bad).run(block)
    assert fresh.bad_samples == 4
    assert np.isfinite(block).all()
