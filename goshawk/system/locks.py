"""Locks on files: held until the file is closed or the process has ended, however it ends."""

import sys
from typing import IO, Any

_FAR = 1 << 30
"""Where Windows locks a byte; what is written before stays to be read."""


def lock(file: IO[Any]) -> bool:
    """Lock an open file for this process alone; False if another has it."""
    try:
        if sys.platform == "win32":
            import msvcrt

            place = file.tell()
            file.seek(_FAR)
            msvcrt.locking(file.fileno(), msvcrt.LK_NBLCK, 1)
            file.seek(place)
        else:
            import fcntl

            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True
