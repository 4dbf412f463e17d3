"""Tuning on a loop, comparing at equal loudness, what stages say of their work, and listening at a stage."""

import numpy as np
import pytest

from goshawk.core.chain_slots import TrimSlot, default_chain
from goshawk.core.dsp.bands import BAND_CENTRES_HZ
from goshawk.core.dsp.compressor import CompressorSettings
from goshawk.core.dsp.equaliser import EqualiserSettings, band_alone_sections
from goshawk.core.dsp.matched import response_db
from goshawk.core.dsp.trim import TrimSettings
from goshawk.core.graph.mixer import Mixer
from goshawk.core.measure.levels import PAUSE, SPEECH
from goshawk.core.measure.loudness import loudness_lufs
from goshawk.core.measure.spectrum import BandSpectrum
from goshawk.core.measure.stage_work import (
    chatter_per_minute,
    compressor_effort_db,
    first_syllable_losses,
    limiter_work,
)
from goshawk.core.mix import heard_inputs
from goshawk.core.preset import read_preset
from goshawk.core.rendering import equal_loudness_gains_db, render, seamless
from goshawk.core.rig import Rig, changed
from goshawk.core.rig_changes import with_chain
from goshawk.core.routing import FEEDS
from goshawk.core.stage import Block
from goshawk.core.starting_points import STARTING_POINTS
from tests.conftest import BARE, RATE_HZ, mix, peak_db, rig_with, tone

LIVE, LOOPED = 1000.0, 400.0


def strength(sound: Block, hz: float) -> float:
    """Peak amplitude of one frequency."""
    t = np.arange(len(sound)) / RATE_HZ
    return float(2 * abs((sound[:, 0] * np.exp(-2j * np.pi * hz * t)).sum()) / len(sound))


def test_a_loop_goes_to_you_alone_and_the_live_microphone_to_nobody() -> None:
    mixer = Mixer(rig_with(**BARE), 480)
    live = {"attic": tone(LIVE, -20, 0.5, channels=2)}
    feeds = {feed: mix(mixer, live, 480, feed)[RATE_HZ // 4 :] for feed in FEEDS}
    assert strength(feeds["viewers"], LIVE) == pytest.approx(0.1, rel=0.01)
    mixer.set_loop(tone(LOOPED, -20, 0.4, channels=2))
    for feed in FEEDS:
        heard = mix(mixer, live, 480, feed)[RATE_HZ // 4 :]
        assert strength(heard, LIVE) < 1e-6
        assert strength(heard, LOOPED) == pytest.approx(0.1 if feed == "you" else 0, abs=1e-3)
    mixer.set_loop(None)
    back = mix(mixer, live, 480)
    assert strength(back, LOOPED) < 1e-3, "nothing of the loop reaches the viewers afterwards"
    assert strength(back[RATE_HZ // 4 :], LIVE) == pytest.approx(0.1, rel=0.01)


def test_a_loop_and_a_replay_play_on_without_a_device() -> None:
    rig = rig_with(**BARE)
    mixer = Mixer(rig, 480)
    silence = {"attic": np.zeros((RATE_HZ // 2, 2), np.float32)}
    mixer.set_loop(tone(LOOPED, -20, 0.4, channels=2))
    mix(mixer, silence, 480, "you")
    nowhere = changed(rig, "inputs.voice.device", "")
    mixer.apply(nowhere)
    heard = mix(mixer, silence, 480, "you")[RATE_HZ // 4 :]
    assert strength(heard, LOOPED) == pytest.approx(0.1, abs=1e-3)
    # What was recorded is measured and replayed, too, while no device is chosen.
    sounds = {one.id: tone(LOOPED, -20, 1.0, channels=2) for one in nowhere.inputs}
    rows = heard_inputs(nowhere, sounds).rows
    assert strength(rows["voice"][RATE_HZ // 2 :], LOOPED) == pytest.approx(0.1, abs=1e-3)


def test_raw_and_another_chain_are_compared_without_a_gap() -> None:
    louder = TrimSlot(id="trim", settings=TrimSettings(gain_db=6.0))
    mixer = Mixer(with_chain(Rig(), "voice", (louder,), ""), 480)
    silence = {"attic": np.zeros((RATE_HZ // 2, 2), np.float32)}
    mixer.set_loop(tone(LIVE, -20, 0.5, channels=2))
    mix(mixer, silence, 480, "you")
    pieces = []
    for heard, gain_db in (("raw", 6.0), ("other", -3.0), ("chain", 0.0)):
        other = (TrimSlot(id="trim", settings=TrimSettings(gain_db=9.0)),)
        mixer.compare(heard, gain_db, other)  # type: ignore[arg-type]
        pieces.append(mix(mixer, silence, 480, "you"))
    whole = np.concatenate(pieces)[480:]
    heights = np.abs(whole[: len(whole) // 480 * 480, 0]).reshape(-1, 480).max(axis=1)
    # All three are equally loud by their gains, so that nothing may show where they change.
    assert 20 * np.log10(heights.min()) == pytest.approx(-14, abs=0.3)
    assert 20 * np.log10(heights.max()) == pytest.approx(-14, abs=0.3)


def test_gains_for_equal_loudness_are_right(attic_talk: Block) -> None:
    voice = np.ascontiguousarray(attic_talk[:, :1])
    quiet = (TrimSlot(id="trim", settings=TrimSettings(gain_db=-11.0)),)
    gains = equal_loudness_gains_db(voice, default_chain(), quiet)
    goal = loudness_lufs(render(voice, default_chain())[0])
    raw = loudness_lufs(voice)
    assert goal is not None
    assert raw is not None
    assert gains["chain"] == 0
    assert gains["raw"] == pytest.approx(goal - raw, abs=0.01)
    assert gains["other"] == pytest.approx(gains["raw"] + 11, abs=0.05)
    nothing = np.zeros((RATE_HZ, 1), np.float32)
    assert set(equal_loudness_gains_db(nothing, default_chain(), None).values()) == {0.0}


def test_a_loop_has_no_seam() -> None:
    t = np.arange(RATE_HZ) / RATE_HZ
    sound = np.repeat(np.sin(2 * np.pi * 333.3 * t)[:, None], 2, 1).astype(np.float32)
    loop = seamless(sound)
    twice = np.concatenate([loop, loop])
    assert np.abs(np.diff(twice[:, 0])).max() < 1.6 * np.abs(np.diff(sound[:, 0])).max()
    assert len(loop) == RATE_HZ - 480


def test_what_is_removed_is_what_entered_less_what_left(attic_talk: Block) -> None:
    mixer = Mixer(Rig(), 480)
    mixer.watch(frozenset({"suppressor"}))
    parts: dict[str, list[Block]] = {"before": [], "after": [], "removed": []}
    for start in range(0, len(attic_talk) - 480, 480):
        mixer.process({"attic": attic_talk[start : start + 480]}, 480)
        for kind, kept in parts.items():
            kept.append(mixer.sound(f"{kind}:suppressor", 480)[0].copy())
    before, after, removed = (np.concatenate(one) for one in parts.values())
    np.testing.assert_allclose(before - after, removed, atol=1e-7)
    assert 0 < np.abs(removed).max() < np.abs(before).max()
    assert not mixer.sound("after:gate", 480)[0].any(), "nobody watches it"


@pytest.mark.parametrize(
    ("band", "inside_hz", "outside_hz"),
    [
        ("bell_3", 900, 9000),
        ("low_shelf", 60, 4000),
        ("high_shelf", 15_000, 300),
        ("low_pass", 19_000, 500),
    ],
)
def test_one_band_alone_leaves_only_what_it_works_on(
    band: str, inside_hz: float, outside_hz: float
) -> None:
    sections = band_alone_sections(EqualiserSettings(), band)
    inside, outside = response_db(sections, np.array([inside_hz, outside_hz]))
    assert inside > -4
    assert outside < -18


def test_a_spectrum_reads_a_tones_level_in_its_band() -> None:
    spectrum = BandSpectrum(smoothing=0.0)
    spectrum.push(tone(1000, -20, 0.5)[:, 0].astype(np.float64))
    levels = np.array(spectrum.levels_db())
    assert BAND_CENTRES_HZ[int(levels.argmax())] == pytest.approx(1000)
    assert levels.max() == pytest.approx(-23, abs=0.2)
    assert len(levels) == 61
    spectrum.break_off()
    spectrum.push(np.zeros(1024))
    assert max(spectrum.levels_db()) < -100.0, "nothing of what was before a gap"


def hops(levels: list[float]) -> np.ndarray:
    """RMS and peak of hops at these levels."""
    return np.repeat(np.array(levels)[:, None], 2, 1)


def test_a_cut_first_syllable_and_chatter_are_found() -> None:
    level = [-70.0] * 30 + [-25.0] * 40 + [-70.0] * 30 + [-25.0] * 40
    activity = np.array([PAUSE] * 32 + [SPEECH] * 38 + [PAUSE] * 32 + [SPEECH] * 38)
    before, after = hops(level), hops(level)
    assert first_syllable_losses(before, after, activity) == []
    after[100:105] -= 20.0  # the second word's first 50 ms
    losses = first_syllable_losses(before, after, activity)
    assert [loss.hops_ago for loss in losses] == [40]
    assert losses[0].lost_db == pytest.approx(20)
    after[:] = before - 18.0
    for start, count in ((10, 3), (30, 40), (80, 7), (120, 9)):
        after[start : start + count] = before[start : start + count]
    assert chatter_per_minute(before, after) == pytest.approx(2 * 60 / 1.4)


def test_how_hard_a_compressor_and_a_limiter_work() -> None:
    settings = CompressorSettings(threshold_dbfs=-20, ratio=4, knee_db=0)
    peaks = np.array([-12.0] * 99 + [0.0] + [-60.0] * 50)
    activity = np.array([SPEECH] * 100 + [PAUSE] * 50)
    assert compressor_effort_db(settings, peaks, activity) == pytest.approx((6, 15))
    assert compressor_effort_db(settings, peaks[100:], activity[100:]) is None
    one = hops(peaks.tolist()), hops(np.minimum(peaks, -3.0).tolist()), activity
    assert limiter_work(*one) is None, "one second of speech is one loud word, and no share"
    two = [np.concatenate([part, part]) for part in one]
    assert limiter_work(*two) == pytest.approx((1.0, 3.0))


def test_starting_points_are_whole_presets_and_speak_for_themselves(attic_talk: Block) -> None:
    for preset in STARTING_POINTS.values():
        assert read_preset(preset.model_dump_json()) == preset
        assert preset.description.endswith(".")
        voice = np.ascontiguousarray(attic_talk[:, :1])
        assert -16 < peak_db(render(voice, preset.chain)[0]) <= -3.9
