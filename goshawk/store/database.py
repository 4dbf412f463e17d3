"""Opening the database: settings of the connection, migrations, and what to do when it is damaged."""

import os
import sqlite3
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from importlib import resources
from pathlib import Path

from goshawk.errors import StoreUnusable

BUSY_TIMEOUT_MS = 2000


def database_path(data_dir: Path) -> Path:
    """Where a folder of saved things has its database."""
    return data_dir / "goshawk.db"


@dataclass(frozen=True)
class Opened:
    """An open database, and a sentence for the user if it is not the one that was there."""

    connection: sqlite3.Connection
    notice: str | None


def migrations() -> list[tuple[int, str]]:
    """Number and script of each migration, in order, without gaps."""
    folder = resources.files("goshawk.store") / "migrations"
    files = sorted(
        (file for file in folder.iterdir() if file.name.endswith(".sql")),
        key=lambda file: file.name,
    )
    numbered = [(int(file.name[:4]), file.read_text(encoding="utf-8")) for file in files]
    assert [number for number, _ in numbered] == list(range(1, len(numbered) + 1))
    return numbered


def open_database(path: Path) -> Opened:
    """Open, check and migrate. A damaged or locked file is kept aside and a new one begun.

    Raises StoreUnusable if the folder cannot be written, or the file is of a newer version.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        return Opened(_open(path), None)
    except sqlite3.OperationalError as error:
        if "locked" not in str(error) and "unable to open" not in str(error):
            reason = "could not be read"
        elif "locked" in str(error):
            reason = "is locked by another program"
        else:
            raise StoreUnusable(
                f"The settings cannot be written to {path.parent}. Choose another folder with --data-dir."
            ) from None
    except sqlite3.DatabaseError:
        reason = "is damaged"
    except OSError as error:
        raise StoreUnusable(
            f"The folder {path.parent} cannot be used ({error.strerror}). Choose another with --data-dir."
        ) from None
    return _begin_anew(path, reason)


def _begin_anew(path: Path, reason: str) -> Opened:
    aside = path.with_name(f"{path.stem}-{time.strftime('%Y%m%d-%H%M%S')}{path.suffix}")
    try:
        for ending in ("", "-wal", "-shm"):
            if (old := path.with_name(path.name + ending)).exists():
                os.replace(old, aside.with_name(aside.name + ending))
        connection = _open(path)
    except (OSError, sqlite3.Error):
        raise StoreUnusable(
            f"The settings in {path} cannot be used, nor moved aside. Choose another folder with --data-dir."
        ) from None
    return Opened(
        connection,
        f"The settings file {reason}, so a new one was begun. The old one is kept at {aside}.",
    )


def _open(path: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
    connection.row_factory = sqlite3.Row
    try:
        connection.execute(f"PRAGMA busy_timeout = {BUSY_TIMEOUT_MS}")
        connection.execute("PRAGMA journal_mode = WAL")
        connection.execute("PRAGMA synchronous = FULL")
        connection.execute("PRAGMA foreign_keys = ON")
        if connection.execute("PRAGMA quick_check").fetchone()[0] != "ok":
            raise sqlite3.DatabaseError("quick_check failed")
        _migrate(connection, path)
    except BaseException:
        connection.close()
        raise
    return connection


def _migrate(connection: sqlite3.Connection, path: Path) -> None:
    version = connection.execute("PRAGMA user_version").fetchone()[0]
    pending = [(number, script) for number, script in migrations() if number > version]
    newest = len(migrations())
    if version > newest:
        raise StoreUnusable(
            f"The settings in {path} are of version {version}, newer than this program knows ({newest}). "
            "Update the program, or choose another folder with --data-dir."
        )
    if version and pending:
        with sqlite3.connect(path.with_suffix(f".before-{pending[0][0]:04d}")) as copy:
            connection.backup(copy)
    for number, script in pending:
        try:
            # executescript commits what is open, so the transaction stands inside the script.
            connection.executescript(
                f"BEGIN IMMEDIATE;\n{script}\nPRAGMA user_version = {number};\nCOMMIT;"
            )
        except sqlite3.Error:
            if connection.in_transaction:
                connection.rollback()
            raise
    # A write lock held elsewhere shows here, at the start, and not at the first change.
    with transaction(connection):
        pass


@contextmanager
def transaction(connection: sqlite3.Connection) -> Iterator[None]:
    """One change: all of it or nothing."""
    connection.execute("BEGIN IMMEDIATE")
    try:
        yield
    except BaseException:
        connection.rollback()
        raise
    connection.commit()
