"""Opening the database: settings of the connection, migrations, and what to do when it is damaged.

A file is moved aside only when it is proven to be damaged, and only by the program that owns its folder. A full disk,
a lock or any other trouble is said, and the file stays where it is.
"""

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


class _Damaged(Exception):
    """The file is no database, or one whose pages do not fit together."""


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
    """Open, check and migrate, as the folder's owner. A file that is proven to be damaged is kept aside and a new one
    begun.

    Raises StoreUnusable, with the file as it was, if the folder cannot be written, the disk is full, the file is
    locked or of a newer version.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        return Opened(_open(path), None)
    except _Damaged:
        return _begin_anew(path)
    except (sqlite3.Error, OSError) as error:
        raise StoreUnusable(_sentence(path, error)) from None


def open_to_read(path: Path) -> sqlite3.Connection | None:
    """Open for reading alone, whoever owns it: nothing is changed, moved or migrated. None if there is no database
    yet. Raises StoreUnusable."""
    if not path.exists():
        return None
    try:
        connection = sqlite3.connect(
            f"{path.absolute().as_uri()}?mode=ro", uri=True, isolation_level=None
        )
        _prepare(connection)
        version = connection.execute("PRAGMA user_version").fetchone()[0]
    except sqlite3.Error as error:
        raise StoreUnusable(_sentence(path, error)) from None
    if version != len(migrations()):
        connection.close()
        raise StoreUnusable(
            f"The settings in {path} are of version {version}, not of this program's "
            f"({len(migrations())}). Start goshawk serve on that folder once, or update the program."
        )
    return connection


def _sentence(path: Path, error: Exception) -> str:
    """What is wrong with the file, and what to do; it stays as it is."""
    text = str(error)
    if isinstance(error, OSError):
        return f"The folder {path.parent} cannot be used ({error.strerror}). Choose another with --data-dir."
    if "unable to open" in text or "readonly" in text:
        return f"The settings cannot be written to {path.parent}. Choose another folder with --data-dir."
    if "locked" in text or "busy" in text:
        return (
            f"The settings in {path} are locked by another program. They are kept as they are: close "
            "that program, and start again."
        )
    if "full" in text:
        return (
            f"There is no room on the disk for the settings in {path}. They are kept as they are: make "
            "room, and start again."
        )
    return (
        f"The settings in {path} could not be read ({text}). They are kept as they are: look after the "
        "disk and start again, or choose another folder with --data-dir."
    )


def _begin_anew(path: Path) -> Opened:
    aside = path.with_name(f"{path.stem}-{time.strftime('%Y%m%d-%H%M%S')}{path.suffix}")
    try:
        for ending in ("", "-wal", "-shm"):
            if (old := path.with_name(path.name + ending)).exists():
                os.replace(old, aside.with_name(aside.name + ending))
        connection = _open(path)
    except (OSError, sqlite3.Error, _Damaged):
        raise StoreUnusable(
            f"The settings in {path} are damaged and could not be replaced; what there is, is kept beside it. "
            "Choose another folder with --data-dir."
        ) from None
    return Opened(
        connection,
        f"The settings file is damaged, so a new one was begun. The old one is kept at {aside}.",
    )


def _prepare(connection: sqlite3.Connection) -> None:
    connection.row_factory = sqlite3.Row
    # A text that is no UTF-8 is damage of one row, which its reader finds: no exception of the driver's.
    connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
    connection.execute(f"PRAGMA busy_timeout = {BUSY_TIMEOUT_MS}")


def _open(path: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
    try:
        _prepare(connection)
        _check(connection)  # Before anything is written to it.
        connection.execute("PRAGMA journal_mode = WAL")
        connection.execute("PRAGMA synchronous = FULL")
        connection.execute("PRAGMA foreign_keys = ON")
        _migrate(connection, path)
    except UnicodeError:  # The driver's own: an error's text, or a name, that is no UTF-8.
        connection.close()
        raise _Damaged from None
    except sqlite3.OperationalError as error:
        connection.close()
        if any(said in str(error) for said in _DAMAGE):
            raise _Damaged from None
        raise
    except sqlite3.DatabaseError as error:
        connection.close()
        text = str(error)
        if "not a database" in text or "malformed" in text:
            raise _Damaged from None
        raise
    except BaseException:
        connection.close()
        raise
    return connection


_DAMAGE = ("unsupported file format", "no such collation sequence", "malformed")
"""What SQLite says, as an error of the operation, of a file whose first page is not its own any more."""


def _check(connection: sqlite3.Connection) -> None:
    """The whole check, indexes too: the quick one passes over rows that an index has lost. Raises _Damaged."""
    try:
        found = connection.execute("PRAGMA integrity_check(1)").fetchone()
    except UnicodeError:
        raise _Damaged from None
    if found is None or found[0] != "ok":
        raise _Damaged


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
    with _transaction(connection):
        pass


@contextmanager
def _transaction(connection: sqlite3.Connection) -> Iterator[None]:
    connection.execute("BEGIN IMMEDIATE")
    try:
        yield
        connection.commit()
    except BaseException:
        if connection.in_transaction:
            connection.rollback()
        raise


@contextmanager
def store_errors(what: str, advice: str = "Try again.") -> Iterator[None]:
    """Trouble of the database leaves the store as StoreUnusable: ``what`` was not done, why, and what to do."""
    try:
        yield
    except (sqlite3.Error, UnicodeError) as error:
        text = str(error)
        reason = (
            "the disk is full"
            if "full" in text
            else "the settings are locked by another program"
            if "locked" in text or "busy" in text
            else text
        )
        raise StoreUnusable(f"{what} ({reason}). {advice}") from None


@contextmanager
def transaction(
    connection: sqlite3.Connection, what: str, advice: str = "Try again."
) -> Iterator[None]:
    """One change: all of it or nothing. Raises StoreUnusable, beginning with ``what`` was not done."""
    with store_errors(what, advice), _transaction(connection):
        yield
