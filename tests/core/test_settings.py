"""Settings: declared once, refused with a sentence, and all of them reachable and documented."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from goshawk.core.rig import Rig, changed, changed_together
from goshawk.core.rig_changes import with_stage
from goshawk.core.stage import Glide
from goshawk.devices.sounds import load_sound
from goshawk.errors import BadSetting
from goshawk.units import (
    db_to_linear,
    frames_to_ms,
    linear_to_db,
    ms_to_frames,
    one_pole_coefficient,
)
from goshawk.web.guard import refusal


def numbers(schema: dict[str, Any]) -> dict[str, dict[str, Any]]:
    """Every number of the rig by the path that changes it."""
    definitions = schema["$defs"]

    def walk(part: dict[str, Any], path: str) -> dict[str, dict[str, Any]]:
        if "$ref" in part:
            part = definitions[part["$ref"].split("/")[-1]]
        if part.get("type") == "number":
            return {path: part}
        found = {}
        for name, inner in part.get("properties", {}).items():
            found |= walk(inner, f"{path}.{name}" if path else name)
        if path == "inputs":
            return walk(part["items"], "inputs.voice")
        if path == "outputs":
            return walk(part["items"], "outputs.broadcast")
        if "discriminator" in part.get("items", {}):
            for stage, ref in part["items"]["discriminator"]["mapping"].items():
                # A ducker is for what plays in the background.
                place = "inputs.game.chain.game_ducker" if stage == "ducker" else f"{path}.{stage}"
                found |= walk({"$ref": ref}, place)
        return found

    return walk(schema, "")


NUMBERS = numbers(Rig.model_json_schema())


@pytest.mark.parametrize("path", list(NUMBERS))
def test_every_number_can_be_set_to_its_ends_and_not_beyond(path: str) -> None:
    field = NUMBERS[path]
    rig = with_stage(Rig(), "voice", "three_band", "compressor")
    rig = with_stage(rig, "voice", "insert", "trim")
    if path.endswith("three_band.settings.lower_hz"):
        rig = changed(rig, "inputs.voice.chain.three_band.settings.upper_hz", 12_000)
    if path.endswith("three_band.settings.upper_hz"):
        rig = changed(rig, "inputs.voice.chain.three_band.settings.lower_hz", 60)
    if path.endswith("open_threshold_dbfs"):
        rig = changed(rig, "inputs.voice.chain.gate.settings.close_threshold_dbfs", -80)
    if path.endswith("close_threshold_dbfs"):
        rig = changed(rig, "inputs.voice.chain.gate.settings.open_threshold_dbfs", 0)
    if path == "feeds.viewers.ceiling_dbtp":
        rig = changed(rig, "targets.voice_peaks_dbfs", -30)
    if path == "targets.voice_peaks_dbfs":
        rig = changed(rig, "feeds.viewers.ceiling_dbtp", 0)
    for end in ("minimum", "maximum"):
        assert changed(rig, path, field[end]) is not None
    for beyond in (
        field["minimum"] - 1,
        field["maximum"] + 1,
        float("inf"),
        float("nan"),
        "loud",
        None,
    ):
        with pytest.raises(BadSetting) as refused:
            changed(rig, path, beyond)
        sentence = str(refused.value)
        assert sentence.endswith(".")
        assert path in sentence, "the setting is named as its path, so that it can be found"
    assert field["unit"] or path.endswith(("ratio", ".q"))
    assert field["description"].endswith(".")
    assert field["minimum"] <= field["default"] <= field["maximum"]
    starts = [start for start, _ in field["reads"]]
    assert starts == sorted(set(starts))
    assert starts[0] <= field["minimum"], "the lowest value reads as something too"
    assert len(starts) > 1
    assert field["minimum"] < starts[1]
    assert starts[-1] < field["maximum"]


def test_names_ids_and_kinds_cannot_be_changed_into_something_else() -> None:
    for path, value in [
        ("inputs.voice.chain.gate.id", "other"),
        ("inputs.voice.chain.gate.stage", "trim"),
        ("chain", []),
        ("name", ""),
        ("name", "x" * 81),
        ("devices.attic.performance", "sing"),
        ("inputs.voice.id", "other"),
        ("inputs.voice.name", "   "),
        ("inputs.voice.name", "x" * 200),
        ("inputs.voice.name", "game"),
        ("inputs.voice.role", "game"),
        ("chained", "nobody"),
        ("chained", "game"),
        ("version", 1),
        ("", 1),
        ("inputs.voice.chain.gate.settings.range_db.deeper", 1),
    ]:
        if path == "inputs.voice.chain":
            assert changed(Rig(), path, value).chain == ()
            continue
        with pytest.raises(BadSetting):
            changed(Rig(), path, value)


@given(st.floats(-119, 60))
def test_decibels_there_and_back(db: float) -> None:
    assert linear_to_db(db_to_linear(db)) == pytest.approx(db, abs=1e-9)


def test_units() -> None:
    assert db_to_linear(-6.0206) == pytest.approx(0.5, rel=1e-5)
    assert linear_to_db(0.0) == -120.0
    assert (ms_to_frames(10), frames_to_ms(480)) == (480, 10.0)
    assert one_pole_coefficient(0) == 0.0
    # After its time constant a one-pole has 1/e of the way left.
    assert one_pole_coefficient(5.0) ** ms_to_frames(5.0) == pytest.approx(0.3679, abs=1e-4)


def test_a_glide_starts_where_it_is_first_set() -> None:
    glide = Glide(2)
    glide.set(3.0, -4.0)
    assert glide.now.tolist() == [3.0, -4.0]
    glide.set(0.0, 0.0)
    assert glide.now.tolist() == [3.0, -4.0]
    glide.settle()
    assert glide.now.tolist() == [0.0, 0.0]


@pytest.mark.parametrize(
    ("host", "origin", "is_welcome"),
    [
        ("127.0.0.1:8610", None, True),
        ("localhost:8610", "http://localhost:8610", True),
        ("[::1]:8610", "http://[::1]:8610", True),
        ("localhost:8610", "http://localhost:9999", False),
        ("localhost:8610", "http://127.0.0.1:8610", False),
        ("127.0.0.1.example.com", None, False),
        ("goshawk.example:8610", "http://goshawk.example:8610", False),
        ("", None, False),
        ("127.0.0.1:8610", "null", False),
    ],
)
def test_who_may_ask(host: str, origin: str | None, is_welcome: bool) -> None:
    assert (refusal(host, origin) is None) == is_welcome


@pytest.mark.parametrize("name", ["room", "game", "music"])
def test_loops_have_no_seam_and_shipped_sounds_do_not_clip(name: str) -> None:
    sound = load_sound(name)
    assert abs(sound).max() < 0.99
    step = abs(sound[0] - sound[-1]).max()
    usual = abs(sound[1:] - sound[:-1]).max()
    assert step <= usual


def test_a_midi_control_moves_one_thing_and_is_named_as_it_is_sent() -> None:
    one = ["control 1 7: inputs.game.fader_db"]
    assert changed_together(Rig(), {"midi": one}).midi == tuple(one)
    for wrong, said in (
        (["control 1 7: mute", "control 1 7: mark"], "would move two things"),
        (["control 17 7: mute"], "midi"),
        (["knob 1 7: mute"], "midi"),
    ):
        with pytest.raises(BadSetting, match=said):
            changed_together(Rig(), {"midi": wrong})
