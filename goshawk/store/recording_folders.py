"""The folders in which something was recorded."""

import sqlite3
import time

from goshawk.store.database import store_errors, transaction

MOST_FOLDERS = 50


def remember_folder(connection: sqlite3.Connection, path: str) -> None:
    """Something is recorded there; of very many the oldest are forgotten."""
    with transaction(connection, "The recording's folder could not be remembered"):
        connection.execute(
            "INSERT INTO recording_folders (path, used_at) VALUES (?, ?) "
            "ON CONFLICT (path) DO UPDATE SET used_at = excluded.used_at",
            (path, time.time()),
        )
        connection.execute(
            "DELETE FROM recording_folders WHERE path NOT IN "
            "(SELECT path FROM recording_folders ORDER BY used_at DESC LIMIT ?)",
            (MOST_FOLDERS,),
        )


def list_folders(connection: sqlite3.Connection) -> list[str]:
    """All, the newest first."""
    with store_errors("The folders of recordings could not be read"):
        rows = connection.execute(
            "SELECT path FROM recording_folders ORDER BY used_at DESC"
        ).fetchall()
    return [str(row["path"]) for row in rows]
