"""A chain for every input: what was set before sounds as before, all inputs stay together, nothing clicks."""

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
import soundfile

from goshawk.core.chain_slots import same_work
from goshawk.core.graph.chain import RunningChain
from goshawk.core.graph.mixer import Mixer
from goshawk.core.measure.levels import SPEECH
from goshawk.core.preset import read_preset
from goshawk.core.rig import Rig, changed, changed_together
from goshawk.core.rig_changes import stage_changes, with_chain, with_input, with_stage
from goshawk.core.rig_upgrades import read_rig
from goshawk.core.routing import FEEDS, FeedName
from goshawk.core.stage import Block
from goshawk.core.starting_points import STARTING_POINTS
from goshawk.errors import BadSetting
from goshawk.store import rigs
from goshawk.store.database import open_database
from goshawk.store.presets import list_presets
from tests.conftest import BARE, RATE_HZ, rig_with, tone

BEFORE = Path(__file__).parents[2] / "data" / "before_chains"
"""A rig, a preset and a database of the version in which one voice had a chain and all else an EQ and a ducker, and
what its graph made of ``everything`` for all four feeds."""

DEVICES = ("attic", "game", "player", "call", "file", "browser")


def everything(frames: int) -> dict[str, Block]:
    """A chord that comes and goes on every device, each in its own time, with a little noise."""
    random, t = np.random.default_rng(5), np.arange(frames) / RATE_HZ
    made = {}
    for n, name in enumerate(DEVICES):
        chord = sum(np.sin(2 * np.pi * (110 + 37 * n) * k * t + n) / k for k in range(1, 9))
        beat = (np.sin(2 * np.pi * (1.3 + 0.4 * n) * t + n) > -0.2).astype(float)
        beat = np.convolve(beat, np.hanning(480) / 240, "same")
        one = 0.12 * chord * beat + 0.001 * random.standard_normal(frames)
        made[name] = np.ascontiguousarray(np.column_stack([one, 0.7 * np.roll(one, 7)]), np.float32)
    return made


def test_a_rig_of_before_sounds_as_before() -> None:
    rig = read_rig((BEFORE / "rig.json").read_text())
    expected = soundfile.read(BEFORE / "render.flac", dtype="float32")[0]
    sound, mixer = everything(len(expected)), Mixer(rig, 480)
    got = np.zeros_like(expected)
    for start in range(0, len(got), 480):
        mixer.process({name: one[start : start + 480] for name, one in sound.items()}, 480)
        for place, feed in enumerate(FEEDS):
            got[start : start + 480, 2 * place : 2 * place + 2] = mixer.feed(feed, 480)
    # The file has 16 bits.
    np.testing.assert_allclose(got, expected, atol=2**-15)


def test_presets_and_databases_of_before_open(tmp_path: Path) -> None:
    rig = read_rig((BEFORE / "rig.json").read_text())
    preset = read_preset((BEFORE / "preset.json").read_text())
    assert preset.chain == rig.chain
    shutil.copy(BEFORE / "goshawk.db", tmp_path)
    connection = open_database(tmp_path / "goshawk.db").connection
    saved = rigs.load_active_rig(connection)
    assert (saved.rig, saved.notice, saved.can_undo) == (rig, None, True)
    assert [one.chain for one in list_presets(connection).values()] == [preset.chain]
    game = rigs.step(connection, -1).rig.input("game")
    assert game is not None
    assert game.chain[0].settings.bell_1.gain_db == -5.0  # type: ignore[union-attr]
    connection.close()


# --- together --------------------------------------------------------------------------------------


def arrivals(rig: Rig, feed: FeedName = "viewers") -> dict[str, int]:
    """The frame at which a click, given to each input's device alone, is loudest in a feed."""
    found = {}
    for one in rig.inputs:
        mixer = Mixer(rig, 480)
        out = []
        for number in range(100):
            block = np.zeros((480, 2), np.float32)
            if number == 30:
                block[0] = 0.5
            mixer.process({one.device: block}, 480)
            out.append(mixer.feed(feed, 480)[:, 0].copy())
        found[one.id] = int(np.abs(np.concatenate(out)).argmax()) - 30 * 480
    return found


def test_all_inputs_stay_together_whatever_their_chains_and_a_delay_moves_one() -> None:
    rig = rig_with(**BARE, feeds__viewers__ceiling_dbtp=0.0)
    rig = with_stage(rig, "game", "limiter", "game_ducker")
    rig = with_stage(rig, "game", "suppressor", "game_eq")
    bypassed = {
        f"{rig.stage_path(name)}.is_bypassed": True for name in ("suppressor_2", "limiter_2")
    }
    rig = changed_together(rig, bypassed)
    voice, guest = arrivals(rig), arrivals(changed(rig, "chained", ""))
    assert len(set(voice.values())) == 1, voice
    assert len(set(guest.values())) == 1, guest
    later = changed_together(rig, {"inputs.music.delay_ms": 120.0, "inputs.voice.delay_ms": 35.0})
    moved = {name: at - voice[name] for name, at in arrivals(later).items()}
    assert moved == {"voice": 1680, "game": 0, "music": 5760, "copilot": 0}
    raw = changed_together(
        later,
        {f"inputs.{one.id}.sends.viewers.tap": "as_it_came" for one in rig.inputs},
    )
    assert arrivals(raw) == arrivals(later)


def test_every_input_passes_its_own_chain() -> None:
    """Two voices and a game, each through its own stages: what is heard of each is what its chain makes of it."""
    rig = with_input(rig_with(feeds__viewers__has_ceiling=False), "voice")
    rig = with_stage(rig, "game", "compressor", "game_eq")
    threshold = f"{rig.stage_path('compressor_3')}.settings.threshold_dbfs"
    rig = changed_together(
        rig,
        {
            "inputs.voice_1.device": "browser",
            "inputs.voice_1.channels": "sum",
            "inputs.game.fader_db": 0.0,
            threshold: -40.0,
        },
    )
    assert rig.input("voice_1").chain[0].id == "trim_2"  # type: ignore[union-attr]
    sound = everything(RATE_HZ)
    mixer = Mixer(rig, 480)
    late = mixer.mixed_latency_frames
    got: dict[str, list[Block]] = {"voice": [], "voice_1": [], "game": []}
    for start in range(0, RATE_HZ, 480):
        mixer.process({name: one[start : start + 480] for name, one in sound.items()}, 480)
        for name, pieces in got.items():
            pieces.append(mixer.input(name, 480).copy())
    for name, device in (("voice_1", "browser"), ("game", "game")):
        one = rig.input(name)
        assert one is not None
        came = sound[device] if name == "game" else sound[device].mean(axis=1, keepdims=True)
        chain = RunningChain(one.chain, came.shape[1], 480)
        # It waits ahead of its chain.
        waits = np.zeros((late - chain.latency_frames, came.shape[1]), np.float32)
        padded = np.ascontiguousarray(np.concatenate([waits, came])[:RATE_HZ], np.float32)
        for start in range(0, RATE_HZ, 480):
            chain.process(padded[start : start + 480])
        expected = padded if name == "game" else np.repeat(padded, 2, axis=1)
        np.testing.assert_allclose(np.concatenate(got[name]), expected, atol=1e-6)
    loud = float(np.std(np.concatenate(got["game"])))
    assert loud < 0.6 * float(np.std(sound["game"])), "the game's compressor is at work"


def test_between_mono_and_stereo_nothing_clicks_and_nothing_stops() -> None:
    rig = rig_with(**BARE, feeds__viewers__has_ceiling=False, feeds__viewers__fader_db=0.0)
    sound = tone(200, -12, 2.0, channels=2)
    mixer = Mixer(rig, 480)
    out = []
    for number in range(200):
        if number in (60, 130, 132):  # the last while the one before is still under way
            channels = "left" if number == 130 else "stereo"
            mixer.apply(changed(mixer.rig, "inputs.voice.channels", channels))
        mixer.process({"attic": sound[number * 480 : (number + 1) * 480]}, 480)
        out.append(mixer.feed("viewers", 480).copy())
    heard = np.concatenate(out)[9600:]
    assert (
        np.abs(np.diff(heard, n=2, axis=0)).max() < 1.2 * np.abs(np.diff(sound, n=2, axis=0)).max()
    )
    peaks = np.abs(heard[:, 0]).reshape(-1, 480).max(axis=1)
    assert peaks.min() > 0.95 * peaks.max()
    assert mixer.main is not None
    assert mixer.main.chain.channels == 2


def test_between_mono_and_stereo_what_dips_stays_down() -> None:
    """The chain that is left hears the voice until it is gone."""
    rig = rig_with(
        **BARE,
        inputs__game__chain__game_ducker__is_bypassed=False,
        inputs__game__chain__game_ducker__settings__depth_db=12.0,
        inputs__game__chain__game_ducker__settings__attack_ms=1.0,
        inputs__game__chain__game_ducker__settings__hold_ms=0.0,
        inputs__game__chain__game_ducker__settings__release_ms=10.0,
    )
    voice, game = tone(300, -10, 2.0, channels=2), tone(500, -20, 2.0, channels=2)
    mixer, peaks = Mixer(rig, 480), []
    for number in range(200):
        if number == 100:
            mixer.apply(changed(mixer.rig, "inputs.game.channels", "sum"))
        at = slice(number * 480, (number + 1) * 480)
        mixer.process({"attic": voice[at], "game": game[at]}, 480)
        peaks.append(float(np.abs(mixer.input("game", 480)).max()))
    assert max(peaks[60:]) < 1.1 * peaks[90], "down throughout"


def test_an_input_that_becomes_a_voice_is_followed_as_one_from_then_on() -> None:
    mixer = Mixer(rig_with(inputs__game__role="other"), 480)
    silence, word = np.zeros((480, 2), np.float32), tone(400, -10, 0.01, channels=2)
    hiss = (np.random.default_rng(1).standard_normal((480, 2)) * 1e-4).astype(np.float32)
    for number in range(400):
        if number == 32:
            mixer.apply(changed(mixer.rig, "inputs.game.role", "voice"))
        mixer.process({"attic": silence, "game": word if number >= 370 else hiss}, 480)
        if number in (369, 399):
            said = mixer.take_readings().activities["game"]
            assert (said[-8:] == SPEECH).all() == (number == 399)
            assert (said == SPEECH).any() == (number == 399)


# --- what can be set -------------------------------------------------------------------------------


def test_a_chain_is_taken_by_any_input_and_every_stage_keeps_an_id_of_its_own() -> None:
    rig = with_input(Rig(), "voice")
    talk = STARTING_POINTS["start_talk"].chain
    rig = with_chain(rig, "voice_1", talk, "start_talk")
    guest = rig.input("voice_1")
    assert guest is not None
    assert same_work(guest.chain, talk)
    ids = [slot.id for one in rig.inputs for slot in one.chain]
    assert len(set(ids)) == len(ids)
    assert rig.chain == Rig().chain, "the main voice's stays as it was"
    document = rig.model_dump(mode="json")
    assert Rig.model_validate(json.loads(json.dumps(document))) == rig


def test_the_main_voice_does_not_dip_under_itself() -> None:
    with pytest.raises(BadSetting, match="cannot dip under itself"):
        with_stage(Rig(), "voice", "ducker", "gate")
    guest = with_stage(with_input(Rig(), "voice"), "voice_1", "ducker", "")
    with pytest.raises(BadSetting, match="cannot dip under itself"):
        changed(guest, "chained", "voice_1")


def test_what_a_stage_is_to_do_puts_it_in_where_it_is_missing() -> None:
    bare = with_chain(Rig(), "game", (), "")
    game = bare.input("game")
    assert game is not None
    for stage, name, value in (("eq", "bell_2.gain_db", -5.0), ("ducker", "depth_db", 9.0)):
        there = changed_together(bare, stage_changes(bare, game, stage, {name: value}))  # type: ignore[arg-type]
        found = there.input("game")
        assert found is not None
        assert [slot.stage for slot in found.chain] == [stage]
        place = found.chain[0].settings
        for part in name.split("."):
            place = getattr(place, part)
        assert place == value
    full = Rig().input("game")
    assert full is not None
    there = stage_changes(Rig(), full, "ducker", {"depth_db": 9.0})
    assert there == {
        "inputs.game.chain.game_ducker.settings.depth_db": 9.0,
        "inputs.game.chain.game_ducker.is_bypassed": False,
    }
