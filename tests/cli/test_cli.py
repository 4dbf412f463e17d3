"""The command line, as a program is called."""

import json
import os
import re
import subprocess
import sys
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import pyloudnorm
import pytest
import soundfile
from typer.testing import CliRunner

from goshawk.cli.main import app
from goshawk.core.chain_slots import default_chain
from goshawk.core.preset import Preset
from goshawk.core.rig_changes import own_rig
from goshawk.store.database import database_path, open_database
from goshawk.store.rigs import load_active_rig
from tests.conftest import RATE_HZ, random_sound, rig_with, tone
from tests.mixes import evening
from tests.situations import takes_of


class Said(NamedTuple):
    returncode: int
    stdout: str
    stderr: str


def goshawk(*arguments: object) -> Said:
    """The program in this process, which saves it starting a hundred times."""
    done = CliRunner().invoke(app, [str(argument) for argument in arguments])
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return Said(done.exit_code, done.stdout, done.stderr)


def test_it_is_a_program() -> None:
    command = [sys.executable, "-m", "goshawk.cli.main", "presets", "shw"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 2
    assert "shw" in done.stderr


def said(*arguments: object) -> Any:
    done = goshawk(*arguments, "--json")
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def test_measure_gives_the_promised_figures(tmp_path: Path) -> None:
    path = tmp_path / "tone.wav"
    soundfile.write(path, tone(997, -23, 6.0, channels=2), 48_000)
    figures = said("measure", path)
    assert figures["integrated_lufs"] == pytest.approx(-23, abs=0.1)
    assert figures["sample_peak_dbfs"] == pytest.approx(-23, abs=0.02)
    assert (figures["duration_s"], figures["sample_rate_hz"], figures["channels"]) == (
        6.0,
        48_000,
        2,
    )
    assert set(figures) == {
        "sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs", "momentary_max_lufs",
        "short_term_max_lufs", "loudness_range_lu", "noise_floor_dbfs", "speech_level_dbfs",
        "snr_db", "duration_s", "sample_rate_hz", "channels",
    }  # fmt: skip


def test_an_independent_program_agrees_on_loudness_and_true_peak(tmp_path: Path) -> None:
    """ffmpeg's ebur128 on the demo's voice."""
    path = Path("goshawk/devices/sounds/voice_talk.flac")
    judge = subprocess.run(
        ["ffmpeg", "-nostats", "-i", path, "-af", "aresample=48000,ebur128=peak=true", "-f", "null", "-"],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    summary = judge.stderr.split("Summary:")[1]

    def number(label: str) -> float:
        return float(summary.split(f"{label}:")[1].split()[0])

    figures = said("measure", path)
    assert figures["integrated_lufs"] == pytest.approx(number("I"), abs=0.1)
    assert figures["loudness_range_lu"] == pytest.approx(number("LRA"), abs=0.5)
    assert figures["true_peak_dbtp"] == pytest.approx(number("Peak"), abs=0.2)


def test_render_takes_a_preset_and_any_block_size(tmp_path: Path) -> None:
    source = tmp_path / "in.wav"
    soundfile.write(source, random_sound(1, 1.0), 48_000, subtype="FLOAT")
    preset = tmp_path / "preset.json"
    preset.write_text(Preset(name="Mine").model_dump_json())
    outs = []
    for block in (64, 4096):
        target = tmp_path / f"out{block}.wav"
        result = said("render", source, target, "--preset", preset, "--block", block)
        assert (result["preset"], result["duration_s"]) == ("Mine", 1.0)
        outs.append(soundfile.read(target)[0])
    np.testing.assert_array_equal(outs[0], outs[1])
    late = said("render", source, tmp_path / "late.wav", "--no-align")
    raw = soundfile.read(tmp_path / "late.wav")[0]
    frames = round(late["latency_ms"] * 48)
    np.testing.assert_array_equal(raw[frames:], outs[0][: len(raw) - frames])


def test_bad_input_is_one_sentence_and_exit_code_2(tmp_path: Path) -> None:
    bad = tmp_path / "bad.json"
    bad.write_text('{"format": "goshawk-preset", "version": 1, "name": "x", "chain": [{}]}')
    good = tmp_path / "good.wav"
    soundfile.write(good, np.zeros(1000), 48_000)
    os.mkfifo(tmp_path / "pipe.wav")
    soundfile.write(tmp_path / "huge.wav", np.full(5000, 1e38), 48_000, subtype="FLOAT")
    soundfile.write(tmp_path / "short.wav", np.full(10, 0.1), 48_000)
    takes = [
        part
        for kind in ("room", "low", "usual", "big")
        for part in (f"--{kind}", tmp_path / "short.wav")
    ]
    for arguments in [
        ("measure", tmp_path / "none.wav"),
        ("measure", tmp_path / "pipe.wav", "--json"),
        ("measure", tmp_path / "huge.wav", "--json"),
        ("soundcheck", *takes),
        ("measure", bad),
        ("render", good, tmp_path / "out.mp3"),
        ("render", good, tmp_path / "out.wav", "--preset", bad),
        ("render", good, tmp_path / "nowhere" / "out.wav"),
        ("render", good, tmp_path / "out.wav", "--preset", tmp_path / "none.json"),
        ("demo", "--port", "0"),
    ]:
        done = goshawk(*arguments)
        assert done.returncode == 2, arguments
        assert "Traceback" not in done.stderr
        assert done.stderr.strip()
    assert not (tmp_path / "out.wav").exists()


def test_a_saved_rig_that_cannot_be_read_is_said_and_kept(tmp_path: Path) -> None:
    connection = open_database(database_path(tmp_path)).connection
    load_active_rig(connection)
    connection.execute("UPDATE revisions SET document = '{\"name\": 7}'")
    connection.close()
    done = goshawk("demo", "--port", "8699", "--data-dir", tmp_path)
    assert done.returncode == 2
    assert "cannot be read by this version" in done.stderr
    assert "Traceback" not in done.stderr
    connection = open_database(database_path(tmp_path)).connection
    assert connection.execute("SELECT document FROM revisions").fetchone()[0] == '{"name": 7}'


def test_a_port_in_use_is_said() -> None:
    import socket

    with socket.socket() as busy:
        busy.bind(("127.0.0.1", 0))
        busy.listen()
        done = goshawk("serve", "--port", busy.getsockname()[1])
    assert done.returncode == 2
    assert "is in use" in done.stderr


def test_render_takes_a_preset_apart_learns_the_room_and_is_aligned(tmp_path: Path) -> None:
    random = np.random.default_rng(1)
    room = (random.standard_normal((2 * 48_000, 1)) * 1e-3).astype(np.float32)
    voice = random_sound(3, 1.0) * 0.1 + room[:48_000]
    for name, sound in (("voice", voice), ("room", room)):
        soundfile.write(tmp_path / f"{name}.wav", sound, 48_000, subtype="FLOAT")
    source, target = tmp_path / "voice.wav", tmp_path / "out.wav"

    def rendered(*options: object) -> np.ndarray:
        said("render", source, target, *options)
        return soundfile.read(target)[0]  # type: ignore[no-any-return]

    plain = rendered(
        "--only", "trim", "--set", "trim.gain_db=6", "--set", "trim.is_dc_removed=false"
    )
    np.testing.assert_allclose(plain, voice[:, 0] * 10 ** (6 / 20), rtol=1e-3, atol=1e-6)
    # What the suppressor takes from steady noise, without and with a learned room; aligned to the sample.
    soundfile.write(source, room[:48_000], 48_000, subtype="FLOAT")
    alone = ("--only", "suppressor")
    learned = rendered(*alone, "--room", tmp_path / "room.wav")
    assert len(learned) == 48_000
    assert np.std(learned[4800:9600]) < 0.5 * np.std(rendered(*alone)[4800:9600])
    whole = rendered(
        "--set", "suppressor.reduction_db=0", "--set", "suppressor.clatter_db=0", *alone
    )
    np.testing.assert_allclose(whole, room[:48_000, 0], atol=1e-6)
    # A room that cannot be learned, or that nothing would learn, is said, and the rest is done.
    soundfile.write(tmp_path / "knock.wav", random_sound(3, 1.0), 48_000)
    for options, sentence in (
        ((*alone, "--room", tmp_path / "knock.wav"), "that is not the room"),
        (("--only", "gate", "--room", tmp_path / "room.wav"), "no suppressor"),
    ):
        done = goshawk("render", source, target, *options)
        assert done.returncode == 0
        assert sentence in done.stderr


@pytest.mark.parametrize(
    ("options", "sentence"),
    [
        (("--only", "reverb"), "no stage 'reverb'"),
        (("--set", "gate.range_db"), "is not stage.setting=value"),
        (("--set", "gate.range_db=900"), "range_db must be at most 80"),
        (("--set", "gate.loudness=3"), "There is no setting"),
        (("--set", "three_band.lower_hz=3"), "no one stage 'three_band'"),
        (("--room", "none.wav"), "none.wav"),
    ],
)
def test_what_render_refuses(tmp_path: Path, options: tuple[str, ...], sentence: str) -> None:
    source = tmp_path / "voice.wav"
    soundfile.write(source, random_sound(3, 1.0), 48_000)
    given = [tmp_path / option if option.endswith(".wav") else option for option in options]
    done = goshawk("render", source, tmp_path / "out.wav", *given)
    assert done.returncode == 2
    assert sentence in done.stderr
    assert not (tmp_path / "out.wav").exists()


def test_presets_and_schemas_on_the_command_line(tmp_path: Path) -> None:
    where = ("--data-dir", tmp_path / "data")
    preset = tmp_path / "talk.json"
    assert goshawk("presets", "export", "Talk alone", preset, *where).returncode == 0
    text = json.loads(preset.read_text())
    preset.write_text(json.dumps({**text, "name": "Mine"}))
    assert goshawk("presets", "import", preset, *where).returncode == 0
    names = [row["name"] for row in said("presets", "list", *where)]
    assert names[-1] == "Mine"
    shown = goshawk("presets", "show", "Mine", *where).stdout
    assert "compressor" in shown
    assert "ratio 2.2" in shown
    schema = json.loads(goshawk("schema", "preset").stdout)
    gate = schema["$defs"]["GateSettings"]["properties"]["range_db"]
    assert (gate["minimum"], gate["maximum"], gate["unit"]) == (6.0, 80.0, "dB")
    for wrong in (("schema", "song"), ("presets", "show", "nothing", *where)):
        done = goshawk(*wrong)
        assert done.returncode == 2
        assert done.stderr.startswith("goshawk: ")


def test_a_check_of_takes_gives_the_chain_its_reasons_and_the_promised_sound(
    tmp_path: Path,
) -> None:
    for name, sound in takes_of("porter").items():
        soundfile.write(tmp_path / f"{name}.wav", sound, RATE_HZ, subtype="FLOAT")
    takes = {name: tmp_path / f"{name}.wav" for name in ("room", "low", "usual", "big")}

    def options(**other: Path) -> list[object]:
        return [part for name, path in {**takes, **other}.items() for part in (f"--{name}", path)]

    preset = tmp_path / "preset.json"
    found = said("soundcheck", *options(), "--steadiness", "very-steady", "--out", preset)
    assert {"takes", "findings", "suggestions", "before", "after"} <= set(found)
    assert {"code", "text", "value", "unit"} <= set(found["findings"][0])
    assert {"stage", "setting", "value", "unit", "reason", "confidence"} == set(
        found["suggestions"][0]
    )
    assert {"noise_floor_dbfs", "speech_level_dbfs", "pitch_low_hz", "findings"} <= set(
        found["takes"]["usual"]
    )
    assert found["after"]["spread_db"] == pytest.approx(6.0, abs=2.0)
    # Rendered with the room that is given, it is what was promised.
    target = tmp_path / "out.wav"
    said("render", takes["usual"], target, "--preset", preset, "--room", takes["room"])
    peaks = np.abs(soundfile.read(target)[0])
    assert 20 * np.log10(peaks.max()) < -3.9
    measured = said("measure", target)
    assert measured["integrated_lufs"] == pytest.approx(found["after"]["integrated_lufs"], abs=0.1)
    text = goshawk("soundcheck", *options(), "--talk-only").stdout
    assert re.search("Nothing would cover its opening and closing|nothing to close on", text)

    # What is doubtful is said and done; what tells nothing is refused.
    swapped = goshawk("soundcheck", *options(low=takes["big"], big=takes["low"]))
    assert swapped.returncode == 0
    assert "louder than your usual voice" in swapped.stderr
    sound = soundfile.read(takes["usual"])[0]
    for name, wrong, sentence in (
        ("short", sound[: 2 * RATE_HZ], "too short"),
        ("nothing", np.zeros_like(sound), "not even noise"),
        ("quiet", soundfile.read(takes["room"])[0], "Speak for longer"),
    ):
        path = tmp_path / f"{name}.wav"
        soundfile.write(path, wrong, RATE_HZ)
        done = goshawk("soundcheck", *options(usual=path), "--out", tmp_path / "no.json")
        assert done.returncode == 2
        assert sentence in done.stderr
        assert f"{name}.wav (usual voice)" in done.stderr
    assert not (tmp_path / "no.json").exists()


def test_recordings_are_mixed_and_brought_to_their_targets(tmp_path: Path) -> None:
    """The stems add up to the feed under its ceiling, and the figures are those of other judges."""
    for name, sound in evening(12.0).items():
        soundfile.write(tmp_path / f"{name}.wav", sound, RATE_HZ, subtype="FLOAT")
    (tmp_path / "rig.json").write_text(
        rig_with(inputs__game__fader_db=6.0, inputs__music__fader_db=-40.0).model_dump_json()
    )
    inputs = [
        part
        for name in ("voice", "game", "music")
        for part in (f"--{name}", tmp_path / f"{name}.wav")
    ]
    outs = ["--out", tmp_path / "viewers.wav", "--stems", tmp_path / "stems"]
    figures = said("mix", *inputs, "--rig", tmp_path / "rig.json", "--fit", *outs)
    before, after = figures["before"], figures["after"]
    assert before["trims_db"] == {"voice": 0.0, "game": 0.0, "music": 0.0}
    assert before["clearance_db"]["game"] < 6
    assert after["clearance_db"] == pytest.approx({"game": 12.0, "music": 18.0}, abs=0.2)
    assert after["sii"] > before["sii"]
    assert after["voice_peak_dbfs"] == pytest.approx(-7.0, abs=0.2)
    assert after["true_peak_dbtp"] <= -2.9
    assert len(figures["moves"]) == 3
    feed = soundfile.read(tmp_path / "viewers.wav")[0]
    stems = [
        soundfile.read(tmp_path / "stems" / f"{name}.wav")[0] for name in ("voice", "game", "music")
    ]
    total = np.sum(stems, axis=0)
    held = np.abs(total).max(axis=1) > 10 ** (-3.5 / 20)
    near = np.convolve(held, np.ones(RATE_HZ), "same") > 0
    np.testing.assert_allclose(feed[~near], total[~near], atol=1e-6)
    loudness = pyloudnorm.Meter(RATE_HZ).integrated_loudness(feed)
    assert after["integrated_lufs"] == pytest.approx(loudness, abs=0.1)
    alone = said("mix", "--voice", tmp_path / "voice.wav", "--out", tmp_path / "alone.flac")
    assert (alone["after"], alone["before"]["clearance_db"]) == (None, {})
    text = goshawk("mix", *inputs, "--out", tmp_path / "text.wav").stdout
    assert "clearance over game" in text

    (tmp_path / "no.json").write_text("[]")
    (tmp_path / "old.json").write_text('{"rig": {"name": ""}}')
    no_music = rig_with().model_dump(mode="json")
    no_music["inputs"] = no_music["inputs"][:2]
    (tmp_path / "two.json").write_text(json.dumps(no_music))
    for rig, sentence in (
        ("no.json", "is no rig"),
        ("gone.json", "cannot be read"),
        ("old.json", "name"),
        ("two.json", "no input for music"),
    ):
        refused = goshawk("mix", *inputs, "--rig", tmp_path / rig, "--out", tmp_path / "no.wav")
        assert refused.returncode == 2
        assert sentence in refused.stderr
    assert goshawk("mix", *inputs, "--out", tmp_path / "no.mp3").returncode == 2
    assert not (tmp_path / "no.wav").exists()


def test_benchmarks_say_their_figures_to_programs_and_to_people() -> None:
    """Figures are printed, never judged here; that all are there is."""
    said_all = said("bench", "--seconds", "1", "--compare")
    assert [run["block_frames"] for run in said_all["runs"]] == [64, 128, 256, 512]
    assert all(
        run["stages"].keys() == {slot.id for slot in default_chain()} for run in said_all["runs"]
    )
    assert said_all["compared"]["ours_median_us"] > 0.0
    text = goshawk("bench", "--seconds", "1").stdout
    assert "balance at 256 frames" in text
    rendered = said("bench-render", "--minutes", "1")
    assert rendered["sound_s"] == 60.0
    assert rendered["times_faster"] == pytest.approx(60.0 / rendered["took_s"], rel=0.05)


def test_devices_and_what_the_computer_offers(tmp_path: Path) -> None:
    listed = said("devices", "--json")
    assert {"attic", "encoder"} <= {one["id"] for one in listed}
    assert all(
        {"direction", "id", "label", "host", "channels", "rate_hz", "is_virtual"} <= one.keys()
        for one in listed
    )
    assert "Sound goes out to" in goshawk("devices").stdout
    sentences = goshawk("doctor").stdout
    assert {one["text"] for one in said("doctor")} <= {line[6:] for line in sentences.splitlines()}
    assert goshawk("--version").stdout.strip() == "0.1.0"
    assert "virtual audio cable" in sentences, "there is no sound server in this test"
    opened = open_database(database_path(tmp_path))
    first = load_active_rig(opened.connection, own_rig).rig
    assert first.outputs == ()
    assert not any(one.device for one in first.inputs), "nothing is heard before it was chosen"
    assert load_active_rig(opened.connection).rig == first
    opened.connection.close()


def test_two_clocks_apart_in_the_benchmark_that_runs_for_hours() -> None:
    result = said("bench-drift", "--outputs", "--hours", "0.05", "--ppm", "300")
    assert result["dropouts"] == result["overruns"] == [0, 0]
    assert result["found_ppm"] == pytest.approx([150, -150], abs=3)
