"""The sound files that can be played as the microphone. Their samples lie beside the database."""

import sqlite3
import time

from goshawk.core.sound_file_info import StoredSoundFile
from goshawk.errors import NotFound
from goshawk.store.database import store_errors, transaction

_COLUMNS = "id, name, rate_hz, channels, duration_s"


def add_sound_file(connection: sqlite3.Connection, file: StoredSoundFile) -> None:
    """Remember a file whose samples are already in place."""
    with transaction(connection, "The sound file could not be kept"):
        connection.execute(
            "INSERT INTO sound_files (id, name, rate_hz, channels, duration_s, saved_at) "
            "VALUES (:id, :name, :rate_hz, :channels, :duration_s, :saved_at)",
            {**file.model_dump(), "saved_at": time.time()},
        )


def list_sound_files(connection: sqlite3.Connection) -> list[StoredSoundFile]:
    """All files, the newest first."""
    with store_errors("The sound files could not be read"):
        rows = connection.execute(
            f"SELECT {_COLUMNS} FROM sound_files ORDER BY saved_at DESC"
        ).fetchall()
    return [StoredSoundFile.model_validate(dict(row)) for row in rows]


def remove_sound_file(connection: sqlite3.Connection, file_id: str) -> None:
    """Forget a file. Raises NotFound."""
    with transaction(connection, "The sound file could not be removed"):
        gone = connection.execute("DELETE FROM sound_files WHERE id = :id", {"id": file_id})
        if not gone.rowcount:
            raise NotFound("That sound file is not there any more. Choose another.")
