"""Devices: the attic's preamp, files good and bad, the browser's microphone at another clock."""

from pathlib import Path

import numpy as np
import pytest
import soundfile

from goshawk.core.dsp.rate_matcher import RateMatcher
from goshawk.core.measure.recording import measure_recording
from goshawk.core.stage import Block
from goshawk.devices.attic import Attic
from goshawk.devices.browser import BrowserMicrophone
from goshawk.devices.file import FileMicrophone, read_sound_file
from goshawk.errors import BadSoundFile
from tests.conftest import RATE_HZ, peak_db, tone


def hear(attic: Attic, performance: str, gain_db: float, seconds: float = 6.0) -> Block:
    attic.perform(performance)  # type: ignore[arg-type]
    attic.set_preamp_gain_db(gain_db)
    attic.read(np.zeros((RATE_HZ // 2, 2), np.float32))
    sound = np.zeros((round(seconds * RATE_HZ), 2), np.float32)
    attic.read(sound)
    return sound


def test_the_attic_performs_as_asked_and_its_converter_clips() -> None:
    attic = Attic()
    level = {
        name: measure_recording(hear(attic, name, 36.0)[:, :1])
        for name in ("silent", "murmur", "talk", "laugh")
    }
    speech = {name: level[name]["speech_level_dbfs"] for name in ("murmur", "talk", "laugh")}
    assert level["silent"]["speech_level_dbfs"] is None
    assert speech["murmur"] < speech["talk"] - 8
    assert speech["laugh"] > speech["talk"] + 5
    assert -70 < level["silent"]["noise_floor_dbfs"] < -58
    # Ten dB of preamp are ten dB, until the converter ends at full scale.
    louder = measure_recording(hear(attic, "silent", 46.0)[:, :1])
    gained = louder["noise_floor_dbfs"] - level["silent"]["noise_floor_dbfs"]
    assert gained == pytest.approx(10, abs=1)
    clipped = hear(attic, "laugh", 60.0)
    assert np.abs(clipped).max() == 1.0
    assert np.mean(np.abs(clipped[:, 0]) == 1.0) > 0.01
    assert peak_db(clipped[:, 1]) < -40, "nothing is plugged into the right channel"


@pytest.mark.parametrize("rate_hz", [16_000, 44_100, 48_000, 96_000])
@pytest.mark.parametrize("suffix", [".wav", ".flac", ".ogg"])
def test_files_of_any_rate_come_at_48_khz(tmp_path: Path, suffix: str, rate_hz: int) -> None:
    path = tmp_path / f"tone{suffix}"
    t = np.arange(rate_hz) / rate_hz
    soundfile.write(path, 0.1 * np.sin(2 * np.pi * 1000 * t), rate_hz)
    sound, own_rate_hz = read_sound_file(path)
    assert own_rate_hz == rate_hz
    assert sound.shape == (RATE_HZ, 1)
    assert peak_db(sound[RATE_HZ // 4 : RATE_HZ // 2]) == pytest.approx(-20, abs=0.3)


def test_bad_files_are_refused_with_a_sentence(tmp_path: Path) -> None:
    def made(name: str, content: bytes) -> Path:
        path = tmp_path / name
        path.write_bytes(content)
        return path

    good = tmp_path / "good.wav"
    soundfile.write(good, np.zeros((1000, 1)), 8000)
    soundfile.write(tmp_path / "nan.wav", np.full(100, np.nan, np.float32), 8000, subtype="FLOAT")
    soundfile.write(tmp_path / "none.wav", np.zeros(0), 8000)
    soundfile.write(tmp_path / "six.wav", np.zeros((10, 6)), 8000)
    soundfile.write(tmp_path / "long.wav", np.zeros(4000 * 1801, np.int16), 4000)
    for path, sentence in [
        (made("text.wav", b"hello"), "cannot be read as sound"),
        (made("empty.wav", b""), "cannot be read as sound"),
        (made("cut.wav", good.read_bytes()[:600]), "cut short"),
        (tmp_path / "nan.wav", "no numbers"),
        (tmp_path / "none.wav", "no sound"),
        (tmp_path / "six.wav", "6 channels"),
        (tmp_path / "long.wav", "longer than 30 minutes"),
        (tmp_path / "missing.wav", "does not exist"),
    ]:
        with pytest.raises(BadSoundFile, match=sentence):
            read_sound_file(path)


def test_a_file_plays_looped_or_once(tmp_path: Path) -> None:
    np.save(tmp_path / "ramp.npy", np.arange(10, dtype=np.float32)[:, None])
    looped, once = (FileMicrophone(tmp_path / "ramp.npy", is_looped) for is_looped in (True, False))
    block = np.zeros((8, 1), np.float32)
    heard = []
    for _ in range(2):
        looped.read(block)
        heard += block[:, 0].tolist()
    assert heard == [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 0, 1, 2, 3, 4, 5]
    once.read(block)
    once.read(block)
    assert block[:, 0].tolist() == [8, 9, 0, 0, 0, 0, 0, 0]
    assert once.status()["state"] == "ended"


@pytest.mark.parametrize("ppm", [-300, 0, 300])
def test_two_clocks_apart_neither_gap_nor_drift(ppm: int) -> None:
    """Ten simulated minutes: the delay stays, nothing drops out, the tone stays clean."""
    matcher = RateMatcher(1, 48_000, 60.0)
    rate = 48_000 * (1 + ppm * 1e-6)
    pushed, out, fills = 0, [], []
    block = np.zeros((256, 1), np.float32)
    for number in range(600 * 48_000 // 256):
        due = int((number + 1) * 256 / 48_000 * rate / 480) * 480
        if due > pushed:
            n = np.arange(pushed, due)
            matcher.push((0.1 * np.sin(2 * np.pi * 1000 * n / 48_000))[:, None].astype(np.float32))
            pushed = due
        matcher.pull(block)
        if number % 100 == 0:
            fills.append(matcher.reading()["fill_ms"])
        if number > 600 * 48_000 // 256 - 400:
            out.append(block[:, 0].copy())
    assert matcher.dropouts == 0
    assert matcher.overruns == 0
    assert np.ptp(fills[len(fills) // 2 :]) < 12, "one piece of 10 ms comes and goes"
    assert matcher.reading()["clock_ppm"] == pytest.approx(ppm, abs=60)
    sound = np.concatenate(out)
    power = np.abs(np.fft.rfft(sound * np.blackman(len(sound)))) ** 2
    near = np.abs(np.fft.rfftfreq(len(sound), 1 / RATE_HZ) - 1000) < 20
    assert 10 * np.log10(power[~near].sum() / power[near].sum()) < -70


def test_the_browsers_microphone_at_44100_hz_arrives_at_its_level_and_ends_in_silence() -> None:
    microphone = BrowserMicrophone()
    out = []
    for number in range(300):
        n = np.arange(number * 441, (number + 1) * 441)
        piece = 0.1 * np.sin(2 * np.pi * 1000 * n / 44_100)
        microphone.push(44_100, piece[:, None].astype(np.float32))
        block = np.zeros((480, 2), np.float32)
        microphone.read(block)
        out.append(block)
    sound = np.concatenate(out)[RATE_HZ:]
    assert peak_db(sound) == pytest.approx(-20, abs=0.05)
    crossings = np.count_nonzero(np.diff(np.signbit(sound[:, 0])))
    assert crossings / 2 / (len(sound) / RATE_HZ) == pytest.approx(1000, rel=0.005)
    microphone.stop()
    block = tone(1000, 0, 0.01, channels=2)
    microphone.read(block)
    assert not block.any()
    assert microphone.status() == {"state": "waiting"}
