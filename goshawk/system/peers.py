"""Whose process is at the other end of a loopback connection, where the system can tell.

Linux lists every connection with the user who owns it (proc(5), /proc/net/tcp). Elsewhere nothing can be told, and None is said."""

import os
import socket
import struct
import sys
import time
from collections.abc import Iterator
from pathlib import Path

KNOWN_FOR_S = 2.0
"""So long what was found of a connection is taken for true: reading the table takes milliseconds."""

MOST_KNOWN = 512
_TABLES = {socket.AF_INET: Path("/proc/net/tcp"), socket.AF_INET6: Path("/proc/net/tcp6")}

Address = tuple[str, int]


def is_of_another(path: Path) -> bool:
    """Return whether a file or folder belongs to another user; False where the system does not say."""
    return hasattr(os, "getuid") and path.stat().st_uid != os.getuid()


class Peers:
    """Tells whether a peer is a process of this user."""

    def __init__(self) -> None:
        self._known: dict[Address, tuple[float, bool]] = {}

    def is_ours(self, peer: Address, own: Address) -> bool | None:
        """Return whether the peer of a connection to our address is this user, or the system's own (root); None where the system
        cannot tell. A connection that its owner has let go belongs to nobody any more, and is not ours."""
        if not sys.platform.startswith("linux"):
            return None
        now_s = time.monotonic()
        known = self._known.get(peer)
        if known is not None and now_s - known[0] < KNOWN_FOR_S:
            return known[1]
        try:
            found = any(uid in (os.getuid(), 0) for uid in _owners(peer, own))
        except (OSError, ValueError):
            return None
        if len(self._known) >= MOST_KNOWN:
            self._known.clear()
        self._known[peer] = (now_s, found)
        return found


def _owners(peer: Address, own: Address) -> Iterator[int]:
    """The users of the connection from peer to our own address, as the table lists it."""
    family = socket.AF_INET6 if ":" in peer[0] else socket.AF_INET
    wanted = _as_listed(family, peer), _as_listed(family, own)
    for line in _TABLES[family].read_text().splitlines()[1:]:
        parts = line.split()
        if (parts[1], parts[2]) == wanted and parts[9] != "0":
            yield int(parts[7])


def _as_listed(family: int, address: Address) -> str:
    """An address as the table writes it: words in the processor's order, in hexadecimal."""
    packed = socket.inet_pton(family, address[0])
    words = struct.unpack(f"={len(packed) // 4}I", packed)
    return "".join(f"{word:08X}" for word in words) + f":{address[1]:04X}"
