"""Measurements that listen beside the audio process, on signals whose answer is known."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from goshawk.core.measure.alike import (
    DECIMATION,
    TAP_RATE_HZ,
    WINDOW_S,
    Alike,
    Likeness,
    Thinner,
    find_alike,
)
from goshawk.core.measure.click import CLICK_FRAMES, ClickListener, make_click
from goshawk.core.measure.microphone import inspect_microphone
from goshawk.core.measure.sound_keeper import SoundKeeper
from goshawk.core.measure.take import TakeKind
from goshawk.core.stage import Block
from tests.conftest import RATE_HZ, peak_db, tone
from tests.situations import takes_of

LENGTH = round(WINDOW_S * TAP_RATE_HZ)


def speech_like(seed: int, length: int = LENGTH) -> Block:
    """Bursts of coloured noise with pauses: as uneven as talk."""
    random = np.random.default_rng(seed)
    noise = random.standard_normal(length)
    coloured = np.convolve(noise, np.exp(-np.arange(40) / 6.0), "same")
    loud = np.repeat(random.choice([0.02, 0.3, 1.0], length // 900 + 1), 900)[:length]
    return (0.1 * coloured * loud).astype(np.float32)


def copy_of(sound: Block, lag: int, gain_db: float) -> Block:
    """The sound again, later (or earlier) and weaker."""
    return np.roll(sound, lag) * np.float32(10 ** (gain_db / 20))


def compared(first: Block, second: Block) -> Alike | None:
    found = find_alike({"a": first, "b": second}, [("a", "b")])
    return found[0] if found else None


@pytest.mark.parametrize("lag_ms", [0.0, 1.0, 23.0, 250.0, -250.0])
@pytest.mark.parametrize("gain_db", [0.0, -20.0])
def test_a_copy_is_found_with_its_delay_and_level(lag_ms: float, gain_db: float) -> None:
    source, other = speech_like(1), speech_like(2) * np.float32(0.3)
    lag = round(lag_ms * TAP_RATE_HZ / 1000)
    found = compared(source, copy_of(source, lag, gain_db) + other)
    assert found is not None
    if lag >= 0:
        assert (found.first, found.second) == ("a", "b")
        assert found.gain_db == pytest.approx(gain_db, abs=1.0)
    else:
        assert (found.first, found.second) == ("b", "a"), "what comes later holds the copy"
    assert found.lag_ms == pytest.approx(abs(lag_ms), abs=0.2)


def test_a_leak_far_under_a_voice_is_found() -> None:
    """Twenty decibels under somebody who talks over it."""
    game, voice = speech_like(3), speech_like(4)
    found = compared(game, voice + copy_of(game, 60, -20.0))
    assert found is not None
    assert found.lag_ms == pytest.approx(10.0, abs=0.2)
    assert found.gain_db == pytest.approx(-20.0, abs=3.0)
    assert found.correlation < 0.2


@pytest.mark.parametrize("seed", range(20))
def test_different_sounds_are_not_alike(seed: int) -> None:
    assert compared(speech_like(100 + seed), speech_like(200 + seed)) is None


def test_silence_and_short_pieces_tell_nothing() -> None:
    sound = speech_like(5)
    assert compared(sound, np.zeros(LENGTH, np.float32)) is None
    assert compared(np.zeros(LENGTH, np.float32), np.zeros(LENGTH, np.float32)) is None
    assert compared(sound[:-10], sound[:-10]) is None
    likeness = Likeness()
    for start in range(0, (LENGTH + 3000) * DECIMATION, 1600):
        likeness.push("a", start, np.full((1600, 2), start, np.float32))
    kept = likeness.snapshot()["a"]
    assert len(kept) == LENGTH
    assert kept[-1] == kept.max()
    likeness.push("a", 10**7, np.ones((1600, 2), np.float32))
    assert likeness.snapshot() == {}, "nothing is compared over a gap"
    likeness.push("b", 10**7, np.zeros((1600, 2), np.float32))
    likeness.keep_only(["b"])
    assert list(likeness._kept) == ["b"], "an input that is gone is forgotten"


def test_a_thinned_signal_keeps_the_low_part_whatever_the_pieces() -> None:
    sound = tone(500, -6, 0.5, channels=2)
    thinned = []
    for frames in (64, 1000):
        thinner = Thinner()
        pieces = [thinner.push(at, sound[at : at + frames]) for at in range(0, len(sound), frames)]
        ends = [first + len(piece) for first, piece in pieces]
        assert [first for first, _ in pieces[1:]] == ends[:-1], "each goes on where the last ended"
        thinned.append(np.concatenate([piece for _, piece in pieces]))
    np.testing.assert_allclose(thinned[0], thinned[1], atol=1e-7)
    assert len(thinned[0]) == len(sound) // DECIMATION
    assert peak_db(thinned[0]) == pytest.approx(-6, abs=0.5)
    first, _ = thinner.push(10**6 + 3, sound[:100])
    assert first == (10**6 + 3) // DECIMATION + 1, "behind a gap at a whole sample"


@given(st.lists(st.tuples(st.integers(1, 900), st.booleans()), min_size=1, max_size=40))
@settings(max_examples=40)
def test_a_keeper_gives_every_frame_by_its_number(pieces: list[tuple[int, bool]]) -> None:
    """Against a plain array: what is missing is silence, and no cut is spliced."""
    keeper = SoundKeeper(0.2)
    truth = np.zeros(60_000, np.float32)
    frame = 1000
    for length, has_gap in pieces:
        frame += 37 if has_gap else 0
        ramp = np.arange(frame, frame + length, dtype=np.float32)
        truth[frame : frame + length] = ramp
        keeper.push(frame, np.stack([ramp, -ramp], 1))
        frame += length
    assert keeper.end == frame
    cut = keeper.cut(keeper.start, frame)
    np.testing.assert_array_equal(cut[:, 0], truth[keeper.start : frame])
    assert not keeper.cut(frame, frame + 5).any()
    newest = keeper.newest(10**6)
    assert len(newest) == keeper.whole_frames
    assert newest.all(), "nothing from before a gap"
    # A longer way brings again what is there already; a long gap forgets all.
    again = np.arange(frame - 5, frame + 5, dtype=np.float32)[:, None]
    keeper.push(frame - 5, again)
    np.testing.assert_array_equal(keeper.cut(frame, frame + 5)[:, 0], again[5:, 0])
    assert keeper.end == frame + 5
    keeper.push(frame + 10**6, again)
    assert keeper.frames == 10


def room(seconds: float = 5.0, level: float = 1e-4, seed: int = 7) -> Block:
    shape = (round(seconds * RATE_HZ), 2)
    return (np.random.default_rng(seed).standard_normal(shape) * level).astype(np.float32)


def talk(seconds: float = 5.0) -> Block:
    """A voice on the left: a buzz at 180 Hz with its harmonics, in words with pauses between."""
    t = np.arange(round(seconds * RATE_HZ)) / RATE_HZ
    buzz = sum(np.sin(2 * np.pi * 180 * k * t + k) / k for k in range(1, 30))
    words = (np.sin(2 * np.pi * 0.4 * t) > 0).astype(float)
    sound = room(seconds)
    sound[:, 0] += (0.08 * buzz * words).astype(np.float32)
    return sound


def test_a_healthy_microphone_has_nothing_wrong_but_its_empty_side() -> None:
    health = inspect_microphone(talk())
    assert health.flat_tops_dbfs == (None, None)
    assert health.hums == (None, None)
    assert max(health.offsets_dbfs) < -60
    assert health.dead_side == 1
    assert inspect_microphone(talk()[:, ::-1]).dead_side == 0
    assert inspect_microphone(room()).dead_side is None, "in silence nobody can tell"
    both = np.repeat(talk()[:, :1], 2, 1)
    assert inspect_microphone(both).dead_side is None
    assert inspect_microphone(both).correlation == pytest.approx(1.0, abs=0.01)


@pytest.mark.parametrize("clip_dbfs", [0.0, -3.0, -20.0])
@pytest.mark.parametrize("half", ["both", "upper", "lower"])
def test_flat_tops_are_told_at_any_level_from_a_loud_voice(clip_dbfs: float, half: str) -> None:
    loud = talk() * 20
    loud *= np.float32(0.98 / np.abs(loud).max())
    assert inspect_microphone(loud).flat_tops_dbfs == (None, None), "loud is not clipped"
    level = 10 ** (clip_dbfs / 20) * 0.5
    upper = level if half in ("both", "upper") else 10.0
    lower = -level if half in ("both", "lower") else -10.0
    flat = inspect_microphone(np.clip(loud, lower, upper)).flat_tops_dbfs[0]
    assert flat == pytest.approx(20 * np.log10(level), abs=0.1)


@pytest.mark.parametrize("noise_dbfs", [-80.0, -60.0, -50.0])
@pytest.mark.parametrize("kind", ["low", "usual", "big"])
def test_flat_tops_of_an_amplifier_carry_noise_and_are_told(
    kind: TakeKind, noise_dbfs: float
) -> None:
    """Clipped ahead of the converter, whose noise and gain come on top: no sample is like another."""
    voice = takes_of("keeper")[kind].astype(float)
    voice *= 0.9 / np.abs(voice).max()
    noise = np.random.default_rng(5).standard_normal(voice.shape) * 10 ** (noise_dbfs / 20)
    for clip, is_told in ((None, False), (0.4, True)):
        heard = voice if clip is None else np.clip(voice, -clip, clip)
        sound = np.repeat(heard * 0.5 + noise, 2, 1).astype(np.float32)
        found = inspect_microphone(sound).flat_tops_dbfs[0]
        if is_told:
            assert found == pytest.approx(20 * np.log10(0.2), abs=0.3)
        else:
            assert found is None


@pytest.mark.parametrize("hz", [60.0, 100.0, 1000.0])
def test_a_pure_tone_has_round_tops(hz: float) -> None:
    assert inspect_microphone(tone(hz, -3, 5.0, channels=2)).flat_tops_dbfs == (None, None)


@pytest.mark.parametrize("mains_hz", [50, 60])
def test_mains_hum_is_told_by_its_frequency_under_a_voice(mains_hz: int) -> None:
    sound = talk(8.0)
    t = np.arange(len(sound)) / RATE_HZ
    hum = sum(0.01 / k * np.sin(2 * np.pi * mains_hz * k * t) for k in range(1, 5))
    sound += hum.astype(np.float32)[:, None]
    for found in inspect_microphone(sound).hums:
        assert found is not None
        assert found.frequency_hz == mains_hz
        expected = 20 * np.log10(0.01 * np.sqrt(sum(k**-2.0 for k in range(1, 5))))
        assert found.level_dbfs == pytest.approx(expected, abs=1.5)


def test_one_line_is_a_motor_and_not_the_mains() -> None:
    sound = room(8.0) + tone(100, -40, 8.0, channels=2)
    assert inspect_microphone(sound).hums == (None, None)


def test_offset_and_polarity() -> None:
    shifted = inspect_microphone(talk() + np.float32(0.05))
    assert shifted.offsets_dbfs[0] == pytest.approx(20 * np.log10(0.05), abs=0.2)
    upside_down = talk()
    upside_down[:, 1] = -upside_down[:, 0]
    assert inspect_microphone(upside_down).correlation == pytest.approx(-1.0, abs=0.01)
    broken = talk()
    broken[100:200] = np.nan
    assert np.isfinite(inspect_microphone(broken).peaks_dbfs).all()


@pytest.mark.parametrize("frames", [64, 250, 1024])
@pytest.mark.parametrize("gain_db", [0.0, -20.0])
def test_a_click_is_found_to_the_frame_under_a_louder_voice(frames: int, gain_db: float) -> None:
    sound = np.repeat(talk(1.5)[:, :1], 2, 1)
    click = make_click(0.25) * np.float32(10 ** (gain_db / 20))
    at = 31_337
    sound[at : at + CLICK_FRAMES] += click
    listener = ClickListener(1024)
    for start in range(0, len(sound), frames):
        listener.listen(sound[start : start + frames])
    assert listener.found_frame() == at
    assert listener.heard_frames == len(sound)


def test_without_a_click_none_is_found() -> None:
    listener = ClickListener(1024)
    for start in range(0, RATE_HZ, 256):
        listener.listen(talk(1.0)[start : start + 256])
    assert listener.found_frame() is None
