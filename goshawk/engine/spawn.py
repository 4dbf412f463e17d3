"""Starting an audio process. It needs seconds to load what it computes with, so a program may start one before it knows
what it is to play: the process waits for its plan. Little is imported here."""

import socket
import subprocess
from dataclasses import dataclass

from goshawk.processes import start_process
from goshawk.timeline.memory import Memory, sweep

BUFFER_BYTES = 1 << 20


@dataclass(frozen=True)
class Spawned:
    """A process, our end of the link to it, and the memory that it shares with its readers."""

    process: subprocess.Popen[bytes]
    end: socket.socket
    memory: Memory

    def give_up(self) -> None:
        """End it: it is not wanted after all."""
        self.end.close()
        self.process.kill()
        self.process.wait()
        self.memory.remove()


def make_pair() -> tuple[socket.socket, socket.socket]:
    """Two connected sockets that never wait when sending."""
    ends = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
    for end in ends:
        end.setblocking(False)
        end.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, BUFFER_BYTES)
    return ends


def spawn(memory: Memory | None = None) -> Spawned:
    """Start an audio process on a memory, or on a new one; it plays when it has got a plan, and ends when our end is
    closed. Raises TimelineLost."""
    if memory is None:
        sweep()
        memory = Memory.make()
    ours, theirs = make_pair()
    process = start_process("goshawk.engine.process", theirs, memory.name)
    return Spawned(process, ours, memory)
