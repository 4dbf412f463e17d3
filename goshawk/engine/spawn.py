"""Starting an audio process. It needs seconds to load what it computes with, so a program may start one before it knows
what it is to play: the process waits for its plan. Little is imported here."""

import subprocess
from dataclasses import dataclass

from goshawk.errors import TimelineLost
from goshawk.system.links import Packets, packets
from goshawk.system.processes import kill_now, start_process
from goshawk.timeline.memory import Memory, sweep


@dataclass(frozen=True)
class Spawned:
    """A process, our end of the link to it, and the memory that it shares with its readers."""

    process: subprocess.Popen[bytes]
    end: Packets
    memory: Memory

    def give_up(self) -> None:
        """End it: it is not wanted after all."""
        self.end.close()
        kill_now(self.process)
        self.memory.remove()


def spawn(memory: Memory | None = None) -> Spawned:
    """Start an audio process on a memory, or on a new one; it plays when it has got a plan, and ends when our end is
    closed. Raises TimelineLost; a memory that was given is left to its owner."""
    if memory is None:
        sweep()
    on = memory or Memory.make()
    try:
        process, end = start_process("goshawk.engine.process", on.name, keeps_borders=True)
    except OSError as error:
        if memory is None:
            on.remove()
        raise TimelineLost(
            f"The audio process could not be started ({error.strerror or error}). Close other programs."
        ) from None
    return Spawned(process, packets(end), on)
