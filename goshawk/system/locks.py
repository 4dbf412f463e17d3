"""Locks on files: held until the file is closed or the process has ended, however it ends."""

import errno
import sys
from typing import IO, Any

_FAR = 1 << 30
"""Where Windows locks a byte; what is written before stays to be read."""

_HELD = (errno.EWOULDBLOCK, errno.EAGAIN, errno.EACCES, errno.EDEADLK)


def lock(file: IO[Any]) -> bool:
    """Lock an open file for this process alone; False if another has it. Raises OSError where it cannot be locked at all, as on
    some network drives."""
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
    except OSError as error:
        if error.errno not in _HELD:
            raise
        return False
    return True
