"""The mixer as a whole, live against offline, and the rules that read it."""

import subprocess
import sys

import numpy as np
import pytest

from goshawk.cli.offline import render_chain
from goshawk.core.graph.mixer import Mixer
from goshawk.core.measure.levels import StationLevels
from goshawk.core.measure.monitor import Monitor
from goshawk.core.preset import Preset, read_preset
from goshawk.core.rig import Rig, changed
from goshawk.core.rules.staging import staging_findings
from goshawk.core.stage import Block
from goshawk.engine.loop import AudioLoop
from goshawk.errors import BadPreset
from tests.conftest import RATE_HZ, peak_db, random_sound, tone


def mix(
    rig: Rig, voice: Block, background: Block | None = None, frames: int = 256
) -> tuple[Block, Mixer]:
    mixer = Mixer(rig, 1024)
    other = np.zeros((len(voice), 2), np.float32) if background is None else background
    out = [
        mixer.process(
            voice[i : i + frames].copy(), other[i : i + frames].copy(), other[i : i + frames].copy()
        ).copy()
        for i in range(0, len(voice), frames)
    ]
    return np.concatenate(out), mixer


def with_settings(**values: float | str | bool) -> Rig:
    rig = Rig()
    for path, value in values.items():
        rig = changed(rig, path.replace("__", "."), value)
    return rig


BARE = {f"chain__{name}__is_bypassed": True for name in ("trim", "gate", "compressor", "limiter")}


def test_live_and_offline_give_the_same_samples() -> None:
    """What the engine's loop makes of a file is, sample for sample, what `render` makes of it."""
    rig = with_settings(game__is_muted=True, music__is_muted=True, viewers__ceiling_dbtp=0.0)
    voice = random_sound(1, 1.0) * 0.3
    rendered, latency = render_chain(voice, Preset(chain=rig.chain), 333, False)
    mixer = Mixer(rig, 1024)
    live = []
    for start in range(0, len(voice) - 256, 256):
        stereo = np.repeat(voice[start : start + 256], 2, 1)
        mixer.process(stereo, np.zeros_like(stereo), np.zeros_like(stereo))
        live.append(mixer._voice[:256].copy())
    got = np.concatenate(live)
    np.testing.assert_array_equal(got, rendered[: len(got)])
    aligned, _ = render_chain(voice, Preset(chain=rig.chain), 64, True)
    assert len(aligned) == len(voice)
    np.testing.assert_array_equal(aligned[:-latency], rendered[latency:])


@pytest.mark.parametrize("frames", [64, 128, 512, 1024])
def test_the_feed_does_not_depend_on_the_block_size(frames: int) -> None:
    sound = random_sound(2, 0.5, channels=2)[: 1024 * 20] * 0.3
    expected, _ = mix(Rig(), sound, sound)
    got, _ = mix(Rig(), sound, sound, frames)
    np.testing.assert_array_equal(expected, got)


def test_voice_and_background_stay_aligned_and_the_shown_delay_is_the_measured_one() -> None:
    """A click at microphone and game comes out once, by the declared latency."""
    rig = with_settings(**BARE, game__trim_db=0.0, music__is_muted=True, viewers__ceiling_dbtp=0.0)
    click = np.zeros((4096, 2), np.float32)
    click[1000] = 0.2
    out, mixer = mix(rig, click, click)
    assert int(np.argmax(out[:, 0])) == 1000 + mixer.latency_frames
    assert peak_db(out) == pytest.approx(peak_db(np.array([0.4])), abs=0.1)
    assert np.count_nonzero(np.abs(out[:, 0]) > 0.01) == 1


@pytest.mark.parametrize(
    ("channel", "expected"), [("left", -20.0), ("right", -40.0), ("sum", -25.19), ("stereo", -20.0)]
)
def test_the_voice_is_taken_from_the_chosen_channel(channel: str, expected: float) -> None:
    rig = with_settings(**BARE, chain__trim__settings__channel=channel)
    both = np.concatenate([tone(1000, -20, 1.0), tone(1000, -40, 1.0)], 1)
    out, _ = mix(rig, both)
    assert peak_db(out[RATE_HZ // 2 :, 0]) == pytest.approx(expected, abs=0.1)


def test_trims_mutes_and_the_ceiling() -> None:
    loud = tone(1000, 0, 1.0, channels=2)
    rig = with_settings(**BARE, voice__is_muted=True, game__trim_db=-30.0, music__is_muted=True)
    out, _ = mix(rig, loud, loud)
    assert peak_db(out[RATE_HZ // 2 :]) == pytest.approx(-30, abs=0.05)
    rig = with_settings(game__trim_db=12.0, music__trim_db=12.0, viewers__ceiling_dbtp=-6.0)
    out, _ = mix(rig, loud, loud)
    assert peak_db(out) <= -6


def test_nan_at_the_microphone_is_counted_and_leaves_no_trace() -> None:
    voice = tone(1000, -20, 0.5, channels=2)
    voice[5000:5100] = np.nan
    out, mixer = mix(Rig(), voice)
    assert np.isfinite(out).all()
    assert mixer.take_readings()["bad_samples"] == 200


def test_what_the_monitor_says_of_a_known_tone() -> None:
    """-20 dBFS at the microphone is -14 after a trim of 6 dB, at every station as it should be."""
    rig = with_settings(
        **{**BARE, "chain__trim__is_bypassed": False}, chain__trim__settings__gain_db=6.0
    )
    voice = tone(1000, -20, 2.0, channels=2)
    mixer, monitor = Mixer(rig, 1024), Monitor()
    for start in range(0, len(voice) - 256, 256):
        silence = np.zeros((256, 2), np.float32)
        mixer.process(voice[start : start + 256].copy(), silence.copy(), silence)
        if start % 2560 == 0:
            monitor.push(mixer.take_readings())
    live = monitor.live()["peak_dbfs"]
    assert live["microphone"][-1] == pytest.approx(-20, abs=0.1)
    assert live["trim"][-1] == pytest.approx(-14, abs=0.1)
    assert live["viewers_voice"][-1] == pytest.approx(-14, abs=0.1)


def test_the_demo_stands_near_its_targets() -> None:
    """The shipped settings fit the shipped voice: peaks on target, and no finding."""
    loop, monitor = AudioLoop(Rig()), Monitor()
    for number in range(12 * RATE_HZ // 256):
        loop.run_block()
        if number % 6 == 0:
            monitor.push(loop.take_readings())
    figures = monitor.figures()
    targets = Rig().targets
    assert figures["peaks_dbfs"]["voice"] == pytest.approx(targets.voice_peaks_dbfs, abs=2)
    assert figures["clearance_db"]["music"] == pytest.approx(targets.music_clearance_db, abs=3)
    assert figures["voice_reaches_viewers"]
    assert staging_findings(monitor.stations(), Rig()) == []


def at(noise: float, quiet: float, body: float, peaks: float, highest: float) -> StationLevels:
    return StationLevels(noise, quiet, body, body + 10, peaks, highest)


def findings(rig: Rig, levels: StationLevels) -> dict[str, float | None]:
    stations = {"microphone": levels, **{slot.id: levels for slot in rig.chain}}
    return {f.code: f.mend.value if f.mend else None for f in staging_findings(stations, rig)}


def test_each_finding_fires_and_its_mend_ends_it() -> None:
    good = at(-65, -45, -30, -12, -8)
    assert findings(Rig(), good) == {}
    assert findings(Rig(), at(-65, -45, -30, -12, 0.0)) == {"microphone_clips": 30.0}
    browser = changed(Rig(), "microphone.source", "browser")
    assert findings(browser, at(-65, -45, -30, -12, 0.0)) == {"microphone_clips": None}

    noisy = at(-54, -45, -30, -12, -8)
    found = findings(Rig(), noisy)
    assert found == {"room_holds_gate_open": -40.0}
    mended = changed(Rig(), "chain.gate.settings.close_threshold_dbfs", -40.0)
    assert findings(mended, noisy) == {}

    too_high = with_settings(chain__gate__settings__open_threshold_dbfs=-10.0)
    found = findings(too_high, good)
    assert found == {"gate_chops_speech": -30.0}
    assert findings(changed(too_high, "chain.gate.settings.open_threshold_dbfs", -30.0), good) == {}

    loud = at(-45, -40, -30, -12, -8)
    found = findings(Rig(), loud)
    assert found == {"room_opens_gate": -26.0}
    opened = changed(Rig(), "chain.gate.settings.open_threshold_dbfs", -26.0)
    assert findings(opened, loud) == {"room_holds_gate_open": -31.0}
    mended = changed(opened, "chain.gate.settings.close_threshold_dbfs", -31.0)
    assert findings(mended, loud) == {}

    assert "limiter_works_hard" in findings(Rig(), at(-65, -45, -30, 4, 6))


def test_presets_are_read_whole_or_refused_with_the_field_named() -> None:
    preset = Preset(name="Attic")
    assert read_preset(preset.model_dump_json()) == preset
    text = preset.model_dump_json()
    for broken, sentence in [
        ("no json", "not a JSON document"),
        ('{"format": "other"}', "not a preset"),
        (text.replace('"version":1', '"version":7'), "newer than this program"),
        (text.replace('"ratio":3.0', '"ratio":300'), r"chain\..*ratio must be at most 20"),
        (text.replace('"stage":"gate"', '"stage":"reverb"'), "gate"),
        (text.replace('"id":"gate"', '"id":"trim"'), "two stages are called"),
        ("x" * 2_000_000, "larger than 1 MB"),
    ]:
        with pytest.raises(BadPreset, match=sentence):
            read_preset(broken)


def test_the_core_knows_nothing_of_files_sockets_or_the_web() -> None:
    code = (
        "import sys, goshawk.core.graph.mixer, goshawk.core.measure.recording, goshawk.core.preset, "
        "goshawk.core.rules.staging, goshawk.core.rules.balance, goshawk.core.measure.monitor\n"
        "bad = [m for m in sys.modules if m.startswith(('goshawk.engine', 'goshawk.devices', "
        "'goshawk.store', 'goshawk.web', 'sqlite3', 'fastapi', 'soundfile', 'scipy.signal'))]\n"
        "assert not bad, bad"
    )
    subprocess.run([sys.executable, "-c", code], check=True)
