"""Readings in shared memory: typed, numbered, the newest ten seconds of them."""

from typing import Any

import msgspec
import numpy as np

from goshawk.core.device_readings import DeviceReading, EncoderReading, OutputReading
from goshawk.core.graph.readings import MixReadings
from goshawk.core.observed.reach import VoicesNow
from goshawk.core.routing import FeedName
from goshawk.timeline.memory import LOG_BYTES, LOGGED, LOGGED_BYTES, Memory

_ARRAY = 1
_HEAD_BYTES = 16
MARGIN_BYTES = LOG_BYTES // 8
"""What is this near to being written over is not read any more."""


class EngineReading(msgspec.Struct):
    """How the audio process does: counts since it began."""

    blocks: int
    late_blocks: int
    missed_blocks: int
    busy_s: float
    slowest_share: float
    """Of its time, the slowest block's since the last reading."""
    block_frames: int
    is_realtime: bool
    device_dropouts: int = 0
    """How often devices of the computer had too little or far too much, those that are open now."""


class EngineReadings(MixReadings, kw_only=True):
    """What the graph says, and what the devices and the process around it say with it."""

    plan: int
    """The number of the plan under which they were made."""
    session: int
    """How many audio processes have begun."""
    ledgers: dict[FeedName, list[tuple[str, float]]]
    """Name and ms of everything between the air and each listener."""
    devices: dict[str, DeviceReading]
    outputs: dict[str, OutputReading]
    encoder: EncoderReading
    measured_delay_ms: dict[FeedName, float | None] | None
    """A delay that was just measured with a click."""
    voices: VoicesNow
    """Whom a microphone reaches, for the lamps."""
    engine: EngineReading


def _to_bytes(value: Any) -> Any:
    if isinstance(value, np.ndarray):
        packed = msgspec.msgpack.encode((value.dtype.str, value.shape, value.tobytes()))
        return msgspec.msgpack.Ext(_ARRAY, packed)
    if isinstance(value, np.generic):
        return value.item()
    raise NotImplementedError(type(value))


def _from_bytes(code: int, data: memoryview) -> Any:
    kind, shape, raw = msgspec.msgpack.decode(data)
    return np.frombuffer(raw, kind).reshape(shape)


_encoder = msgspec.msgpack.Encoder(enc_hook=_to_bytes)
_decoder = msgspec.msgpack.Decoder(
    EngineReadings, ext_hook=_from_bytes, dec_hook=lambda kind, value: value
)


class ReadingsWriter:
    """Appends readings to the log."""

    def __init__(self, memory: Memory) -> None:
        self._memory = memory

    @property
    def count(self) -> int:
        """How many were ever logged."""
        return int(self._memory.head[LOGGED])

    def write(self, readings: EngineReadings) -> None:
        """Log one. Each lies behind a head (its length, its number) at a multiple of eight bytes, in one piece."""
        body = _encoder.encode(readings)
        head, log = self._memory.head, self._memory.log
        size = _HEAD_BYTES + -(-len(body) // 8) * 8
        at = int(head[LOGGED_BYTES])
        place = at % LOG_BYTES
        if place + size + _HEAD_BYTES > LOG_BYTES:  # No room to the end: it begins anew.
            log[place : place + 8].view(np.int64)[0] = -1
            at += LOG_BYTES - place
            place = 0
        log[place : place + _HEAD_BYTES].view(np.int64)[:] = (len(body), int(head[LOGGED]))
        start = place + _HEAD_BYTES
        log[start : start + len(body)] = np.frombuffer(body, np.uint8)
        head[LOGGED_BYTES] = at + size
        head[LOGGED] += 1


class ReadingsReader:
    """One reader with its place. Far behind, it goes on with what is newest and counts what it has lost."""

    def __init__(self, memory: Memory, place: int | None = None) -> None:
        """``place`` is where it says how far it is, for a hurried clock; None: nobody waits for it."""
        self._memory = memory
        self._place = place
        self._at = int(memory.head[LOGGED_BYTES])
        self._next = int(memory.head[LOGGED])
        self.lost = 0
        self._say()

    def _say(self) -> None:
        if self._place is not None:
            self._memory.places[self._place] = self._next

    def read(self, at_most: int = 64) -> list[EngineReadings]:
        """What is new, oldest first."""
        head = self._memory.head
        found: list[EngineReadings] = []
        while len(found) < at_most and (end := int(head[LOGGED_BYTES])) > self._at:
            if end - self._at > LOG_BYTES - MARGIN_BYTES:
                self._skip()
                break
            body = self._body()
            if body is None:
                break
            if int(head[LOGGED_BYTES]) - self._at > LOG_BYTES:
                self._skip()
                break
            number, raw, size = body
            self.lost += max(0, number - self._next)
            self._next = number + 1
            self._at += size
            found.append(_decoder.decode(raw))
        self._say()
        return found

    def _skip(self) -> None:
        self._at = int(self._memory.head[LOGGED_BYTES])

    def _body(self) -> tuple[int, bytes, int] | None:
        log = self._memory.log
        place = self._at % LOG_BYTES
        if place + _HEAD_BYTES > LOG_BYTES or int(log[place : place + 8].view(np.int64)[0]) == -1:
            self._at += LOG_BYTES - place
            place = 0
            if int(self._memory.head[LOGGED_BYTES]) <= self._at:
                return None
        length, number = log[place : place + _HEAD_BYTES].view(np.int64).tolist()
        if not 0 < length <= LOG_BYTES - place - _HEAD_BYTES:
            self._skip()  # It was written over while it was read.
            return None
        start = place + _HEAD_BYTES
        size = _HEAD_BYTES + -(-length // 8) * 8
        return number, log[start : start + length].tobytes(), size
