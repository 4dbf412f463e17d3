"""Opening the database of evenings. A damaged one is kept aside and a new one begun: what is lost with it is history, not
settings."""

import os
import sqlite3
import time
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from goshawk.errors import StoreUnusable
from goshawk.store.database import BUSY_TIMEOUT_MS

VERSION = 2
KEPT_ASIDE_S = 86_400.0
"""What was deleted can be brought back for a day."""

_SCHEMA = """
BEGIN IMMEDIATE;
CREATE TABLE evenings (
    id TEXT PRIMARY KEY,
    started_utc TEXT NOT NULL,
    is_over INTEGER NOT NULL DEFAULT 0,
    document TEXT NOT NULL,
    meter BLOB,
    deleted_s REAL
);
CREATE TABLE minutes (
    evening TEXT NOT NULL REFERENCES evenings (id) ON DELETE CASCADE,
    minute INTEGER NOT NULL,
    seconds BLOB NOT NULL,
    PRIMARY KEY (evening, minute)
) WITHOUT ROWID;
CREATE TABLE events (
    evening TEXT NOT NULL REFERENCES evenings (id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    document TEXT NOT NULL,
    PRIMARY KEY (evening, number)
) WITHOUT ROWID;
PRAGMA user_version = 2;
COMMIT;
"""
"""``document`` is an evening without its events (JSON); ``meter`` its figures so far, as they are taken up again; ``deleted_s`` when it
was deleted, in seconds of Unix time."""

_FROM_1 = """
BEGIN IMMEDIATE;
ALTER TABLE evenings ADD COLUMN deleted_s REAL;
PRAGMA user_version = 2;
COMMIT;
"""


@dataclass(frozen=True)
class OpenedEvenings:
    """An open database, and a sentence if it is not the one that was there."""

    connection: sqlite3.Connection
    notice: str | None = None


def evenings_path(data_dir: Path) -> Path:
    """Where a folder of saved things has its evenings."""
    return data_dir / "evenings.db"


def open_evenings(path: Path) -> OpenedEvenings:
    """Open it, or begin it. Raises StoreUnusable if it can neither be read nor begun; the file stays as it is then."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        return OpenedEvenings(_open(path))
    except sqlite3.OperationalError as error:
        raise _unusable(path, error) from None
    except (sqlite3.DatabaseError, OSError) as error:
        if isinstance(error, OSError) or not _is_damage(error):
            raise _unusable(path, error) from None
    aside = path.with_name(f"{path.stem}-{time.strftime('%Y%m%d-%H%M%S')}{path.suffix}")
    try:
        for ending in ("", "-wal", "-shm"):
            if (old := path.with_name(path.name + ending)).exists():
                os.replace(old, aside.with_name(aside.name + ending))
        connection = _open(path)
    except (sqlite3.Error, OSError) as error:
        raise _unusable(path, error) from None
    return OpenedEvenings(
        connection,
        f"The history of your evenings is damaged, so a new one was begun. The old one is kept at {aside}.",
    )


def _unusable(path: Path, error: Exception) -> StoreUnusable:
    return StoreUnusable(
        f"The history of your evenings in {path} cannot be used ({error}). It is kept as it is; nothing of this evening is "
        "kept until it can."
    )


def _is_damage(error: Exception) -> bool:
    return "not a database" in str(error) or "malformed" in str(error)


def _open(path: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
    try:
        connection.row_factory = sqlite3.Row
        connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
        connection.execute(f"PRAGMA busy_timeout = {BUSY_TIMEOUT_MS}")
        connection.execute("PRAGMA journal_mode = WAL")
        # A power cut may cost the last seconds of history; a kill costs nothing.
        connection.execute("PRAGMA synchronous = NORMAL")
        connection.execute("PRAGMA foreign_keys = ON")
        with closing(connection.execute("PRAGMA quick_check(1)")) as found:
            if found.fetchone()[0] != "ok":
                raise sqlite3.DatabaseError("malformed")
        version = connection.execute("PRAGMA user_version").fetchone()[0]
        if version > VERSION:
            raise sqlite3.OperationalError(f"version {version} is newer than this program knows")
        if version < VERSION:
            connection.executescript(_FROM_1 if version == 1 else _SCHEMA)
        connection.execute(
            "DELETE FROM evenings WHERE deleted_s < ?", (time.time() - KEPT_ASIDE_S,)
        )
    except BaseException:
        connection.close()
        raise
    return connection
