"""Sound cards by a PortAudio that is played by the test: what is listed, opened, lost, found again, and refused."""

import sys
from collections.abc import Callable
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from goshawk.core.dsp.frame_ring import DROPOUTS, READ, TARGET, WRITTEN, put
from goshawk.core.rig import Rig, changed_together
from goshawk.core.rig_changes import with_output
from goshawk.devices import cards
from goshawk.devices import opener as opener_module
from goshawk.devices.cards import CardStreams, as_devices, list_cards
from goshawk.devices.computer import ComputerStreams, buffer_ms
from goshawk.devices.endpoint import Endpoint


class PortAudioError(Exception):
    pass


class Stream:
    """What a library's stream shows; ``callback`` is called by the test, as a driver's thread would."""

    def __init__(self, library: "PortAudio", **given: Any) -> None:
        self.given, self.callback = given, given["callback"]
        library.refuse(given)
        self.active, self.latency, self.is_closed = False, 0.011, False
        library.streams.append(self)

    def start(self) -> None:
        self.active = True

    def close(self) -> None:
        self.active, self.is_closed = False, True


class PortAudio:
    """The parts of ``sounddevice`` that are used."""

    def __init__(self) -> None:
        self.devices = [
            self.device("Desk card", 2, 8, 48_000.0),
            self.device("Old card\u202e", 0, 2, 44_100.0),
        ]
        self.plugged: list[dict[str, Any]] = []
        self.streams: list[Stream] = []
        self.initialised = 0
        self.refuse: Callable[[dict[str, Any]], None] = lambda given: None
        self.module = SimpleNamespace(
            PortAudioError=PortAudioError,
            query_devices=lambda index=None: self.devices if index is None else self.devices[index],
            query_hostapis=lambda index=None: [self.host] if index is None else self.host,
            RawOutputStream=lambda **given: Stream(self, **given),
            RawInputStream=lambda **given: Stream(self, **given),
            _terminate=lambda: None,
            _initialize=self._initialise,
        )
        self.host = {"name": "ALSA", "default_input_device": 0, "default_output_device": 1}

    @staticmethod
    def device(name: str, inputs: int, outputs: int, rate_hz: float) -> dict[str, Any]:
        return {
            "name": name, "hostapi": 0, "max_input_channels": inputs, "max_output_channels": outputs,
            "default_samplerate": rate_hz,
        }  # fmt: skip

    def _initialise(self) -> None:
        self.initialised += 1
        self.devices += self.plugged
        self.plugged = []


@pytest.fixture
def library(monkeypatch: pytest.MonkeyPatch) -> PortAudio:
    library = PortAudio()
    monkeypatch.setitem(sys.modules, "sounddevice", library.module)
    now = [0.0]

    def monotonic() -> float:
        now[0] += 2.0  # Every look is long after the one before.
        return now[0]

    monkeypatch.setattr(cards.time, "monotonic", monotonic)
    return library


def endpoint(direction: Any, device: str) -> Endpoint:
    return Endpoint.of(direction, device, 256, 20.0)


def test_cards_are_listed_pair_by_pair_with_what_they_can_do(library: PortAudio) -> None:
    found = list_cards()
    assert found.trouble == ""
    devices = {one.id: one for one in as_devices(found.cards, has_server=False)}
    pairs = [name for name in devices if name.startswith("card:ALSA|Desk card@")]
    assert pairs == [f"card:ALSA|Desk card@{first}" for first in (1, 3, 5, 7)]
    assert devices["card:ALSA|Desk card@3"].label == "Desk card, channels 3–4"
    assert devices["card:ALSA|Desk card"].is_default
    library.devices.append(library.device("pulse", 32, 32, 44_100.0))
    listed = [as_devices(list_cards().cards, has_server=there) for there in (True, False)]
    assert len(listed[0]) == len(devices), "what leads to the sound server is listed by it"
    assert len(listed[1]) == len(devices) + 32
    old = next(one for one in devices.values() if one.label == "Old card")
    assert (old.direction, old.rate_hz, old.is_default) == ("out", 44_100, True)


def test_a_library_that_fails_is_a_sentence(library: PortAudio) -> None:
    def fail(index: Any = None) -> Any:
        raise PortAudioError("driver")

    library.module.query_devices = fail
    assert "could not list" in list_cards().trouble


def test_an_output_plays_on_its_pair_and_a_capture_comes_from_its_own(library: PortAudio) -> None:
    streams = CardStreams()
    out, into = endpoint("out", "card:ALSA|Desk card@3"), endpoint("in", "card:ALSA|Desk card")
    streams.follow([out, into])
    assert [one.state for one in (out, into)] == ["playing", "playing"]
    assert [one.given["channels"] for one in library.streams] == [4, 2]
    assert out.device_ms == pytest.approx(11.0)
    numbers = out.ring.numbers
    numbers[TARGET] = 64
    for frame in range(256):
        put(out.ring.sound, frame, 0.25, 0.75)
    numbers[WRITTEN] = 256
    buffer = bytearray(64 * 4 * 4)
    library.streams[0].callback(buffer, 64, None, None)
    played = np.frombuffer(buffer, np.float32).reshape(-1, 4)
    assert played[0] == pytest.approx([0.0, 0.0, 0.25, 0.75])
    assert numbers[READ] == 256
    came = np.full((64, 2), (0.1, 0.2), np.float32).tobytes()
    library.streams[1].callback(came, 64, None, None)
    assert into.ring.waiting == 64
    streams.close()
    assert all(one.is_closed for one in library.streams)


def test_a_card_that_goes_is_opened_again_when_the_list_says_it_is_back(library: PortAudio) -> None:
    streams = CardStreams()
    out = endpoint("out", "card:ALSA|Desk card@1")
    streams.follow([out])
    library.streams[0].active = False  # The driver has ended it: it was unplugged.
    gone = library.devices.pop(0)
    streams.follow([out])
    assert out.state == "waiting"
    assert "gone" in out.said
    library.plugged = [gone]
    streams.follow([out])
    assert out.state == "waiting", "the library knows only what was there when it was initialised"
    streams.listed_anew(1)
    streams.follow([out])
    assert (out.state, out.said, out.opened, library.initialised) == ("playing", "", 2, 1)
    streams.follow([])
    assert library.streams[-1].is_closed, "what is not wanted any more is given back"


def test_another_rate_is_taken_and_a_card_that_is_held_says_so(library: PortAudio) -> None:
    def only_its_own(given: dict[str, Any]) -> None:
        if given["samplerate"] == 48_000:
            raise PortAudioError("invalid sample rate")

    library.refuse = only_its_own
    streams = CardStreams()
    old = endpoint("out", "card:ALSA|Old card\u202e")
    streams.follow([old])
    assert (old.state, old.rate_hz) == ("playing", 44_100)

    def held(given: dict[str, Any]) -> None:
        raise PortAudioError("device unavailable")

    library.refuse = held
    other = endpoint("in", "card:ALSA|Desk card")
    streams.follow([old, other])
    assert (other.state, old.state) == ("waiting", "playing")
    assert "another program may hold it" in other.said


# --- what a plan needs of the computer ---------------------------------------------------------------


def test_a_plan_opens_what_it_names_and_keeps_what_stays(monkeypatch: pytest.MonkeyPatch) -> None:
    computer = ComputerStreams()
    wanted: list[list[Endpoint]] = []
    monkeypatch.setattr(computer.opener, "want", lambda those: wanted.append(list(those)))
    computer.apply(Rig(), {}, [], 0)
    assert wanted[-1] == []
    assert not computer.is_used, "stand-ins are nothing of the computer's"
    rig = with_output(Rig(), "viewers", "virtual")
    rig = changed_together(
        rig, {"inputs.game.device": "loudspeakers:game", "inputs.voice.device": "card:ALSA|Desk"}
    )
    virtual = {"microphone:viewers": "server:gh", "loudspeakers:game": "server:gh_game.monitor"}
    computer.apply(rig, virtual, ["server:looked at"], 0)
    devices = {(one.direction, one.device) for one in wanted[-1]}
    assert devices == {
        ("out", "server:gh"),
        ("in", "server:gh_game.monitor"),
        ("in", "card:ALSA|Desk"),
        ("in", "server:looked at"),
    }
    before = {id(one) for one in wanted[-1]}
    muted = changed_together(rig, {"outputs.output_1.is_muted": True})
    computer.apply(muted, virtual, [], 0)
    assert {id(one) for one in wanted[-1]} < before, "what stays is the very same stream"
    # Another block or buffer is another stream; a virtual device that is not made yet is waited for.
    longer = changed_together(muted, {"device_buffer_ms": 200.0})
    assert buffer_ms(longer) == 200.0
    computer.apply(longer, {}, [], 0)
    assert {one.device for one in wanted[-1]} == {"card:ALSA|Desk"}
    assert not {id(one) for one in wanted[-1]} & before


def test_buffers_grow_where_there_was_too_little_but_not_while_a_device_begins(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    now = [100.0]
    monkeypatch.setattr(opener_module.time, "monotonic", lambda: now[0])
    out = endpoint("out", "server:x")
    out.state, out.opened = "playing", 1
    opener_module._settle(out)
    target = int(out.ring.numbers[TARGET])
    assert target == round(out.target_ms * 48)
    out.ring.numbers[DROPOUTS] += 3
    opener_module._grow(out)
    assert int(out.ring.numbers[TARGET]) == target
    now[0] += 10.0
    for _ in range(20):
        out.ring.numbers[DROPOUTS] += 1
        opener_module._grow(out)
    most = round(opener_module.MOST_BUFFER_MS * 48)
    assert int(out.ring.numbers[TARGET]) == most
    assert 0 < out.grown < 20
    # A calm minute makes them smaller again, little by little, down to what was asked for.
    for _ in range(3):
        now[0] += opener_module.CALM_S + 1.0
        opener_module._grow(out)
    assert target < int(out.ring.numbers[TARGET]) == pytest.approx(most * 0.9**3, abs=3)
    for _ in range(40):
        now[0] += opener_module.CALM_S + 1.0
        opener_module._grow(out)
    assert int(out.ring.numbers[TARGET]) == target
    assert not out.has_grown
