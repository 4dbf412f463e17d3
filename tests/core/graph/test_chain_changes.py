"""The chain while it plays: stages come, go and move; delays change; nothing clicks or is lost."""

import numpy as np
import pytest

from goshawk.core.chain_slots import (
    MOST_STAGES,
    CompressorSlot,
    GateSlot,
    LimiterSlot,
    TrimSlot,
    check_chain,
    default_chain,
)
from goshawk.core.dsp.delay import Delay
from goshawk.core.dsp.rate_matcher import RateMatcher
from goshawk.core.graph.chain import RunningChain
from goshawk.core.graph.mixer import Mixer
from goshawk.core.rig import Rig, changed
from goshawk.core.rig_changes import with_chain, without_stage
from tests.conftest import RATE_HZ, mix, peak_db, random_sound, rig_with, tone


def test_a_stage_that_stays_keeps_its_sound_when_others_come_and_go() -> None:
    """Two chains, one of which gains and loses a stage before the limiter, agree afterwards."""
    sound = random_sound(1, 1.0)
    steady, changing = (RunningChain(default_chain(), 1, 480) for _ in range(2))
    *others, limiter = default_chain()
    extra = TrimSlot(id="second")
    late = []
    for number, start in enumerate(range(0, len(sound) - 480, 480)):
        if number == 20:
            changing.apply((*others, extra, limiter))
        if number == 40:
            changing.apply((*others, limiter))
        one, two = sound[start : start + 480].copy(), sound[start : start + 480].copy()
        steady.process(one)
        changing.process(two)
        late.append(np.abs(one - two).max())
    assert max(late[:20]) == 0
    assert max(late[60:]) < 1e-6


def test_the_rules_of_the_list() -> None:
    by_stage = {slot.stage: slot for slot in default_chain()}
    trim, gate = by_stage["trim"], by_stage["gate"]
    compressor, limiter = by_stage["compressor"], by_stage["limiter"]
    assert check_chain(()) == ()
    with pytest.raises(ValueError, match="limiter must be the last"):
        check_chain((limiter, trim))
    with pytest.raises(ValueError, match="two stages are called 'gate'"):
        check_chain((gate, CompressorSlot(id="gate")))
    with pytest.raises(ValueError, match="at most 30"):
        check_chain(tuple(TrimSlot(id=f"t{n}") for n in range(MOST_STAGES + 1)))
    # Unusual orders and an empty chain are the user's choice.
    unusual = (compressor, gate, trim, LimiterSlot(id="end"))
    assert check_chain(unusual) == unusual


def test_an_empty_chain_and_a_chain_of_thirty_stages_pass_sound() -> None:
    sound = tone(1000, -20, 0.5, channels=2)
    many = tuple(
        (GateSlot if n % 2 else CompressorSlot)(id=f"s{n}", is_bypassed=True) for n in range(30)
    )
    for chain in ((), many):
        out = mix(with_chain(Rig(), "voice", chain, ""), {"attic": sound})
        assert peak_db(out[-4800:]) == pytest.approx(-20, abs=0.1)


def test_a_longer_look_ahead_moves_the_meters_with_it() -> None:
    """After the gate's look-ahead grows, a click is still in the same hop at every station."""
    rig = changed(Rig(), "inputs.voice.chain.gate.settings.open_threshold_dbfs", -37.0)
    mixer = Mixer(rig, 480)
    silence = np.zeros((480, 2), np.float32)
    for number in range(100):
        if number == 30:
            before = mixer.latency_frames()
            mixer.apply(changed(rig, "inputs.voice.chain.gate.settings.look_ahead_ms", 10.0))
            assert mixer.latency_frames() - before == 8 * 48
        block = silence.copy()
        if number == 90:
            block[100] = 0.5
        mixer.process({"attic": block}, 480)
        if number % 5 == 0 or number == 99:
            readings = mixer.take_readings()
            peaks = readings.hops[:, :, 1]
            if readings.first_hop <= 90 < readings.first_hop + peaks.shape[1]:
                at = [int(np.argmax(row)) + readings.first_hop for row in peaks[:6]]
                assert at == [90] * 6
                return
    raise AssertionError("the click was not measured")


def test_a_stage_of_twenty_ms_comes_and_goes_and_every_meter_keeps_its_hops() -> None:
    rig = Rig()
    without = without_stage(rig, "suppressor")
    mixer = Mixer(rig, 480)
    sound = {"attic": tone(1000, -20, 0.1, channels=2)}
    for number in range(20):
        mixer.apply(without if number % 2 else rig)
        assert np.isfinite(mix(mixer, sound, 480)).all()
        hops = mixer.take_readings().hops
        assert np.isfinite(hops).all()
        assert hops[..., 1].max() < 4


def test_stereo_voices_stay_stereo_and_going_back_to_mono_is_heard_on_both_sides() -> None:
    mixer = Mixer(rig_with(inputs__voice__channels="stereo"), 480)
    sides = np.concatenate([tone(500, -20, 1.0), tone(1500, -20, 1.0)], 1)

    def out(mixer: Mixer) -> np.ndarray:
        return mix(mixer, {"attic": sides}, 480)[RATE_HZ // 2 :]

    def loudest_hz(wave: np.ndarray) -> float:
        return float(np.argmax(np.abs(np.fft.rfft(wave))) * RATE_HZ / len(wave))

    stereo = out(mixer)
    assert [loudest_hz(stereo[:, side]) for side in (0, 1)] == [500, 1500]
    mixer.apply(changed(mixer.rig, "inputs.voice.channels", "right"))
    mono = out(mixer)
    assert [loudest_hz(mono[:, side]) for side in (0, 1)] == [1500, 1500]
    assert mixer.take_readings().hops.shape[1] > 0


def test_a_delay_changes_without_a_click_and_follows_the_newest_wish() -> None:
    delay = Delay(1, 4800, 0)
    sound = tone(200, -6, 1.0)
    out = sound.copy()
    for number, start in enumerate(range(0, len(out), 240)):
        if number in (40, 41, 42):
            delay.set_frames((480, 4000, 240)[number - 40])
        delay.process(out[start : start + 240])
    steps = np.abs(np.diff(out[:, 0]))
    assert steps.max() < 3 * np.abs(np.diff(sound[:, 0])).max()
    settled = RATE_HZ // 2
    np.testing.assert_array_equal(out[settled:], sound[settled - 240 : -240])


def test_a_burst_after_a_stall_is_skipped_to_the_wanted_delay() -> None:
    """Sound that was held up for two seconds and comes at once must not stay two seconds late."""
    matcher = RateMatcher(2, 48_000, 60.0)
    block = np.zeros((256, 2), np.float32)
    assert matcher.pull(block, 0.0) is False
    matcher.push(tone(1000, -20, 2.0, channels=2), 2.0)
    matcher.push(tone(1000, -20, 0.1, channels=2), 2.1)
    assert matcher.overruns >= 1
    assert matcher.reading()["fill_ms"] < 180
    while matcher.pull(block, 2.1):
        pass
    assert matcher.dropouts == 1
    assert not block.any()


def test_the_ceiling_of_every_feed_is_a_setting_of_the_rig() -> None:
    loud = {name: tone(1000, 0, 0.2, channels=2) for name in ("attic", "game", "player")}
    rig = rig_with(
        feeds__viewers__ceiling_dbtp=-12.0,
        targets__voice_peaks_dbfs=-12.0,
        feeds__you__ceiling_dbtp=-20.0,
        feeds__archive__has_ceiling=False,
        inputs__music__sends__archive__is_heard=True,
    )
    assert peak_db(mix(rig, loud)) <= -12
    assert peak_db(mix(rig, loud, feed="you")) <= -20
    assert peak_db(mix(rig, loud, feed="archive")) > 3
