"""Whatever is measured, the rules of sound check and balance give settings that a rig takes, and keep their bounds."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from goshawk.core.dsp.compressor import CompressorSettings, reduction_at_db
from goshawk.core.dsp.equaliser import EqualiserSettings
from goshawk.core.dsp.gate import GateSettings
from goshawk.core.measure.levels import PAUSE, SPEECH
from goshawk.core.measure.long_term_spectrum import THIRD_CENTRES_HZ, Resonance
from goshawk.core.rig import Rig, changed_together
from goshawk.core.routing import MOST_TRIM_DB
from goshawk.core.rules.balance import PeaksHeard, moves
from goshawk.core.rules.sound_check import stages
from goshawk.core.rules.sound_check.advice import SPREAD_DB, Advice, Steadiness

levels = st.floats(-100.0, 6.0)
apart = st.floats(0.0, 100.0)
steadiness = st.sampled_from(list(SPREAD_DB))


def is_whole(advice: Advice) -> None:
    """A sentence, and settings that pass their own model; what is left out suggests nothing."""
    assert advice.reason.endswith(".")
    assert advice.title
    if advice.settings is None:
        assert advice.suggestions() == []
        return
    type(advice.settings).model_validate(advice.settings.model_dump())
    assert {one.setting for one in advice.suggestions()} == set(advice.names)


@given(levels, levels, st.none() | levels, apart, st.floats(0, 40), st.booleans(), st.floats(0, 12))
def test_a_gate_lies_between_room_and_speech_or_is_left_out(
    room: float,
    quiet: float,
    keys: float | None,
    under: float,
    taken: float,
    is_over_game: bool,
    lower: float,
) -> None:
    heard = stages.GateInput(room, quiet, keys, under, taken, is_over_game)
    advice = stages.plan_gate(heard, lower)
    is_whole(advice)
    gate = advice.settings
    if gate is None:
        return
    assert isinstance(gate, GateSettings)
    assert is_over_game
    assert quiet - room >= stages.LEAST_GATE_MARGIN_DB
    assert gate.close_threshold_dbfs < gate.open_threshold_dbfs
    if -70.0 < room < -10.0:
        # Rounded to whole decibels.
        assert room < gate.close_threshold_dbfs + 0.5
        assert gate.open_threshold_dbfs < quiet + 0.5


@given(
    st.lists(st.floats(-40, 40), min_size=len(THIRD_CENTRES_HZ), max_size=len(THIRD_CENTRES_HZ)),
    st.none() | st.floats(50, 400),
    st.floats(3, 60),
    st.none() | st.tuples(st.floats(150, 4000), st.floats(0, 30)),
)
def test_the_eq_makes_few_moves_and_no_bold_one(
    above: list[float], note: float | None, speech_s: float, ring: tuple[float, float] | None
) -> None:
    resonance = Resonance(frequency_hz=ring[0], over_db=ring[1]) if ring else None
    advice = stages.plan_eq(np.array(above), note, speech_s, resonance)
    is_whole(advice)
    if isinstance(advice.settings, EqualiserSettings):
        gains = [bell.gain_db for bell in advice.settings.bells if bell.gain_db]
        assert 1 <= len(gains) <= stages.MOST_MOVES + 1
        assert all(-stages.MOST_CUT_DB <= one <= stages.MOST_LIFT_DB for one in gains)


@given(levels, st.floats(0.5, 40), st.floats(-20, 60), steadiness)
def test_a_compressor_is_within_its_ranges_and_takes_more_off_what_is_louder(
    threshold: float, ratio: float, makeup: float, steady: Steadiness
) -> None:
    settings = stages.compressor_for(threshold, ratio, makeup, steady)
    CompressorSettings.model_validate(settings.model_dump())
    taken = [reduction_at_db(settings, level) for level in (-60.0, -40.0, -20.0, 0.0)]
    assert taken == sorted(taken)
    is_whole(stages.say_compressor(settings, 20.0, 10.0, -12.0, -3.0))


@given(levels, levels, st.booleans(), st.floats(-30, -1), apart, st.floats(0, 5), st.booleans())
def test_the_rest_is_whole_for_any_figures(
    usual: float,
    highest: float,
    has_compressor: bool,
    target: float,
    under: float,
    thumps: float,
    has_gate: bool,
) -> None:
    is_whole(stages.plan_preamp(usual, highest))
    is_whole(stages.plan_trim(usual, has_compressor, target))
    is_whole(stages.plan_high_pass(under + 40.0, under, under, int(thumps)))
    is_whole(stages.plan_high_pass(None, under, 100.0 - under, 0))
    is_whole(stages.plan_suppressor(under, None, has_gate, 0.0))
    is_whole(stages.plan_de_esser(usual / 4.0))
    is_whole(stages.plan_limiter(target))


@pytest.mark.parametrize("input_id", ["", "game"])
@given(
    voice=st.floats(-60, 0),
    game=st.floats(-75, 6),
    music=st.floats(-75, 6),
    trim=st.floats(-40, 40),
)
def test_a_press_brings_to_target_or_says_what_is_missing(
    input_id: str, voice: float, game: float, music: float, trim: float
) -> None:
    rig = changed_together(Rig(), {"inputs.game.trim_db": round(trim, 1)})
    activity = np.where(np.arange(2000) // 100 % 2 == 0, SPEECH, PAUSE).astype(np.int8)
    before = {"voice": voice, "game": game, "music": music}
    heard = PeaksHeard({name: np.full(2000, db) for name, db in before.items()}, activity)
    made = {one.input_id: one for one in moves(heard, rig, input_id)}
    after = {
        name: db + ((made[name].by_db or 0.0) if name in made else 0.0)
        for name, db in before.items()
    }
    for name, one in made.items():
        assert one.by_db is not None
        assert -MOST_TRIM_DB <= one.trim_db <= MOST_TRIM_DB
        if "are missing" in one.text:
            assert abs(one.trim_db) == MOST_TRIM_DB
        elif name == "voice":
            assert after["voice"] == pytest.approx(rig.targets.voice_peaks_dbfs, abs=0.2)
        else:
            wanted = rig.targets.clearance_db("game" if name == "game" else "music")
            assert after["voice"] - after[name] == pytest.approx(wanted, abs=0.2)
    assert set(made) == ({input_id} if input_id else set(before))
