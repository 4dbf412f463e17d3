"""Advice on the microphone's gain, on the stand-in's voice at every setting of its preamp."""

import numpy as np
import pytest

from goshawk.core.measure.levels import HOP_FRAMES, PAUSE, SPEECH, HopMeter, hops_in_db
from goshawk.core.measure.speech_activity import SpeechActivity
from goshawk.core.rules.gain import (
    LANDING_HIGH_DBFS,
    LANDING_LOW_DBFS,
    GainCheck,
    gain_advice,
    usual_peaks_dbfs,
)
from goshawk.devices.catalog import DEVICES
from tests.conftest import AtticMicrophone, rig_with


def listen(performance: str, preamp_gain_db: float) -> tuple[np.ndarray, np.ndarray]:
    """Ten seconds of peaks and activity, after eight in which the room becomes known."""
    attic, activity, meter = AtticMicrophone(), SpeechActivity(), HopMeter()
    attic.perform(performance)  # type: ignore[arg-type]
    attic.set_preamp_gain_db(preamp_gain_db)
    block = np.zeros((HOP_FRAMES, 2), np.float32)
    peaks, said = [], []
    for hop in range(1800):
        attic.read(block)
        left = np.ascontiguousarray(block[:, :1])
        activity.listen(left)
        meter.measure(left)
        peaks.append(hops_in_db(meter.hops(hop, 1))[0, 1])
        said.append(int(activity.decisions(hop, 1)[0]))
    return np.array(peaks[800:]), np.array(said[800:])


@pytest.mark.parametrize("preamp_gain_db", range(0, 61, 10))
def test_after_following_the_advice_once_usual_peaks_land_in_the_zone(
    preamp_gain_db: float,
) -> None:
    rig = rig_with(devices__attic__preamp_gain_db=preamp_gain_db)
    advice = gain_advice(*listen("talk", preamp_gain_db), rig, DEVICES)
    assert advice.is_clipping == (preamp_gain_db == 60), (
        "a loud recording is told from a clipped one"
    )
    if advice.verdict == "good":
        assert advice.mend is None
        gain = preamp_gain_db
    else:
        assert advice.mend is not None
        gain = advice.mend.changes["devices.attic.preamp_gain_db"]
        assert isinstance(gain, float)
        assert (advice.verdict == "raise") == (gain > preamp_gain_db)
    found = usual_peaks_dbfs(*listen("talk", gain))
    assert found is not None
    assert LANDING_LOW_DBFS <= found[0] <= LANDING_HIGH_DBFS
    assert not found[1]


def test_without_enough_speech_it_waits_and_a_knock_is_no_clipping() -> None:
    rig = rig_with()
    silence = np.full(1000, -60.0)
    assert gain_advice(silence, np.full(1000, PAUSE), rig, DEVICES).verdict == "waiting"
    assert gain_advice(*listen("silent", 36.0), rig, DEVICES).verdict == "waiting"
    speech = np.full(1000, -14.0)
    speech[:5] = 0.0
    advice = gain_advice(speech, np.full(1000, SPEECH), rig, DEVICES)
    assert (advice.verdict, advice.is_clipping) == ("good", False)


def test_a_preamp_that_cannot_be_set_from_here_is_an_instruction_to_the_hand() -> None:
    quiet = np.full(1000, -30.0)
    advice = gain_advice(
        quiet, np.full(1000, SPEECH), rig_with(inputs__voice__device="browser"), DEVICES
    )
    assert advice.mend is None
    assert advice.text == "Your usual peaks reach −30 dBFS. Turn the preamp up by 16 dB."


def test_the_guided_minute_counts_speech_and_the_loudest_moment() -> None:
    check = GainCheck()
    check.push(np.full(100, -14.0), np.full(100, SPEECH), rig_with(), DEVICES)
    assert check.minute.speech_s == 0, "nothing is measured before it is started"
    check.start()
    for _ in range(19):
        check.push(np.full(100, -14.0), np.full(100, SPEECH), rig_with(), DEVICES)
    assert check.minute.is_running
    assert check.minute.speech_s == 19
    laugh = np.full(100, -14.0)
    laugh[:3] = -1.0
    check.push(laugh, np.full(100, SPEECH), rig_with(), DEVICES)
    assert not check.minute.is_running
    result = check.minute.result
    assert result is not None
    assert (result.verdict, result.by_db) == ("lower", -2.0)
    assert "loudest" in result.text
    # A minute without speech ends too, and says why.
    check.start()
    check.push(np.full(6000, -60.0), np.full(6000, PAUSE), rig_with(), DEVICES)
    assert check.minute.result is not None
    assert "too little speech" in check.minute.result.text
