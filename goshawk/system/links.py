"""What ties two processes together: a socket whose other end the child inherits, or, where a system has no such thing, a connection
on loopback that the child makes and proves by a secret. Packets keep their borders on either.
"""

import contextlib
import hmac
import os
import secrets
import select
import socket
import struct
import sys
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from types import MappingProxyType

BUFFER_BYTES = 1 << 20
PATIENCE_S = 60.0
"""A child that has not connected by then does not come; it does so before it loads anything."""

_SECRET_BYTES = 32
_SECRET = "GOSHAWK_LINK_SECRET"
_LENGTH = struct.Struct("<I")
_MOST_READ_BYTES = 1 << 18


def is_portable() -> bool:
    """Whether the way that goes everywhere is taken."""
    has_own = sys.platform == "linux"
    return not has_own or os.environ.get("GOSHAWK_PORTABLE") == "1"


# --- the two ends ---------------------------------------------------------------------------------


class Offer(ABC):
    """Our end of a link to a child that is to be started, and how the child finds its own: its ``place``, handles that it inherits,
    and what its environment must hold."""

    place: str
    handles: tuple[int, ...] = ()
    environment: Mapping[str, str] = MappingProxyType({})

    @abstractmethod
    def taken(self, is_there: Callable[[], bool]) -> socket.socket:
        """Our end, once the child was started, as long as it ``is_there``. Raises OSError if it does not come."""


class _Inherited(Offer):
    """The child is given its end."""

    def __init__(self, keeps_borders: bool) -> None:
        kind = socket.SOCK_SEQPACKET if keeps_borders else socket.SOCK_STREAM
        self._ours, self._theirs = socket.socketpair(socket.AF_UNIX, kind)
        self.handles = (self._theirs.fileno(),)
        self.place = f"handle:{self._theirs.fileno()}"

    def taken(self, is_there: Callable[[], bool]) -> socket.socket:
        self._theirs.close()
        return self._ours


class _Loopback(Offer):
    """The child connects, and proves by a secret that it is the one."""

    def __init__(self) -> None:
        self._listening = socket.create_server(("127.0.0.1", 0), backlog=4)
        self._secret = secrets.token_hex(_SECRET_BYTES // 2)
        self.place = f"port:{self._listening.getsockname()[1]}"
        self.environment = {_SECRET: self._secret}

    def taken(self, is_there: Callable[[], bool]) -> socket.socket:
        until = time.monotonic() + PATIENCE_S
        self._listening.settimeout(0.2)
        with self._listening:
            while time.monotonic() < until and is_there():
                try:
                    end, _ = self._listening.accept()
                except TimeoutError:
                    continue
                if self._is_proven(end):
                    end.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                    return end
                end.close()
        raise OSError("a process that was started did not connect")

    def _is_proven(self, end: socket.socket) -> bool:
        end.settimeout(1.0)
        said = b""
        with contextlib.suppress(OSError):
            while len(said) < _SECRET_BYTES and (more := end.recv(_SECRET_BYTES - len(said))):
                said += more
        return hmac.compare_digest(said, self._secret.encode())


def offer(*, keeps_borders: bool) -> Offer:
    """A link to a child that is about to be started."""
    return _Loopback() if is_portable() else _Inherited(keeps_borders)


def find(place: str) -> socket.socket:
    """In the child: its end. Raises OSError if the other is gone."""
    kind, _, number = place.partition(":")
    if kind == "handle":
        return socket.socket(fileno=int(number))
    end = socket.create_connection(("127.0.0.1", int(number)), timeout=PATIENCE_S)
    end.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    end.sendall(os.environ.pop(_SECRET, "").encode())
    return end


# --- packets --------------------------------------------------------------------------------------


class Packets:
    """An end that sends and receives whole packets, and waits for nothing. Here: where the system keeps their borders."""

    def __init__(self, end: socket.socket) -> None:
        end.setblocking(False)
        end.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, BUFFER_BYTES)
        self._end = end

    def fileno(self) -> int:
        """For whoever waits until something comes."""
        return self._end.fileno()

    def close(self) -> None:
        """The other end sees that nothing comes any more."""
        self._end.close()

    def send(self, packet: bytes) -> bool:
        """Send one; False if the other end is too slow to take it. Raises OSError if it is gone."""
        try:
            self._end.send(packet)
        except BlockingIOError:
            return False
        return True

    def receive(self, most_bytes: int) -> bytes | None:
        """The next one; None if none waits. Raises EOFError if the other end is gone."""
        try:
            packet = self._end.recv(most_bytes)
        except BlockingIOError:
            return None
        except ConnectionError:
            raise EOFError from None
        if not packet:
            raise EOFError
        return packet

    @property
    def has_room(self) -> bool:
        """Whether little of what was sent waits to be read."""
        import fcntl
        import termios

        waiting = int.from_bytes(fcntl.ioctl(self._end, termios.TIOCOUTQ, b"\0" * 4), sys.byteorder)
        return waiting < self._end.getsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF) // 4

    @property
    def has_more(self) -> bool:
        """Whether a whole one has come that the system says nothing of any more."""
        return False


class FramedPackets(Packets):
    """The same over a stream: each behind its length. What did not go in one piece goes on with the next call."""

    def __init__(self, end: socket.socket) -> None:
        super().__init__(end)
        self._rest = b""
        self._come = bytearray()

    def send(self, packet: bytes) -> bool:
        self._go_on()
        if self._rest:
            return False
        self._rest = _LENGTH.pack(len(packet)) + packet
        before = len(self._rest)
        self._go_on()
        if len(self._rest) == before:
            self._rest = b""
            return False
        return True

    def _go_on(self) -> None:
        if self._rest:
            with contextlib.suppress(BlockingIOError):
                self._rest = self._rest[self._end.send(self._rest) :]

    def receive(self, most_bytes: int) -> bytes | None:
        with contextlib.suppress(OSError):  # Whether the other end is there, reading says.
            self._go_on()
        if not self.has_more:
            more = super().receive(_MOST_READ_BYTES)
            if more is None:
                return None
            self._come += more
        length = self._next_length()
        if length > most_bytes:
            raise EOFError  # What comes are no packets of ours.
        if not self.has_more:
            return None
        packet = bytes(self._come[_LENGTH.size : _LENGTH.size + length])
        del self._come[: _LENGTH.size + length]
        return packet

    @property
    def has_room(self) -> bool:
        return not self._rest and bool(select.select([], [self._end], [], 0)[1])

    @property
    def has_more(self) -> bool:
        there = len(self._come) - _LENGTH.size
        return there >= 0 and there >= self._next_length()

    def _next_length(self) -> int:
        """Of the next packet, 0 while that has not come."""
        there = len(self._come) >= _LENGTH.size
        length: int = _LENGTH.unpack_from(self._come)[0] if there else 0
        return length


def packets(end: socket.socket) -> Packets:
    """An end of a link, for packets."""
    is_stream = end.type == socket.SOCK_STREAM
    return FramedPackets(end) if is_stream else Packets(end)


def packet_pair(*, keeps_borders: bool = True) -> tuple[Packets, Packets]:
    """Two ends within one process."""
    kind = socket.SOCK_SEQPACKET if keeps_borders else socket.SOCK_STREAM
    one, other = socket.socketpair(socket.AF_UNIX, kind)
    return packets(one), packets(other)
