"""Where sound leaves, and clocks that are followed in compiled code. Devices are played by the test: their side of the ring is
what their libraries call."""

import numpy as np
import pytest

from goshawk.cli.bench_drift import residue_db
from goshawk.core.dsp.clock_follower import Follower, phases_for
from goshawk.core.dsp.frame_ring import DROPOUTS, OVERRUNS, Ring, give, take
from goshawk.core.rig import Rig, changed_together
from goshawk.core.rig_changes import with_feed_as, with_output, without_input
from goshawk.core.stage import Block
from goshawk.devices.endpoint import Endpoint, split_pair
from goshawk.engine.loop import AudioLoop
from goshawk.engine.plan import Plan
from goshawk.errors import BadSetting

RATE_HZ = 48_000


class Device:
    """A device's side of a ring, at its own clock; what it played is kept."""

    def __init__(
        self, ring: Ring, rate_hz: float, ppm: float = 0.0, *, channels: int = 2, piece: int = 256
    ) -> None:
        self.ring, self.rate_hz = ring, rate_hz * (1.0 + ppm * 1e-6)
        self._piece = np.zeros((piece, channels), np.float32)
        self._pieces = 0
        self.played: list[Block] = []

    def _times(self, until_s: float) -> list[float]:
        frames = len(self._piece)
        times = []
        while (self._pieces + 1) * frames / self.rate_hz <= until_s:
            self._pieces += 1
            times.append(self._pieces * frames / self.rate_hz)
        return times

    def play(self, until_s: float) -> None:
        for at_s in self._times(until_s):
            take(self.ring.sound, self.ring.numbers, self._piece, round(at_s * 1e9))
            self.played.append(self._piece.copy())

    def capture_tone(self, until_s: float, hz: float) -> None:
        for at_s in self._times(until_s):
            frames = len(self._piece)
            place = np.arange(round(at_s * self.rate_hz) - frames, round(at_s * self.rate_hz))
            self._piece[:] = (0.5 * np.sin(2 * np.pi * hz * place / self.rate_hz))[:, None]
            give(self.ring.sound, self.ring.numbers, self._piece, round(at_s * 1e9))


def tone_block(number: int, frames: int, hz: float = 1000.0) -> Block:
    place = np.arange(number * frames, (number + 1) * frames)
    wave = 0.5 * np.sin(2 * np.pi * hz * place / RATE_HZ)
    return np.ascontiguousarray(np.repeat(wave[:, None], 2, 1), np.float32)


@pytest.mark.parametrize(
    ("rate_hz", "ppm"), [(48_000, 500.0), (48_000, -500.0), (44_100, 120.0), (96_000, 50.0)]
)
def test_a_tone_leaves_and_comes_in_clean_whatever_the_clock(rate_hz: int, ppm: float) -> None:
    now = np.zeros(1, np.int64)
    out_ring, in_ring = Ring(), Ring()
    out = Follower(out_ring, rate_hz, 20.0, now, is_output=True)
    into = Follower(in_ring, rate_hz, 20.0, now, is_output=False)
    player, source = Device(out_ring, rate_hz, ppm), Device(in_ring, rate_hz, ppm)
    heard, frames, ages = np.zeros((256, 2), np.float32), 256, []
    came: list[Block] = []
    for number in range(60 * RATE_HZ // frames):
        until_s = (number + 1) * frames / RATE_HZ
        player.play(until_s)
        source.capture_tone(until_s, 1000.0)
        now[0] = round(until_s * 1e9)
        out.step.run(tone_block(number, frames))
        into.step.run(heard)
        came.append(heard[:, 0].copy())
        ages.append((out.age_ms, into.age_ms))
    played = np.concatenate(player.played)[-10 * rate_hz :, 0]
    # What is played at the device's true rate is the tone; its samples are named at the rate it says.
    assert residue_db(played, 1000.0 * RATE_HZ / rate_hz / (1 + ppm * 1e-6)) < -90.0
    assert residue_db(np.concatenate(came)[-10 * RATE_HZ :]) < -90.0
    assert out.clock_ppm == pytest.approx(ppm, abs=3)
    assert into.clock_ppm == pytest.approx(ppm, abs=3)
    settled = np.array(ages[len(ages) // 2 :])
    assert np.ptp(settled, axis=0) == pytest.approx([0, 0], abs=0.5)
    for ring in (out_ring, in_ring):
        assert ring.numbers[DROPOUTS] == ring.numbers[OVERRUNS] == 0


def test_phases_let_constants_pass_and_keep_out_what_would_fold_back() -> None:
    assert phases_for(1.0).sum(axis=1) == pytest.approx(1.0, abs=1e-5)
    # Read twice as fast, 30 kHz of 96 kHz would come out as 18 kHz.
    rows = phases_for(2.0)[0].astype(float)
    place = np.arange(len(rows))
    response = abs(np.sum(rows * np.exp(-2j * np.pi * 30_000 / 96_000 * place)))
    assert 20 * np.log10(response) < -80.0


def test_one_that_runs_dry_is_counted_and_has_its_delay_again() -> None:
    now = np.zeros(1, np.int64)
    ring = Ring()
    follower, device = Follower(ring, RATE_HZ, 20.0, now, is_output=True), Device(ring, RATE_HZ)
    for number in range(4 * RATE_HZ // 256):
        until_s = (number + 1) * 256 / RATE_HZ
        device.play(until_s)
        now[0] = round(until_s * 1e9)
        if not 1.0 < until_s < 1.2:  # The engine stands still.
            follower.step.run(tone_block(number, 256))
    assert ring.numbers[DROPOUTS] == 1
    assert follower.age_ms == pytest.approx(20.0, abs=1.0)
    last = np.concatenate(device.played)[-RATE_HZ:, 0]
    assert residue_db(last) < -80.0


@pytest.mark.parametrize("piece", [64, 192, 480, 1024])
@pytest.mark.parametrize(("share", "runs_dry"), [(0.9, False), (1.5, True)])
def test_a_block_may_be_late_by_what_waits_whatever_the_device_takes_at_once(
    piece: int, share: float, runs_dry: bool
) -> None:
    now = np.zeros(1, np.int64)
    endpoint = Endpoint.of("out", "server:card", 256, 48.0)
    endpoint.chunk_frames = piece
    ring, target_ms = endpoint.ring, endpoint.target_ms
    follower = Follower(ring, RATE_HZ, target_ms, now, is_output=True)
    device = Device(ring, RATE_HZ, 80.0, piece=piece)
    for number in range(30 * RATE_HZ // 256):
        late_ms = share * target_ms if number % 97 == 96 else 0.0
        at_s = (number + 1) * 256 / RATE_HZ + late_ms / 1000.0
        device.play(at_s)
        now[0] = round(at_s * 1e9)
        follower.step.run(tone_block(number, 256))
    assert (ring.numbers[DROPOUTS] > 0) == runs_dry


def test_a_pair_of_many_channels_and_a_device_with_one() -> None:
    assert split_pair("server:card@3") == ("server:card", 2)
    assert split_pair("server:card") == ("server:card", 0)
    now = np.zeros(1, np.int64)
    for device, channels, expected in (
        ("server:card@3", 6, [0, 0, 0.25, 0.75, 0, 0]),
        ("server:small", 1, [0.5]),
    ):
        endpoint = Endpoint.of("out", device, 256, 20.0)
        follower = Follower(endpoint.ring, RATE_HZ, 20.0, now, is_output=True)
        player = Device(endpoint.ring, RATE_HZ, channels=channels)
        for number in range(40):
            player.play(number * 256 / RATE_HZ)
            now[0] = round(number * 256 / RATE_HZ * 1e9)
            follower.step.run(np.full((256, 2), (0.25, 0.75), np.float32))
        assert player.played[-1][-1] == pytest.approx(expected, abs=1e-4)


def test_two_outputs_of_one_feed_on_two_clocks_keep_their_delays() -> None:
    """Ten minutes; ``goshawk bench-drift --outputs`` runs eight hours."""
    now = np.zeros(1, np.int64)
    rings = Ring(), Ring()
    followers = [Follower(ring, RATE_HZ, 40.0, now, is_output=True) for ring in rings]
    devices = [Device(ring, RATE_HZ, ppm) for ring, ppm in zip(rings, (150.0, -150.0), strict=True)]
    ages = []
    for number in range(600 * RATE_HZ // 1024):
        until_s = (number + 1) * 1024 / RATE_HZ
        now[0] = round(until_s * 1e9)
        for follower, device in zip(followers, devices, strict=True):
            device.play(until_s)
            device.played.clear()
            follower.step.run(np.zeros((1024, 2), np.float32))
        if until_s > 60.0:
            ages.append([follower.age_ms for follower in followers])
    assert np.ptp(np.array(ages), axis=0).max() < 1.0
    assert not any(ring.numbers[DROPOUTS] or ring.numbers[OVERRUNS] for ring in rings)


# --- outputs in the engine --------------------------------------------------------------------------


class Playing:
    """The engine's loop with some of its outputs; what left by each stand-in is kept."""

    def __init__(self, rig: Rig) -> None:
        self.rig = rig
        self.loop = AudioLoop(Plan(rig=rig))

    def set(self, changes: dict[str, object]) -> None:
        self.rig = changed_together(self.rig, changes)
        self.loop.apply(self.rig)

    def plan(self, **update: object) -> None:
        self.loop.obey(self.loop.plan.model_copy(update=update))

    def run(self, seconds: float) -> None:
        for _ in range(round(seconds * RATE_HZ / self.rig.block_frames)):
            self.loop.run_block()

    def left(self, output: str, seconds: float = 0.1) -> float:
        """The highest peak that leaves by an output during some time."""
        highest = 0.0
        for _ in range(round(seconds * RATE_HZ / self.rig.block_frames)):
            self.loop.run_block()
            block = self.loop.outlets.outlets[output].block[: self.rig.block_frames]
            highest = max(highest, float(np.abs(block).max()))
        return highest


def test_an_input_of_its_own_output_is_shut_by_all_that_shuts_it() -> None:
    rig = with_output(with_output(Rig(), "input:voice", "monitor"), "came:game", "monitor")
    playing = Playing(rig)
    playing.run(1.0)
    voice, game = "output_1", "output_2"
    assert playing.left(voice, 1.5) > 0.01
    assert playing.left(game, 1.0) > 0.0
    for shut, opened in (
        ({"inputs.voice.is_muted": True}, {"inputs.voice.is_muted": False}),
        ({"is_on_break": True}, {"is_on_break": False}),
        ({"outputs.output_1.is_muted": True}, {"outputs.output_1.is_muted": False}),
    ):
        playing.set(shut)
        playing.run(0.3)
        assert playing.left(voice, 1.0) == 0.0, shut
        playing.set(opened)
        assert playing.left(voice, 2.0) > 0.01, opened
    playing.plan(is_coughing=True)
    playing.run(0.3)
    assert playing.left(voice, 1.0) == 0.0
    assert playing.left(game, 1.0) > 0.0, "the cough is the voices' alone"


def test_what_waits_in_an_outputs_delay_while_it_is_mute_is_not_heard_afterwards() -> None:
    rig = changed_together(
        with_output(Rig(), "viewers", "monitor"), {"outputs.output_1.delay_ms": 500.0}
    )
    playing = Playing(rig)
    playing.run(2.0)
    assert playing.left("output_1", 1.0) > 0.0
    playing.set({"outputs.output_1.is_muted": True})
    playing.run(0.4)
    assert playing.left("output_1", 1.0) == 0.0
    playing.set({"outputs.output_1.is_muted": False})
    assert playing.left("output_1", 0.45) == 0.0
    assert playing.left("output_1", 1.0) > 0.0


def test_levels_and_several_outputs_of_one_feed() -> None:
    rig = changed_together(
        with_output(Rig(), "viewers", "monitor"), {"outputs.output_1.level_db": -20.0}
    )
    playing = Playing(rig)
    playing.run(1.5)
    outlets = playing.loop.outlets
    frames = rig.block_frames
    playing.loop.run_block()
    quiet, loud = outlets.outlets["output_1"].block[:frames], outlets.outlets["broadcast"].block
    assert quiet == pytest.approx(loud[:frames] * 0.1, abs=1e-6)
    # The stand-in gets the sum of all that goes to it.
    ears = outlets.outlets["ears"].block[:frames]
    assert outlets.sums["monitor"][:frames] == pytest.approx(ears + quiet, abs=1e-6)


def test_changes_of_outputs() -> None:
    rig = with_output(Rig(), "input:game", "virtual")
    assert rig.outputs[-1].device == "virtual"
    assert not any(one.input_id for one in without_input(rig, "game").outputs)
    with pytest.raises(BadSetting, match="virtual microphone already"):
        with_output(rig, "input:game", "virtual")
    with pytest.raises(BadSetting, match="no input"):
        with_output(rig, "input:nobody", "")
    same = with_feed_as(rig, "viewers", "you")
    assert all(one.sends.viewers == one.sends.you for one in same.inputs)
