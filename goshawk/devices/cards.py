"""Sound cards by PortAudio (``sounddevice``): streams in the engine, and the list of devices.

A card is named by its host (the system's interface to it) and its own name, as PortAudio gives them; numbers change when
something is plugged in. PortAudio knows only the devices that were there when it was initialised, so it is initialised again
when one that is wanted is missing and the list is said to be another.
"""

import time
from typing import Any

import msgspec
import numpy as np

from goshawk.core.computer import ComputerDevice
from goshawk.core.dsp.frame_ring import FIRST, Ring, give, take
from goshawk.core.settings import visible
from goshawk.devices.endpoint import CARD, PAIR, Endpoint
from goshawk.units import SAMPLE_RATE_HZ

TRY_AGAIN_S = 1.0
MOST_LISTED = 128
MOST_CHANNELS = 32
NOT_INSTALLED = "PortAudio is not installed (on Debian: libportaudio2)."
_SEPARATOR = "|"
_WAYS_TO_THE_SERVER = [("ALSA", name) for name in ("pulse", "pipewire", "default", "sysdefault")]
_EXCLUSIVE_HOSTS = ("Windows WASAPI",)


class Card(msgspec.Struct, frozen=True):
    """A device as PortAudio lists it."""

    host: str
    name: str
    inputs: int
    outputs: int
    rate_hz: int
    is_default_input: bool
    is_default_output: bool


class Cards(msgspec.Struct, frozen=True):
    """The devices there are, and why there are none if that is so."""

    cards: list[Card] = []
    trouble: str = ""


def list_cards() -> Cards:
    """The devices there are now, at most ``MOST_LISTED``. For a process that has no stream open: PortAudio is initialised
    anew."""
    try:
        import sounddevice
    except OSError:
        return Cards(trouble=NOT_INSTALLED)
    try:
        sounddevice._terminate()
        sounddevice._initialize()
        devices, hosts = sounddevice.query_devices(), sounddevice.query_hostapis()
    except sounddevice.PortAudioError as error:
        return Cards(trouble=f"PortAudio could not list the sound cards ({error}).")
    found = []
    for place, one in enumerate(list(devices)[:MOST_LISTED]):
        host = hosts[one["hostapi"]]
        found.append(
            Card(
                host=str(host["name"]),
                name=str(one["name"]),
                inputs=int(one["max_input_channels"]),
                outputs=int(one["max_output_channels"]),
                rate_hz=round(float(one["default_samplerate"])),
                is_default_input=host["default_input_device"] == place,
                is_default_output=host["default_output_device"] == place,
            )
        )
    return Cards(found)


def as_devices(cards: list[Card], *, has_server: bool) -> list[ComputerDevice]:
    """The same as a rig names them: many channels pair by pair. With a sound server, ways to it are left out: what lies behind
    them is listed by it."""
    found = []
    for card in cards:
        if has_server and (card.host, card.name) in _WAYS_TO_THE_SERVER:
            continue
        name = f"{CARD}:{card.host}{_SEPARATOR}{card.name}"
        for direction, channels, is_default in (
            ("in", card.inputs, card.is_default_input),
            ("out", card.outputs, card.is_default_output),
        ):
            for first in range(1, min(channels, MOST_CHANNELS) + 1, 2):
                last = min(first + 1, channels)
                pair = f", channels {first}–{last}" if channels > 2 else ""
                found.append(
                    ComputerDevice(
                        id=f"{name}{PAIR}{first}" if channels > 2 else name,
                        label=visible(card.name)[:80] + pair,
                        direction="in" if direction == "in" else "out",
                        host=visible(card.host),
                        channels=min(2, channels),
                        rate_hz=card.rate_hz,
                        is_default=is_default and first == 1,
                    )
                )
    return found


class CardStreams:
    """All streams of cards. Called by one thread."""

    def __init__(self) -> None:
        self._streams: dict[int, tuple[Any, Endpoint]] = {}
        self._next_try_s: dict[int, float] = {}
        self._round = self._initialised_round = 0
        self._is_there = True

    def listed_anew(self, number: int) -> None:
        """The list of cards is another since this number changed."""
        self._round = number

    def follow(self, wanted: list[Endpoint]) -> None:
        """Make what is open what is wanted; look how each does."""
        if not wanted and not self._streams:
            return
        if not self._is_there:
            return
        there = {id(one) for one in wanted}
        for key in list(self._streams):
            stream, endpoint = self._streams[key]
            if key not in there or not stream.active:
                self._close(key)
                endpoint.said = "" if key not in there else "The device has ended it."
        now = time.monotonic()
        for endpoint in wanted:
            if id(endpoint) in self._streams or now < self._next_try_s.get(id(endpoint), 0.0):
                continue
            self._next_try_s[id(endpoint)] = now + TRY_AGAIN_S
            self._open(endpoint)
        self._next_try_s = {key: at for key, at in self._next_try_s.items() if key in there}

    def close(self) -> None:
        """Close everything."""
        for key in list(self._streams):
            self._close(key)

    def _open(self, endpoint: Endpoint) -> None:
        try:
            import sounddevice
        except OSError:
            self._is_there = False
            endpoint.said = NOT_INSTALLED
            return
        index = self._find(sounddevice, endpoint)
        if index is None and self._round != self._initialised_round:
            self._initialised_round = self._round
            self.close()
            sounddevice._terminate()
            sounddevice._initialize()
            index = self._find(sounddevice, endpoint)
        if index is None:
            endpoint.said = "The device is gone. It goes on when it is back."
            return
        info = sounddevice.query_devices(index)
        is_out = endpoint.direction == "out"
        most = int(info["max_output_channels" if is_out else "max_input_channels"])
        channels = min(most, int(endpoint.ring.numbers[FIRST]) + 2)
        kind = sounddevice.RawOutputStream if is_out else sounddevice.RawInputStream
        host = str(sounddevice.query_hostapis(info["hostapi"])["name"])
        made = _Callback(endpoint.ring, channels)
        last: Exception | None = None
        rates = dict.fromkeys((SAMPLE_RATE_HZ, round(float(info["default_samplerate"]))))
        for rate_hz in rates:
            for special in _modes(sounddevice, host):
                try:
                    stream = kind(
                        samplerate=rate_hz,
                        blocksize=0,
                        device=index,
                        channels=channels,
                        dtype="float32",
                        latency=endpoint.server_ms / 1000.0,
                        extra_settings=special,
                        callback=made.play if is_out else made.capture,
                    )
                    endpoint.rate_hz = rate_hz
                    stream.start()
                except (sounddevice.PortAudioError, ValueError) as error:
                    last = error
                    continue
                self._streams[id(endpoint)] = stream, endpoint
                endpoint.state, endpoint.said = "playing", ""
                endpoint.opened += 1
                endpoint.device_ms = float(stream.latency) * 1000.0
                return
        endpoint.said = (
            "The device does not open: another program may hold it, or its rate is one that "
            f"it does not play ({last})."
        )

    def _find(self, sounddevice: Any, endpoint: Endpoint) -> int | None:
        host, _, name = endpoint.name.partition(_SEPARATOR)
        channels = "max_output_channels" if endpoint.direction == "out" else "max_input_channels"
        hosts = sounddevice.query_hostapis()
        for place, one in enumerate(sounddevice.query_devices()):
            if one["name"] == name and hosts[one["hostapi"]]["name"] == host and one[channels]:
                return place
        return None

    def _close(self, key: int) -> None:
        stream, endpoint = self._streams.pop(key)
        stream.close()
        endpoint.state = "waiting"


def _modes(sounddevice: Any, host: str) -> list[Any]:
    """How to open a device, the best first: alone, where the host can, since that is the shortest way."""
    if host in _EXCLUSIVE_HOSTS:
        return [sounddevice.WasapiSettings(exclusive=True), None]
    return [None]


class _Callback:
    """What PortAudio calls, in its own thread: it copies."""

    def __init__(self, ring: Ring, channels: int) -> None:
        self._sound, self._numbers, self._channels = ring.sound, ring.numbers, channels

    def _block(self, data: Any) -> Any:
        return np.frombuffer(data, np.float32).reshape(-1, self._channels)

    def play(self, out: Any, frames: int, at: Any, status: Any) -> None:
        take(self._sound, self._numbers, self._block(out), time.monotonic_ns())

    def capture(self, came: Any, frames: int, at: Any, status: Any) -> None:
        # What was captured cannot be written to; the kernel takes one kind of array.
        give(self._sound, self._numbers, self._block(came).copy(), time.monotonic_ns())
