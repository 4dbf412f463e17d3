"""Where raw voice lies for a while: loops, replays, what is heard of a check, files on their way in.

One folder beside the database, for its owner alone. It is emptied when the program starts and when it ends, so that
nothing lies about after a crash; files that nobody knows any more go from their shelves too."""

import contextlib
import shutil
import tempfile
from collections.abc import Iterable
from pathlib import Path

HEARD_SIDES = ("before", "after")


def heard_path(folder: Path, serial: int, kind: str, side: str) -> Path:
    """Where the sound of a sound check's take lies in its folder, raw or behind the suggested chain."""
    return folder / f"{serial}-{kind}-{side}.wav"


class WorkFolder:
    """Given out by name; what is in it goes with the program."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def named(self, name: str) -> Path:
        """A folder for one purpose, made when it is asked for."""
        path = private_folder(self.path) / name
        return private_folder(path)

    def fresh(self) -> Path:
        """A folder of its own, to be removed by who asked for it."""
        return Path(tempfile.mkdtemp(dir=private_folder(self.path)))

    def clear(self) -> None:
        """Remove everything."""
        shutil.rmtree(self.path, ignore_errors=True)


def private_folder(path: Path) -> Path:
    """The folder, made if need be, that only its user can open. Raises OSError."""
    path.mkdir(parents=True, exist_ok=True, mode=0o700)
    with contextlib.suppress(PermissionError):
        # Drives that know no rights, as sticks do, refuse it.
        path.chmod(0o700)
    return path


def sweep(folder: Path, known: Iterable[str]) -> None:
    """Remove what a crash or a failed step left in a shelf's folder: every file that is not ``known`` by its name."""
    kept = set(known)
    if folder.is_dir():
        for file in folder.iterdir():
            if file.is_file() and file.name not in kept:
                file.unlink(missing_ok=True)
