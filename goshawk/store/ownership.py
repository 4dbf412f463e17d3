"""One program at a time works on a folder of saved things: two would overwrite each other's changes."""

import contextlib
import json
import os
from pathlib import Path
from typing import IO, Any

from goshawk.errors import StoreUnusable
from goshawk.system.locks import lock
from goshawk.system.processes import is_alive

LOCK_NAME = "goshawk.lock"


class Ownership:
    """Held from ``take`` until ``release`` or the end of the process, however that ends."""

    def __init__(self, file: IO[str]) -> None:
        self._file = file

    def say(self, **known: Any) -> None:
        """Leave word for the next who asks: where this program is to be found."""
        with contextlib.suppress(OSError):  # On a full disk the folder is owned all the same.
            self._file.seek(0)
            self._file.truncate()
            json.dump({"pid": os.getpid(), **known}, self._file)
            self._file.flush()

    def release(self) -> None:
        """Let others have the folder."""
        with contextlib.suppress(
            OSError
        ):  # What could not be written is tried once more with closing.
            self._file.close()


def take(data_dir: Path) -> Ownership:
    """Own the folder. Raises StoreUnusable, naming who owns it, or why it cannot be used."""
    try:
        data_dir.mkdir(parents=True, exist_ok=True, mode=0o700)
        file = (data_dir / LOCK_NAME).open("a+", encoding="utf-8")
    except OSError as error:
        raise StoreUnusable(
            f"The folder {data_dir} cannot be used ({error.strerror}). Choose another with --data-dir."
        ) from None
    try:
        is_ours = lock(file)
    except OSError:
        # The drive knows no locks: who owned it last has left word, and may be there still.
        is_ours = not _is_there(data_dir)
    if not is_ours:
        file.close()
        raise StoreUnusable(
            f"Another Goshawk{owner(data_dir)} works on {data_dir}. Use that one, or choose another "
            "folder with --data-dir."
        ) from None
    ownership = Ownership(file)
    ownership.say()
    return ownership


def owner(data_dir: Path) -> str:
    """Who owns the folder, to be set into a sentence; "" if it left no word."""
    said = _word(data_dir)
    place = f", at {said['url']}" if "url" in said else ""
    return f" (process {said['pid']}{place})" if "pid" in said else ""


def _word(data_dir: Path) -> dict[str, Any]:
    """What the last owner has left: its process, and where it is to be found."""
    try:
        said = json.loads((data_dir / LOCK_NAME).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return said if isinstance(said, dict) else {}


def _is_there(data_dir: Path) -> bool:
    pid = _word(data_dir).get("pid")
    return isinstance(pid, int) and pid not in (0, os.getpid()) and is_alive(pid)
