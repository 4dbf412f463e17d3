"""What goes over the socket between the audio process and the others.

A message is one packet (SOCK_SEQPACKET keeps their borders): a byte that says its kind, then its
body. Both ends send without waiting: a packet that does not fit is dropped and counted, so that a
slow reader never makes the sound late. What must arrive is the plan: it is sent until it is seen.
"""

import fcntl
import json
import pickle
import socket
import struct
import sys
import termios
import zlib
from typing import Any

import numpy as np

from goshawk.core.stage import Block
from goshawk.engine.plan import Plan

PLAN, MICROPHONE, MICROPHONE_STOPPED, COMMAND, QUIT = b"P", b"M", b"m", b"C", b"Q"
"""To the engine: the plan, the browser's sound, its end, a command that does not last (JSON: its name and
arguments), the end."""

READY, READINGS, ROWS, SOUND, NOTICE = b"y", b"r", b"w", b"s", b"n"
"""From the engine: it plays now, readings (pickled), the inputs' sound (pickled too), sound (see ``pack_sound``), a sentence."""

TEST_CLOCK = "GOSHAWK_TEST_CLOCK"
"""An environment variable, set for tests alone: the engine's clock can then be driven, faster than time."""

LARGEST_PACKET_BYTES = 200_000
"""Of all systems' limits the least is some 400 kB for everything that waits."""
_MICROPHONE_HEADER = struct.Struct("<IB")
_SOUND_HEADER = struct.Struct("<QB")


def send(end: socket.socket, kind: bytes, body: bytes = b"") -> bool:
    """Send one packet; False if the other end is too slow to take it, or it is too large. Raises OSError if the
    other end is gone."""
    if len(body) >= LARGEST_PACKET_BYTES:
        return False
    try:
        end.send(kind + body)
    except BlockingIOError:
        return False
    return True


def has_room(end: socket.socket) -> bool:
    """Whether little of what was sent waits to be read: what can be left out is sent only then, so that the rest
    gets through."""
    waiting = int.from_bytes(fcntl.ioctl(end, termios.TIOCOUTQ, b"\0" * 4), sys.byteorder)
    return waiting < end.getsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF) // 4


def receive(end: socket.socket) -> tuple[bytes, bytes] | None:
    """The next packet's kind and body; None if none waits. Raises EOFError if the other end is gone."""
    try:
        packet = end.recv(LARGEST_PACKET_BYTES * 2)
    except BlockingIOError:
        return None
    except ConnectionError:
        raise EOFError from None
    if not packet:
        raise EOFError
    return packet[:1], packet[1:]


def pack_plan(plan: Plan) -> bytes:
    """A plan, compressed: the largest rig with a room in every stage must fit into a packet."""
    return zlib.compress(plan.model_dump_json().encode(), 1)


def unpack_plan(body: bytes) -> Plan:
    """The inverse."""
    return Plan.model_validate_json(zlib.decompress(body))


def pack_command(name: str, **given: Any) -> bytes:
    """Something to be done once."""
    return json.dumps({"name": name, **given}).encode()


def pack_microphone(rate_hz: int, channels: int, samples: bytes) -> bytes:
    """The browser's sound: rate, channels and interleaved float32."""
    return _MICROPHONE_HEADER.pack(rate_hz, channels) + samples


def unpack_microphone(body: bytes) -> tuple[int, Block]:
    """Rate and samples of shape (frames, channels)."""
    rate_hz, channels = _MICROPHONE_HEADER.unpack_from(body)
    return rate_hz, np.frombuffer(body, "<f4", offset=_MICROPHONE_HEADER.size).reshape(-1, channels)


def pack_sound(point: str, frame: int, samples: bytes) -> bytes:
    """Sound at one point: the number of its first frame, a byte with the length of the point's name, the name,
    interleaved stereo float32."""
    name = point.encode()
    return _SOUND_HEADER.pack(frame, len(name)) + name + samples


def unpack_sound(body: bytes) -> tuple[str, int, bytes]:
    """The inverse: point, first frame, samples."""
    frame, length = _SOUND_HEADER.unpack_from(body)
    end = _SOUND_HEADER.size + length
    return body[_SOUND_HEADER.size : end].decode(), frame, body[end:]


def pack_readings(readings: dict[str, Any]) -> bytes:
    """Readings for the trip between our own two processes."""
    return pickle.dumps(readings, protocol=5)


def unpack_readings(body: bytes) -> dict[str, Any]:
    """The inverse; only ever given what our own engine sent."""
    readings: dict[str, Any] = pickle.loads(body)
    return readings
