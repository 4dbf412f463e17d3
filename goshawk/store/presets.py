"""The presets that were saved, as the documents that are exported."""

import sqlite3
import time

from goshawk.core.preset import Preset, read_preset
from goshawk.errors import BadPreset, NotFound
from goshawk.store.database import store_errors, transaction


def save_preset(connection: sqlite3.Connection, preset_id: str, preset: Preset) -> None:
    """Keep a preset, in place of the one of that id if there is one."""
    with transaction(connection, "The preset could not be saved"):
        connection.execute(
            "INSERT INTO presets (id, document, saved_at) VALUES (:id, :document, :now) "
            "ON CONFLICT (id) DO UPDATE SET document = :document, saved_at = :now",
            {"id": preset_id, "document": preset.model_dump_json(), "now": time.time()},
        )


def list_presets(connection: sqlite3.Connection) -> dict[str, Preset]:
    """Every preset by its id, the oldest first. One that cannot be read is left out, and kept."""
    found = {}
    with store_errors("The presets could not be read"):
        rows = connection.execute(
            "SELECT id, document FROM presets ORDER BY saved_at, id"
        ).fetchall()
    for row in rows:
        try:
            found[str(row["id"])] = read_preset(row["document"])
        except BadPreset:
            continue
    return found


def remove_preset(connection: sqlite3.Connection, preset_id: str) -> None:
    """Forget a preset. Raises NotFound."""
    with transaction(connection, "The preset could not be deleted"):
        gone = connection.execute("DELETE FROM presets WHERE id = :id", {"id": preset_id})
        if not gone.rowcount:
            raise NotFound("That preset is not there any more.")
