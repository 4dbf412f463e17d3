"""Starting an audio process. It needs seconds to load what it computes with, so a program may start one before it knows
what it is to play: the process waits for its plan. Nothing heavy is imported here."""

import socket
import subprocess
import sys
from dataclasses import dataclass

BUFFER_BYTES = 1 << 20


@dataclass(frozen=True)
class Spawned:
    """A process, and our end of the link to it."""

    process: subprocess.Popen[bytes]
    end: socket.socket


def make_pair() -> tuple[socket.socket, socket.socket]:
    """Two connected sockets that never wait when sending."""
    ends = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
    for end in ends:
        end.setblocking(False)
        end.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, BUFFER_BYTES)
    return ends


def spawn() -> Spawned:
    """Start an audio process; it plays when it has got a plan, and ends when our end is closed."""
    ours, theirs = make_pair()
    process = subprocess.Popen(
        [sys.executable, "-m", "goshawk.engine.process", str(theirs.fileno())],
        stdin=subprocess.DEVNULL,
        pass_fds=[theirs.fileno()],
    )
    theirs.close()
    return Spawned(process, ours)
