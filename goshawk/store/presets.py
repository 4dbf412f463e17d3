"""The presets that were saved, as the documents that are exported."""

import sqlite3
import time

from goshawk.core.preset import Preset, read_preset
from goshawk.errors import BadPreset, NotFound, StoreUnusable
from goshawk.store.database import transaction


def save_preset(connection: sqlite3.Connection, preset_id: str, preset: Preset) -> None:
    """Keep a preset, in place of the one of that id if there is one."""
    try:
        with transaction(connection):
            connection.execute(
                "INSERT INTO presets (id, document, saved_at) VALUES (:id, :document, :now) "
                "ON CONFLICT (id) DO UPDATE SET document = :document, saved_at = :now",
                {"id": preset_id, "document": preset.model_dump_json(), "now": time.time()},
            )
    except sqlite3.Error as error:
        raise StoreUnusable(f"The preset could not be saved ({error}). Try again.") from None


def list_presets(connection: sqlite3.Connection) -> dict[str, Preset]:
    """Every preset by its id, the oldest first. One that cannot be read is left out, and kept."""
    found = {}
    for row in connection.execute("SELECT id, document FROM presets ORDER BY saved_at, id"):
        try:
            found[str(row["id"])] = read_preset(row["document"])
        except BadPreset:
            continue
    return found


def remove_preset(connection: sqlite3.Connection, preset_id: str) -> None:
    """Forget a preset. Raises NotFound."""
    with transaction(connection):
        gone = connection.execute("DELETE FROM presets WHERE id = :id", {"id": preset_id})
        if not gone.rowcount:
            raise NotFound("That preset is not there any more.")
