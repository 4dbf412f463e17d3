"""What holds for every stage, whatever it does. A new stage is covered once it is listed in STAGES."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter

from goshawk.core.chain_slots import Slot, default_chain
from goshawk.core.dsp.equaliser import BellBand, HighPassBand, LowShelfBand
from goshawk.core.dsp.three_band import BandSettings
from goshawk.core.graph.chain import STAGES, StagePlace
from goshawk.core.settings import Settings
from goshawk.core.steps import run_all
from tests.conftest import RATE_HZ, peak_db, random_sound, run, tone

BLOCK = 1024
every_stage = pytest.mark.parametrize("name", list(STAGES))


def default_slot(name: str) -> Slot:
    adapter: TypeAdapter[Slot] = TypeAdapter(Slot)
    plain = adapter.validate_python({"id": name, "stage": name})
    return next((slot for slot in default_chain() if slot.stage == name), plain)


def place_of(name: str, channels: int = 1, **changes: Any) -> StagePlace:
    slot = default_slot(name)
    return StagePlace(slot.model_copy(update=changes), channels, BLOCK)


def at_ends(model: type[Settings], *, is_high: bool) -> Settings:
    """Every number at one end of its range."""
    schema = model.model_json_schema()["properties"]
    end = "maximum" if is_high else "minimum"
    values: dict[str, Any] = {name: field[end] for name, field in schema.items() if end in field}
    for name, field in model.model_fields.items():
        if isinstance(field.annotation, type) and issubclass(field.annotation, Settings):
            values[name] = at_ends(field.annotation, is_high=is_high)
        if name == "is_on":
            values[name] = True
    return model(**values)


def through(place: StagePlace, sound: np.ndarray, block_frames: int) -> np.ndarray:
    out = sound.copy()
    for start in range(0, len(out), block_frames):
        run_all(place.steps, out[start : start + block_frames])
    return out


@every_stage
@settings(max_examples=8)
@given(seed=st.integers(0, 1000), cuts=st.lists(st.integers(0, BLOCK), min_size=3, max_size=12))
def test_any_way_of_cutting_gives_the_same_samples(name: str, seed: int, cuts: list[int]) -> None:
    sound = random_sound(seed, 0.2, channels=2)
    whole = through(place_of(name, 2), sound, BLOCK)
    place, cut, at = place_of(name, 2), sound.copy(), 0
    for frames in [*cuts, *[BLOCK] * 20]:
        run_all(place.steps, cut[at : at + frames])
        at += frames
    np.testing.assert_array_equal(whole, cut)


@every_stage
def test_silence_stays_silence_and_a_silent_channel_stays_silent(name: str) -> None:
    assert not through(place_of(name), np.zeros((RATE_HZ, 1), np.float32), 256).any()
    sound = random_sound(1, channels=2)
    sound[:, 1] = 0.0
    assert not through(place_of(name, 2), sound, 256)[:, 1].any()


@every_stage
@pytest.mark.parametrize("is_high", [False, True])
@pytest.mark.parametrize(
    "sound",
    [
        np.full((4000, 1), np.nan, np.float32),
        np.full((4000, 1), np.inf, np.float32),
        np.full((4000, 1), -3e38, np.float32),
        np.full((4000, 1), 1e-42, np.float32),
        np.ones((4000, 1), np.float32),
        np.eye(4000, 1, dtype=np.float32),
        random_sound(2) * 1000,
    ],
    ids=["nan", "infinity", "greatest", "denormal", "dc", "impulse", "overload"],
)
def test_output_is_finite_whatever_enters_at_both_ends_of_every_range(
    name: str, is_high: bool, sound: np.ndarray
) -> None:
    stage = STAGES[name](at_ends(type(default_slot(name).settings), is_high=is_high), 1, BLOCK)
    out = run(stage, np.ascontiguousarray(sound))
    assert np.isfinite(out).all()
    # What entered is over at once: usual sound passes as it would have.
    assert np.isfinite(run(stage, tone(997, -20, 0.3))).all()
    assert not np.any((np.abs(out) > 0) & (np.abs(out) < 1e-38))


def anywhere(model: type[Settings]) -> st.SearchStrategy[Settings]:
    """Any settings that a model allows, its rules between settings included."""
    parts: dict[str, st.SearchStrategy[Any]] = {}
    for name, field in model.model_json_schema()["properties"].items():
        inner = model.model_fields[name].annotation
        if isinstance(inner, type) and issubclass(inner, Settings):
            parts[name] = anywhere(inner)
        elif field.get("type") == "number":
            parts[name] = st.floats(field["minimum"], field["maximum"])
        elif field.get("type") == "boolean":
            parts[name] = st.booleans()
        elif "enum" in field:
            parts[name] = st.sampled_from(field["enum"])

    def build(values: dict[str, Any]) -> Settings | None:
        try:
            return model(**values)
        except ValueError:
            return None

    return st.fixed_dictionaries(parts).map(build).filter(lambda made: made is not None)  # type: ignore[return-value]


@every_stage
@settings(max_examples=25)
@given(data=st.data())
def test_any_settings_give_a_bounded_output_of_anything(name: str, data: st.DataObject) -> None:
    chosen = data.draw(anywhere(type(default_slot(name).settings)))
    kind = data.draw(st.sampled_from(["noise", "dc", "impulse", "nan", "silence", "full"]))
    sound = {
        "noise": random_sound(data.draw(st.integers(0, 50)), 0.25),
        "dc": np.full((12_000, 1), 0.9, np.float32),
        "impulse": np.eye(12_000, 1, -5000, dtype=np.float32),
        "nan": np.where(np.arange(12_000)[:, None] % 7 == 0, np.nan, 0.5).astype(np.float32),
        "silence": np.zeros((12_000, 1), np.float32),
        "full": np.sign(random_sound(3, 0.25)),
    }[kind]
    stage = STAGES[name](chosen, 1, BLOCK)
    out = run(stage, np.ascontiguousarray(sound), data.draw(st.sampled_from([32, 100, 480, 1024])))
    assert np.isfinite(out).all()
    # The most gain there is: 40 dB of trim, six bells and two shelves of 15 dB at one place.
    assert np.abs(out).max() <= 10 ** (130 / 20)
    if kind == "silence":
        assert not out.any()
    for value in stage.take_reading().values():
        assert np.isfinite(np.asarray(value, float)).all()


@every_stage
def test_reset_forgets_all_sound(name: str) -> None:
    stage = place_of(name).stage
    fresh = run(stage, random_sound(3))
    run(stage, random_sound(4) * 100)
    stage.reset()
    np.testing.assert_array_equal(fresh, run(stage, random_sound(3)))


@every_stage
def test_bypass_is_a_delay_of_the_latency(name: str) -> None:
    place = place_of(name, is_bypassed=True)
    impulse = np.zeros((4000, 1), np.float32)
    impulse[100] = 0.5
    out = through(place, impulse, 256)
    assert np.flatnonzero(out).tolist() == [100 + place.latency_frames]


@every_stage
def test_the_stage_itself_has_the_latency_it_declares(name: str) -> None:
    """The greatest correlation of output with input lies at the declared latency."""
    stage = place_of(name).stage
    sound = random_sound(5, 0.3) * 0.2
    out = run(stage, sound)[:, 0]
    lags = np.arange(0, 1200)
    match = [np.dot(out[lag:], sound[: len(out) - lag, 0]) for lag in lags]
    turned = 5 if name in ("de_esser", "three_band") else 0  # A crossover turns the phase.
    assert abs(lags[int(np.argmax(match))] - stage.latency_frames) <= turned


def energy_off_tone_db(sound: np.ndarray, hz: float) -> float:
    """Energy away from a tone (and from its slow change of level), relative to it, in dB."""
    windowed = sound * np.blackman(len(sound))
    power = np.abs(np.fft.rfft(windowed)) ** 2
    near = np.abs(np.fft.rfftfreq(len(sound), 1 / RATE_HZ) - hz) < 200
    return float(10 * np.log10(power[~near].sum() / power[near].sum()))


JUMPS: list[tuple[str, dict[str, Any]]] = [
    ("trim", {"gain_db": -20.0}),
    ("trim", {"is_polarity_inverted": True}),
    ("trim", {"is_dc_removed": False}),
    ("high_pass", {"frequency_hz": 200.0}),
    ("high_pass", {"slope_db_per_octave": 24}),
    ("eq", {"bell_3": BellBand(frequency_hz=1000.0, gain_db=12.0, q=2.0)}),
    ("eq", {"bell_3": BellBand(frequency_hz=900.0, gain_db=-15.0, q=0.4)}),
    ("eq", {"high_pass": HighPassBand(is_on=True, frequency_hz=400.0, slope_db_per_octave=24)}),
    ("eq", {"low_shelf": LowShelfBand(frequency_hz=1000.0, gain_db=15.0)}),
    ("gate", {"range_db": 60.0}),
    ("gate", {"look_ahead_ms": 8.0}),
    ("gate", {"open_threshold_dbfs": -5.0, "close_threshold_dbfs": -5.0, "hold_ms": 0.0}),
    ("compressor", {"threshold_dbfs": -60.0, "attack_ms": 0.1}),
    ("compressor", {"makeup_gain_db": 30.0}),
    ("compressor", {"ratio": 20.0, "knee_db": 0.0}),
    ("compressor", {"mix_percent": 0.0}),
    ("compressor", {"is_makeup_automatic": True}),
    ("suppressor", {"reduction_db": 0.0}),
    ("suppressor", {"emphasis_percent": 0.0, "clatter_db": 0.0}),
    ("de_esser", {"frequency_hz": 2000.0}),
    ("de_esser", {"threshold_db": -30.0, "amount_db": 24.0}),
    ("three_band", {"lower_hz": 990.0}),
    ("three_band", {"middle": BandSettings(threshold_dbfs=-60.0, ratio=20.0)}),
    ("leveller", {"target_lufs": -40.0, "speed_db_per_s": 6.0}),
    ("limiter", {"ceiling_dbtp": -24.0}),
]


@pytest.mark.parametrize(("name", "jump"), JUMPS, ids=str)
def test_a_jump_of_a_setting_makes_no_click(name: str, jump: dict[str, Any]) -> None:
    place = place_of(name)
    sound = tone(1000, -18, 2.0)
    changed = default_slot(name).settings.model_copy(update=jump)
    out = sound.copy()
    for number, start in enumerate(range(0, len(out), 480)):
        if number == 100:
            place.apply(place.slot.model_copy(update={"settings": changed}))
        run_all(place.steps, out[start : start + 480])
    around = out[int(0.85 * RATE_HZ) : int(1.5 * RATE_HZ), 0]
    assert energy_off_tone_db(around, 1000) < -60


@every_stage
def test_bypassing_makes_no_click_and_moves_nothing_in_time(name: str) -> None:
    place = place_of(name)
    out = tone(1000, -18, 2.0)
    for number, start in enumerate(range(0, len(out), 480)):
        if number in (100, 150):
            place.apply(place.slot.model_copy(update={"is_bypassed": number == 100}))
        run_all(place.steps, out[start : start + 480])
    assert energy_off_tone_db(out[int(0.85 * RATE_HZ) :, 0], 1000) < -60
    assert peak_db(out[int(1.2 * RATE_HZ) : int(1.4 * RATE_HZ)]) == pytest.approx(-18, abs=0.01)
