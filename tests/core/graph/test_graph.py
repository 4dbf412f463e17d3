"""The mixer as a whole, live against offline, and the rules that read it."""

import subprocess
import sys
from typing import Any

import numpy as np
import pytest

from goshawk.cli.offline import render_chain
from goshawk.core.graph.mixer import Mixer
from goshawk.core.measure.levels import SPEECH, StationLevels
from goshawk.core.observed.monitor import Monitor
from goshawk.core.observed.reach import ReachMeter
from goshawk.core.preset import Preset, read_preset
from goshawk.core.rig import Rig, changed, changed_together
from goshawk.core.rig_changes import (
    with_input,
    with_input_moved,
    with_stage,
    with_stage_copied,
    with_stage_moved,
    without_input,
    without_stage,
)
from goshawk.core.routing import FEEDS, MOST_INPUTS, FeedName, Sends
from goshawk.core.rules.staging import limiter_share_findings, staging_findings
from goshawk.devices.catalog import DEVICES
from goshawk.engine.loop import AudioLoop
from goshawk.engine.plan import Plan
from goshawk.errors import BadPreset, BadSetting
from tests.conftest import BARE, RATE_HZ, mix, peak_db, random_sound, rig_with, tone
from tests.material import keys, noise, voice
from tests.playing import engine_reading


def test_live_and_offline_give_the_same_samples() -> None:
    """What the engine's loop makes of a file is, sample for sample, what `render` makes of it."""
    rig = rig_with(inputs__game__is_muted=True, feeds__viewers__ceiling_dbtp=0.0)
    voice = random_sound(1, 1.0) * 0.3
    rendered, latency = render_chain(voice, Preset(chain=rig.chain), 333, False)
    mixer = Mixer(rig, 1024)
    live = []
    for start in range(0, len(voice) - 256, 256):
        stereo = np.repeat(voice[start : start + 256], 2, 1)
        mixer.process({"attic": stereo}, 256)
        live.append(mixer.input("voice", 256)[:, :1].copy())
    got = np.concatenate(live)
    np.testing.assert_array_equal(got, rendered[: len(got)])
    aligned, _ = render_chain(voice, Preset(chain=rig.chain), 64, True)
    assert len(aligned) == len(voice)
    np.testing.assert_array_equal(aligned[:-latency], rendered[latency:])


@pytest.mark.parametrize("frames", [64, 128, 512, 1024])
def test_the_feed_does_not_depend_on_the_block_size(frames: int) -> None:
    sound = random_sound(2, 0.5, channels=2)[: 1024 * 20] * 0.3
    everywhere = dict.fromkeys(("attic", "game", "player", "call"), sound)
    for feed in FEEDS:
        expected = mix(Rig(), everywhere, feed=feed)
        got = mix(Rig(), everywhere, frames, feed=feed)
        np.testing.assert_array_equal(expected, got)


def test_voice_and_background_stay_aligned_and_the_shown_delay_is_the_measured_one() -> None:
    """A click at microphone and game comes out once in every feed, by the declared latency."""
    click = np.zeros((RATE_HZ // 2, 2), np.float32)
    click[1000] = 0.2
    for feed in FEEDS:
        rig = rig_with(
            **BARE,
            inputs__game__fader_db=0.0,
            **{f"inputs__{name}__sends__{feed}__is_heard": True for name in ("voice", "game")},
            **{f"feeds__{feed}__ceiling_dbtp": 0.0, f"feeds__{feed}__delay_ms": 100.0},
        )
        mixer = Mixer(rig, 1024)
        out = mix(mixer, {"attic": click, "game": click}, feed=feed)
        assert int(np.argmax(out[:, 0])) == 1000 + mixer.latency_frames(feed)
        assert sum(frames for _, frames in mixer.ledger(feed)) == mixer.latency_frames(feed)
        assert peak_db(out) == pytest.approx(peak_db(np.array([0.4])), abs=0.1)
        assert np.count_nonzero(np.abs(out[:, 0]) > 0.01) == 1


@pytest.mark.parametrize(
    ("channels", "expected"),
    [("left", -20.0), ("right", -40.0), ("sum", -25.19), ("stereo", -20.0)],
)
def test_an_input_is_taken_from_the_chosen_channel(channels: str, expected: float) -> None:
    both = np.concatenate([tone(1000, -20, 1.0), tone(1000, -40, 1.0)], 1)
    voice = mix(rig_with(**BARE, inputs__voice__channels=channels), {"attic": both})
    game = rig_with(inputs__game__channels=channels, inputs__game__fader_db=0.0)
    for out in (voice, mix(game, {"game": both})):
        assert peak_db(out[RATE_HZ // 2 :, 0]) == pytest.approx(expected, abs=0.1)
        is_stereo = channels == "stereo"
        assert (peak_db(out[RATE_HZ // 2 :, 1]) < -39) == (is_stereo or channels == "right")


LOUD = {"attic": tone(1000, -20, 1.0, channels=2), "game": tone(1000, -20, 1.0, channels=2)}


@pytest.mark.parametrize(
    ("changes", "feed", "expected"),
    [
        ({}, "call", -20.0),
        ({"inputs__voice__sends__call__level_db": -6.0}, "call", -26.0),
        ({"inputs__voice__fader_db": -10.0}, "call", -30.0),
        ({"inputs__voice__fader_db": -10.0}, "archive", -20.0),
        ({"feeds__call__fader_db": -7.0}, "call", -27.0),
        ({"feeds__call__is_muted": True}, "call", None),
        ({"inputs__voice__is_muted": True}, "archive", None),
        ({"is_on_break": True}, "call", -20.0),
        ({"is_on_break": True}, "viewers", None),
    ],
)
def test_one_gain_from_every_input_to_every_listener(
    changes: dict[str, Any], feed: FeedName, expected: float | None
) -> None:
    rig = rig_with(**BARE, inputs__game__sends__archive__is_heard=False, **changes)
    out = mix(rig, LOUD, feed=feed)[RATE_HZ // 2 :]
    if expected is None:
        assert not out.any()
    else:
        assert peak_db(out) == pytest.approx(expected, abs=0.05)


def test_a_cough_is_silent_for_everyone_and_without_a_click() -> None:
    mixer = Mixer(rig_with(**BARE, inputs__game__is_muted=True), 1024)
    before = mix(mixer, LOUD, feed="archive")
    mixer.cough(True)
    during = mix(mixer, LOUD, feed="archive")
    mixer.cough(False)
    after = mix(mixer, LOUD, feed="archive")
    assert not during[RATE_HZ // 2 :].any()
    assert peak_db(after[RATE_HZ // 2 :]) == pytest.approx(-20, abs=0.05)
    steepest = np.abs(np.diff(before[4800:, 0])).max()
    for out in (during, after):
        assert np.abs(np.diff(out[:, 0])).max() < 1.2 * steepest


def test_inputs_come_go_and_change_device_without_a_click() -> None:
    """Every change fades; an input that is removed leaves nothing, and the others go on."""
    sound = {**LOUD, "player": tone(300, -20, 1.0, channels=2)}
    mixer = Mixer(rig_with(**BARE, inputs__game__fader_db=0.0, inputs__music__is_muted=True), 1024)
    mix(mixer, sound)
    steepest = np.abs(np.diff(mix(mixer, sound)[:, 0])).max()
    changes = [
        changed(mixer.rig, "inputs.game.device", "player"),
        changed(mixer.rig, "inputs.voice.channels", "right"),
        without_input(mixer.rig, "game"),
        changed_together(
            with_input(mixer.rig, "other"),
            {"inputs.other_1.device": "player", "inputs.other_1.sends.viewers.is_heard": True},
        ),
        with_input_moved(mixer.rig, "game", -1),
    ]
    for rig in changes:
        mixer.apply(rig)
        out = mix(mixer, sound)
        assert np.abs(np.diff(out[:, 0])).max() < 1.5 * steepest
        assert list(mixer.take_readings().inputs) == [one.id for one in rig.inputs]
    for _ in range(40):  # Far more than there are rows: each is given back after its fade.
        mixer.apply(with_input(rig, "music"))
        mix(mixer, {"attic": LOUD["attic"][:4800]})
        mixer.apply(rig)


def test_what_can_be_done_to_the_list_of_inputs() -> None:
    rig = with_input(with_input(Rig(), "game"), "game")
    assert [one.name for one in rig.inputs[-2:]] == ["Game 2", "Game 3"]
    assert rig.inputs[-1].sends == Sends(), "a new input is heard by nobody"
    moved = with_input_moved(rig, rig.inputs[-1].id, -99)
    assert moved.inputs[0].name == "Game 3"
    alone = without_input(rig, "voice")
    assert alone.chained == ""
    assert with_input(alone, "voice").chained == "voice_1", "a new voice takes the empty chain"
    while len(rig.inputs) < MOST_INPUTS:
        rig = with_input(rig, "other")
    with pytest.raises(BadSetting, match="at most"):
        with_input(rig, "other")
    with pytest.raises(BadSetting, match="no input"):
        without_input(Rig(), "nobody")
    second = with_input(Rig(), "voice")
    assert changed(second, "chained", "voice_1").voice == second.inputs[-1]


def test_the_chain_is_a_list_that_can_be_built() -> None:
    rig = changed_together(Rig(), {})
    ids = [slot.id for slot in rig.chain]
    assert " ".join(ids) == (
        "trim high_pass suppressor gate eq de_esser compressor leveller limiter"
    )

    def order(rig: Rig) -> list[str]:
        return [slot.id for slot in rig.chain]

    assert order(with_stage(rig, "voice", "eq", "trim"))[:2] == ["trim", "eq_2"]
    assert order(with_stage(rig, "voice", "gate", ""))[0] == "gate_2"
    assert order(with_stage(rig, "voice", "trim", "limiter"))[-2:] == ["trim_2", "limiter"]
    copied = with_stage_copied(rig, "eq")
    assert order(copied)[4:6] == ["eq", "eq_2"]
    assert copied.chain[4].settings == copied.chain[5].settings
    assert order(with_stage_moved(rig, "trim", 99))[-2:] == ["trim", "limiter"]
    assert order(with_stage_moved(rig, "compressor", -2))[4:6] == ["compressor", "eq"]
    empty = rig
    for name in ids:
        empty = without_stage(empty, name)
    assert order(empty) == []
    assert order(with_stage(with_stage(empty, "voice", "limiter", ""), "voice", "trim", "")) == [
        "trim",
        "limiter",
    ]
    for refused, sentence in [
        (lambda: with_stage(rig, "voice", "limiter", ""), "has its limiter already"),
        (lambda: with_stage_moved(rig, "limiter", -1), "stays last"),
        (lambda: without_stage(rig, "reverb"), "no stage"),
        (lambda: with_stage(rig, "voice", "eq", "reverb"), "no stage"),
    ]:
        with pytest.raises(BadSetting, match=sentence):
            refused()


def test_orders_that_are_usually_mistakes_are_said() -> None:
    good = at(-65, -45, -30, -12, -8)
    assert "compressor_before_gate" in findings(with_stage_moved(Rig(), "compressor", -3), good)
    assert "high_pass_after_gate" in findings(with_stage_moved(Rig(), "high_pass", 2), good)
    assert "suppressor_after_gate" in findings(with_stage_moved(Rig(), "suppressor", 1), good)
    behind = with_stage_moved(with_stage_moved(Rig(), "compressor", -9), "gate", -9)
    assert "suppressor_after_gate" in findings(behind, good), "the first reason is enough"
    behind = with_stage_moved(without_stage(Rig(), "gate"), "compressor", -9)
    assert "suppressor_after_compressor" in findings(behind, good)
    shares = {"limiter": 55.0, "compressor": 90.0}
    (busy,) = limiter_share_findings(shares, Rig())
    assert "touches 55 % of your speech" in busy.text
    assert list(limiter_share_findings({"limiter": 20.0}, Rig())) == []
    bypassed = changed(
        with_stage_moved(Rig(), "high_pass", 2), "inputs.voice.chain.high_pass.is_bypassed", True
    )
    assert findings(bypassed, good) == {}
    bold = changed(Rig(), "inputs.voice.chain.eq.settings.bell_4.gain_db", 9.0)
    assert findings(bold, good) == {"bold_boost": 5.0}
    assert findings(changed(bold, "inputs.voice.chain.eq.settings.bell_4.gain_db", 5.0), good) == {}


def test_nan_from_a_device_is_counted_and_leaves_no_trace() -> None:
    voice = tone(1000, -20, 0.5, channels=2)
    voice[5000:5100] = np.nan
    mixer = Mixer(Rig(), 1024)
    out = mix(mixer, {"attic": voice, "game": voice})
    assert np.isfinite(out).all()
    assert mixer.bad_samples == {"voice": 100, "game": 200, "music": 0, "copilot": 0}


def test_what_the_monitor_says_of_a_known_tone() -> None:
    """-20 dBFS at the microphone is -14 after a trim of 6 dB, at every station as it should be."""
    rig = rig_with(
        **{**BARE, "inputs__voice__chain__trim__is_bypassed": False},
        inputs__voice__chain__trim__settings__gain_db=6.0,
    )
    voice = tone(1000, -20, 2.0, channels=2)
    mixer, monitor = Mixer(rig, 1024), Monitor()
    for start in range(0, len(voice) - 256, 256):
        mixer.process({"attic": voice[start : start + 256].copy()}, 256)
        if start % 2560 == 0:
            monitor.push(mixer.take_readings())
    live = monitor.live()["peak_dbfs"]
    assert live["microphone"][-1] == pytest.approx(-20, abs=0.1)
    assert live["trim"][-1] == pytest.approx(-14, abs=0.1)
    assert live["viewers/voice"][-1] == pytest.approx(-14, abs=0.1)


def test_the_demo_stands_near_its_targets() -> None:
    """The shipped settings fit the shipped voice: peaks on target, and no finding."""
    loop, monitor, reach = AudioLoop(Plan()), Monitor(), ReachMeter()
    for number in range(12 * RATE_HZ // 256):
        loop.run_block()
        if number % 6 == 0:
            readings = loop.take_readings(engine_reading())
            monitor.push(readings)
            reach.push(readings.end_frame, readings.voices)
    figures = monitor.figures(Rig())
    targets = Rig().targets
    assert figures["peaks_dbfs"]["voice"] == pytest.approx(targets.voice_peaks_dbfs, abs=2)
    assert figures["clearance_db"]["music"] == pytest.approx(targets.music_clearance_db, abs=3)
    assert reach.all() == {
        "viewers": "hears",
        "you": "closed",
        "call": "hears",
        "archive": "hears",
    }
    assert staging_findings(monitor.stations(Rig()), Rig(), DEVICES) == []


def at(noise: float, quiet: float, body: float, peaks: float, highest: float) -> StationLevels:
    return StationLevels(noise, quiet, body, body + 10, peaks, highest)


def findings(rig: Rig, levels: StationLevels) -> dict[str, float | None]:
    stations = {"microphone": levels, **{slot.id: levels for slot in rig.chain}}
    return {
        f.code: float(next(iter(f.mend.changes.values()))) if f.mend else None
        for f in staging_findings(stations, rig, DEVICES)
    }


def test_each_finding_fires_and_its_mend_ends_it() -> None:
    good = at(-65, -45, -30, -12, -8)
    assert findings(Rig(), good) == {}
    assert findings(Rig(), at(-65, -45, -30, -12, 0.0)) == {"microphone_clips": 30.0}
    browser = changed(Rig(), "inputs.voice.device", "browser")
    assert findings(browser, at(-65, -45, -30, -12, 0.0)) == {"microphone_clips": None}

    noisy = at(-54, -45, -30, -12, -8)
    found = findings(Rig(), noisy)
    assert found == {"room_holds_gate_open": -40.0}
    mended = changed(Rig(), "inputs.voice.chain.gate.settings.close_threshold_dbfs", -40.0)
    assert findings(mended, noisy) == {}

    too_high = rig_with(inputs__voice__chain__gate__settings__open_threshold_dbfs=-10.0)
    found = findings(too_high, good)
    assert found == {"gate_chops_speech": -30.0}
    assert (
        findings(
            changed(too_high, "inputs.voice.chain.gate.settings.open_threshold_dbfs", -30.0), good
        )
        == {}
    )

    loud = at(-45, -40, -30, -12, -8)
    found = findings(Rig(), loud)
    assert found == {"room_opens_gate": -26.0}
    opened = changed(Rig(), "inputs.voice.chain.gate.settings.open_threshold_dbfs", -26.0)
    assert findings(opened, loud) == {"room_holds_gate_open": -31.0}
    mended = changed(opened, "inputs.voice.chain.gate.settings.close_threshold_dbfs", -31.0)
    assert findings(mended, loud) == {}

    assert "limiter_works_hard" in findings(Rig(), at(-65, -45, -30, 4, 6))


@pytest.mark.parametrize("knows_percent", [0.0, 50.0])
def test_typing_is_no_speech_to_a_chain_that_knows_voices(knows_percent: float) -> None:
    strokes, words = 0.15 * keys(6.0), voice("miller")[: 6 * RATE_HZ]
    heard = np.concatenate([np.zeros(2 * RATE_HZ), strokes, words])
    heard = heard + 5e-4 * noise("fan", len(heard) / RATE_HZ)[: len(heard)]
    sound = np.repeat(heard[:, None], 2, 1).astype(np.float32)
    mixer = Mixer(
        rig_with(inputs__voice__chain__suppressor__settings__knows_voices_percent=knows_percent),
        1024,
    )
    said = []
    for start in range(0, len(sound) - 1024, 1024):
        mixer.process({"attic": sound[start : start + 1024].copy()}, 1024)
        said.append(mixer.take_readings().activity)
    is_speech = np.concatenate(said) == SPEECH
    while_typing, while_talking = is_speech[200:790].mean(), is_speech[800:1380].mean()
    assert while_talking > 0.6
    if knows_percent:
        assert while_typing < 0.02
    else:
        assert while_typing > 0.1, "the material is no test"


@pytest.mark.parametrize("output", ["loudspeakers", "headphones"])
def test_a_caller_out_of_loudspeakers_is_no_speech_and_ones_own_words_still_are(
    output: str,
) -> None:
    # What You gets comes back into the microphone after 21 ms, 22 dB down. How loudly is found in the first two seconds.
    caller, words = voice("porter")[: 12 * RATE_HZ], voice("miller")[: 6 * RATE_HZ]
    calling = np.concatenate([caller, caller[: 6 * RATE_HZ]])
    own = np.concatenate([np.zeros(len(caller)), words])
    own = own + 5e-4 * noise("fan", len(own) / RATE_HZ)[: len(own)]
    mixer, leak = Mixer(rig_with(feeds__you__output=output), 1024), np.zeros((1024, 2), np.float32)
    said = []
    for start in range(0, len(own) - 1024, 1024):
        block = np.repeat(own[start : start + 1024, None], 2, 1).astype(np.float32) + leak
        call = np.repeat(calling[start : start + 1024, None], 2, 1).astype(np.float32)
        mixer.process({"attic": block, "call": call}, 1024)
        said.append(mixer.take_readings().activity)
        leak = 0.08 * mixer.feed("you", 1024)
    is_speech = np.concatenate(said) == SPEECH
    hops = len(caller) // 480
    of_caller, of_words = is_speech[200:hops].mean(), is_speech[hops + 100 : hops + 580].mean()
    assert of_words > 0.5
    if output == "loudspeakers":
        assert of_caller < 0.02
    else:
        assert of_caller > 0.2, "the material is no test"


def test_presets_are_read_whole_or_refused_with_the_field_named() -> None:
    preset = Preset(name="Attic")
    assert read_preset(preset.model_dump_json()) == preset
    text = preset.model_dump_json()
    # Version 1 chose the microphone's channel in the trim.
    old = text.replace('"version":3', '"version":1').replace(
        '"gain_db":5.0', '"gain_db":5.0,"channel":"sum"'
    )
    assert old != text
    assert read_preset(old) == preset
    assert read_preset(text.replace('"version":3', '"version":2')) == preset
    for broken, sentence in [
        ("no json", "not a JSON document"),
        ('{"format": "other"}', "not a preset"),
        (text.replace('"version":3', '"version":7'), "newer than this program"),
        (text.replace('"ratio":3.0', '"ratio":300'), r"chain\..*ratio must be at most 20"),
        (text.replace('"stage":"gate"', '"stage":"reverb"'), "gate"),
        (text.replace('"id":"gate"', '"id":"trim"'), "two stages are called"),
        (text.replace('"room":null', '"room":{"rate_hz":44100,"levels_db":[-60]}'), "44100 Hz"),
        ("x" * 2_000_000, "larger than 1 MB"),
    ]:
        with pytest.raises(BadPreset, match=sentence):
            read_preset(broken)


def test_the_core_knows_nothing_of_files_sockets_or_the_web() -> None:
    code = (
        "import sys, goshawk.core.graph.mixer, goshawk.core.measure.recording, goshawk.core.preset, "
        "goshawk.core.rules.staging, goshawk.core.rules.balance, goshawk.core.observed.monitor, "
        "goshawk.core.rules.wiring, goshawk.core.measure.microphone, goshawk.core.rig_upgrades\n"
        "bad = [m for m in sys.modules if m.startswith(('goshawk.engine', 'goshawk.devices', "
        "'goshawk.store', 'goshawk.web', 'sqlite3', 'fastapi', 'soundfile', 'scipy.signal'))]\n"
        "assert not bad, bad"
    )
    subprocess.run([sys.executable, "-c", code], check=True)
