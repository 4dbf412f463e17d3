"""Devices: the attic's preamp, files good and bad, clocks, rates, and what goes wrong on request."""

import os
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from goshawk.cli.bench_drift import residue_db
from goshawk.core.dsp.rate_matcher import RateMatcher
from goshawk.core.measure.recording import measure_recording
from goshawk.core.rig import Rig
from goshawk.core.routing import CallServiceSettings
from goshawk.core.stage import Block
from goshawk.devices.base import LoopSource
from goshawk.devices.browser import BrowserMicrophone
from goshawk.devices.call_service import RETURN_DB, RETURN_MS, CallService
from goshawk.devices.catalog import DEVICES
from goshawk.devices.encoder import Encoder
from goshawk.devices.file import PIECE_FRAMES, FileSource, convert_sound_file, read_sound_file
from goshawk.devices.port import Port
from goshawk.devices.rack import Rack
from goshawk.errors import BadSoundFile, GoshawkError
from tests.conftest import RATE_HZ, AtticMicrophone, peak_db, random_sound, rig_with, tone


def hear(attic: AtticMicrophone, performance: str, gain_db: float, seconds: float = 6.0) -> Block:
    attic.perform(performance)  # type: ignore[arg-type]
    attic.set_preamp_gain_db(gain_db)
    attic.read(np.zeros((RATE_HZ // 2, 2), np.float32))
    sound = np.zeros((round(seconds * RATE_HZ), 2), np.float32)
    attic.read(sound)
    return sound


def test_the_attic_performs_as_asked_and_its_converter_clips() -> None:
    attic = AtticMicrophone()
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
    looped, once = (FileSource(tmp_path / "ramp.npy", is_looped) for is_looped in (True, False))
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


@pytest.mark.parametrize("ppm", [-200, 200])
def test_two_clocks_apart_neither_gap_nor_drift(ppm: int) -> None:
    """Three simulated minutes of sound: the delay stays, nothing drops out, the tone stays clean."""
    matcher = RateMatcher(1, 48_000, 25.0)
    rate = 48_000 * (1 + ppm * 1e-6)
    pushed, out, ages = 0, [], []
    block = np.zeros((256, 1), np.float32)
    for number in range(180 * 48_000 // 256):
        now_s = (number + 1) * 256 / 48_000
        while (pushed + 256) / rate <= now_s:
            n = np.arange(pushed, pushed + 256)
            pushed += 256
            wave = 0.1 * np.sin(2 * np.pi * 1000 * n / rate)
            matcher.push(wave[:, None].astype(np.float32), pushed / rate)
        matcher.pull(block, now_s)
        ages.append(matcher.reading()["age_ms"])
        out.append(block[:, 0].copy())
    assert (matcher.dropouts, matcher.overruns) == (0, 0)
    assert np.abs(np.array(ages[len(ages) // 2 :]) - 25.0).max() < 0.1
    assert matcher.reading()["clock_ppm"] == pytest.approx(ppm, abs=5)
    assert residue_db(np.concatenate(out[-2000:]), 1000) < -80


class _Counted:
    """Stands in for the converter: as many frames as it would give, without their sound."""

    def __init__(self, rate_hz: float) -> None:
        self._ratio, self._left = RATE_HZ / rate_hz, 0.0

    def set_io_ratio(self, rate_in: float, rate_out: float, slew: int) -> None:
        self._ratio = rate_out / rate_in

    def resample_chunk(self, piece: Block) -> Block:
        self._left += len(piece) * self._ratio
        count, self._left = int(self._left), self._left % 1.0
        return piece[np.zeros(count, int)]


class _CountingMatcher(RateMatcher):
    def _make_stream(self, rate_hz: float) -> _Counted:
        return _Counted(rate_hz)


@pytest.mark.endurance
def test_after_hours_the_delay_is_what_it_was() -> None:
    """Two hours are 1.4 s of difference; ``goshawk bench-drift`` runs eight."""
    matcher = _CountingMatcher(1, 48_000, 120.0)
    rate, packet, block = 48_000 * (1 + 200e-6), 1920, np.zeros((2048, 1), np.float32)
    piece, pushed, least, ages = np.zeros((packet, 1), np.float32), 0, 1e9, []
    for number in range(2 * 3600 * 48_000 // 2048):
        now_s = (number + 1) * 2048 / 48_000
        while (pushed + packet) / rate <= now_s:
            pushed += packet
            matcher.push(piece, pushed / rate)
        if matcher.pull(block, now_s):
            reading = matcher.reading()
            least = min(least, reading["fill_ms"])
            ages.append(reading["age_ms"])
    assert (matcher.dropouts, matcher.overruns) == (0, 0)
    assert least > 0, "the buffer is never empty"
    assert np.abs(np.array(ages[2000:]) - 120.0).max() < 1.0


def through_a_device(hz: float, rate_hz: int, seconds: float = 3.0) -> Block:
    """A tone of -6 dBFS from a device of another rate, as the engine gets it."""
    matcher, out = RateMatcher(1, rate_hz, 40.0), []
    for start in range(0, round(seconds * rate_hz), 441):
        n = np.arange(start, start + 441)
        now_s = (start + 441) / rate_hz
        matcher.push(
            (0.5 * np.sin(2 * np.pi * hz * n / rate_hz))[:, None].astype(np.float32), now_s
        )
        block = np.zeros((480, 1), np.float32)
        matcher.pull(block, now_s)
        out.append(block)
    return np.concatenate(out)[-2 * RATE_HZ :, 0]


@pytest.mark.parametrize("hz", [20, 1000, 10_000, 18_000, 20_000])
def test_44100_hz_arrives_flat_to_20_khz_and_without_images(hz: float) -> None:
    sound = through_a_device(hz, 44_100)
    spectrum = np.abs(np.fft.rfft(sound * np.blackman(len(sound))))
    level = spectrum.max() / (np.blackman(len(sound)).sum() / 2)
    assert 20 * np.log10(level) == pytest.approx(-6.02, abs=0.1)
    bins = np.fft.rfftfreq(len(sound), 1 / RATE_HZ)
    elsewhere = spectrum[np.abs(bins - hz) > 15]
    assert 20 * np.log10(elsewhere.max() / spectrum.max()) < -100


@pytest.mark.parametrize("rate_hz", [8_000, 16_000, 44_100, 48_000, 96_000])
def test_the_age_of_what_is_given_out_is_the_measured_delay(rate_hz: int) -> None:
    """A click is given out as late as the matcher says."""
    matcher, out = RateMatcher(1, rate_hz, 70.0), []
    at = round(0.5 * rate_hz)
    for number in range(200):
        start, now_s = number * rate_hz // 100, (number + 1) / 100
        piece = np.zeros((rate_hz // 100, 1), np.float32)
        if start <= at < start + len(piece):
            piece[at - start] = 1.0
        matcher.push(piece, now_s)
        block = np.zeros((480, 1), np.float32)
        matcher.pull(block, now_s)
        out.append(block)
    came = int(np.argmax(np.abs(np.concatenate(out))))
    # The block given out at a time begins with the sound that is then as old as the age.
    given_ms = came / 48 + 10
    assert given_ms - 500 == pytest.approx(matcher.target_ms, abs=0.5)


def test_a_rate_that_is_not_what_is_said_is_found_by_counting() -> None:
    port = Port(DEVICES["game"], LoopSource(tone(1000, -20, 1.0, channels=2)))
    port.fault("delivers", 44_100)
    heard = []
    for number in range(8 * RATE_HZ // 256):
        block = np.zeros((256, 2), np.float32)
        port.read(block, (number + 1) * 256 / RATE_HZ)
        heard.append(block)
    status = port.status()
    assert (status["rate_hz"], status["counted_rate_hz"]) == (48_000, 44_100)
    sound = np.concatenate(heard)[-2 * RATE_HZ :, 0]
    assert residue_db(sound, 1000) < -60, "and it sounds as it should"


def test_faults_of_a_device_are_shown_and_mended() -> None:
    rack = Rack(1024)
    rack.apply(Rig())

    def run(seconds: float) -> dict[str, Any]:
        for _ in range(round(seconds * RATE_HZ / 256)):
            blocks = rack.read(256, {"attic", "laptop", "game"})
        assert set(blocks) == {"attic", "laptop", "game"}
        return rack.statuses()

    run(40.0)
    before = run(0.1)
    assert before["laptop"]["clock_ppm"] == pytest.approx(120, abs=10)
    assert before["laptop"]["rate_hz"] == 44_100
    rack.fault("game", "unplug", None)
    run(0.1)
    gone = run(0.1)["game"]
    assert (gone["state"], gone["peaks_dbfs"]) == ("unplugged", [-120.0, -120.0])
    rack.fault("game", "replug", None)
    assert run(0.5)["game"]["state"] == "playing"
    rack.fault("laptop", "stall", 200.0)
    assert run(1.0)["laptop"]["dropouts"] == 1
    rack.fault("game", "rate", 44_100.0)
    assert run(1.0)["game"]["rate_hz"] == 44_100
    rack.fault("game", "silence", None)
    run(0.5)
    assert run(0.5)["game"]["peaks_dbfs"][0] < -100
    rack.fault("game", "heal", None)
    mended = run(1.0)["game"]
    assert (mended["rate_hz"], mended["peaks_dbfs"][0] > -60) == (48_000, True)
    for device, name, value, error in [
        ("piano", "unplug", None, "no device"),
        ("game", "sing", None, "no fault"),
        ("game", "rate", 1e9, "but 1e"),
    ]:
        with pytest.raises(GoshawkError, match=error):
            rack.fault(device, name, value)


def test_the_laptop_hears_the_attic_and_loudspeakers_reach_both() -> None:
    """The leak is as loud as it is set, at the preamp's usual gain, and as late as the way is long."""
    rack = Rack(1024)
    rack.apply(
        rig_with(
            devices__attic__performance="silent",
            feeds__you__output="loudspeakers",
            devices__loudspeakers__leak_db=-20.0,
        )
    )
    played = tone(1000, -6, 0.5, channels=2)
    heard = []
    for start in range(0, len(played) - 256, 256):
        block = played[start : start + 256]
        heard.append(rack.read(256, {"attic"})["attic"][:, 0].copy())
        rack.play(block, block, block, is_late=False)
    assert peak_db(np.concatenate(heard)[-4800:]) == pytest.approx(-26, abs=0.3)


def test_the_browsers_microphone_at_44100_hz_arrives_at_its_level_and_ends_in_silence() -> None:
    microphone = BrowserMicrophone()
    out = []
    for number in range(300):
        n = np.arange(number * 441, (number + 1) * 441)
        piece = 0.1 * np.sin(2 * np.pi * 1000 * n / 44_100)
        microphone.now_s = (number + 1) / 100
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


def through_the_call(settings: CallServiceSettings, sound: Block) -> Block:
    """What comes back from the call while ``sound`` is sent into it."""
    service, back = CallService(1024), []
    service.apply(settings)
    for start in range(0, len(sound) - 480, 480):
        block = np.zeros((480, 1), np.float32)
        service.take(sound[start : start + 480])
        service.read(block)
        back.append(block)
    return np.concatenate(back)


def test_the_call_sends_back_late_and_treats_the_voice_if_it_is_asked_to() -> None:
    quiet = {"is_talking": False}
    sound = tone(500, -30, 4.0, channels=2)
    assert not through_the_call(CallServiceSettings(**quiet), sound)[4800:].any()
    back = through_the_call(CallServiceSettings(**quiet, sends_back=True), sound)
    first = int(np.argmax(np.abs(back) > 1e-3))
    assert first / 48 == pytest.approx(RETURN_MS, abs=5)
    assert peak_db(back[-RATE_HZ:]) == pytest.approx(-30 + RETURN_DB, abs=0.1)
    rides = CallServiceSettings(**quiet, sends_back=True, has_gain_control=True)
    assert peak_db(through_the_call(rides, sound)[-RATE_HZ:]) > -30 + RETURN_DB + 8
    hiss = 0.002 * random_sound(2, 4.0, 2)
    thins = CallServiceSettings(**quiet, sends_back=True, has_suppression=True)
    plain = through_the_call(CallServiceSettings(**quiet, sends_back=True), hiss)
    thinned = through_the_call(thins, hiss)
    assert np.sqrt(np.mean(thinned**2)) < 0.3 * np.sqrt(np.mean(plain**2))
    assert CallService(64).status() == {"state": "playing", "processing": []}


def test_the_encoder_says_what_it_gets() -> None:
    encoder = Encoder()
    encoder.take(tone(1000, -7, 0.01, channels=2))
    encoder.take(tone(1000, -20, 0.01, channels=2), is_late=True)
    assert encoder.status() == {
        "peak_dbfs": pytest.approx(-7, abs=0.1),
        "gaps": 1,
        "is_silent": False,
    }
    for _ in range(220):
        encoder.take(np.zeros((480, 2), np.float32))
    assert encoder.status() == {"peak_dbfs": -120.0, "gaps": 1, "is_silent": True}


def test_a_file_that_has_ended_loops_from_its_beginning_and_one_of_whole_blocks_ends(
    tmp_path: Path,
) -> None:
    """It once read beyond its end when Loop was switched on, and restarted for ever if it was whole blocks long."""
    sound = np.arange(1, 513, dtype=np.float32)[:, None] / 1000
    np.save(tmp_path / "two_blocks.npy", sound)
    source = FileSource(tmp_path / "two_blocks.npy", is_looped=False)
    block = np.ones((256, 1), np.float32)
    for wanted in (sound[:256], sound[256:]):
        source.read(block)
        np.testing.assert_array_equal(block, wanted)
    for _ in range(3):
        source.read(block)
        assert not block.any()
        assert source.status()["state"] == "ended"
    source.is_looped = True
    source.read(block)
    np.testing.assert_array_equal(block, sound[:256])
    source.read(block)
    source.read(block)
    np.testing.assert_array_equal(block, sound[:256])


def without_length(flac: bytes) -> bytes:
    """A FLAC whose writer could not go back: its STREAMINFO says 0 samples in all."""
    changed = bytearray(flac)
    at = 4 + 4 + 13  # marker, block header, and what stands before the lower half of the byte
    changed[at] &= 0xF0
    changed[at + 1 : at + 5] = bytes(4)
    return bytes(changed)


def test_a_flac_from_a_pipe_is_as_long_as_it_is(tmp_path: Path) -> None:
    sound = random_sound(3, 2.0) * 0.1
    soundfile.write(tmp_path / "told.flac", sound, RATE_HZ)
    (tmp_path / "piped.flac").write_bytes(without_length((tmp_path / "told.flac").read_bytes()))
    assert soundfile.info(tmp_path / "piped.flac").frames != len(sound)
    told, piped = (read_sound_file(tmp_path / f"{name}.flac")[0] for name in ("told", "piped"))
    np.testing.assert_array_equal(told, piped)


def test_a_file_is_read_and_kept_in_pieces_whatever_its_rate(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Some minutes at 384 kHz once took gigabytes: no more than a piece is held beside the result."""
    soundfile.write(tmp_path / "fine.flac", random_sound(4, 4.0, channels=2) * 0.1, 384_000)
    real, largest = soundfile.SoundFile.read, [0]

    def counted(self: soundfile.SoundFile, frames: int = -1, **given: Any) -> Any:
        piece = real(self, frames, **given)
        largest[0] = max(largest[0], len(piece))
        return piece

    monkeypatch.setattr(soundfile.SoundFile, "read", counted)
    whole, rate_hz = read_sound_file(tmp_path / "fine.flac")
    kept = convert_sound_file(tmp_path / "fine.flac", "fine", tmp_path / "fine.npy")
    assert largest[0] <= PIECE_FRAMES
    assert kept == (rate_hz, 2, len(whole)) == (384_000, 2, 24_000)
    np.testing.assert_array_equal(np.load(tmp_path / "fine.npy", mmap_mode="r"), whole)


def test_samples_far_beyond_full_scale_and_pipes_are_refused(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "huge.wav", np.full(4800, 1e30), RATE_HZ, subtype="FLOAT")
    with pytest.raises(BadSoundFile, match="60 dB above full scale"):
        read_sound_file(tmp_path / "huge.wav")
    os.mkfifo(tmp_path / "pipe.wav")
    with pytest.raises(BadSoundFile, match="Save the sound to a file"):
        read_sound_file(tmp_path / "pipe.wav")
