"""The active rig, every change of it, and undo and redo through them."""

import sqlite3
import time
from dataclasses import dataclass

from pydantic import ValidationError

from goshawk.core.rig import Rig
from goshawk.core.rig_upgrades import read_rig
from goshawk.errors import StoreUnusable
from goshawk.store.database import transaction

KEPT_REVISIONS = 500
NUDGE_S = 1.0
"""Nudges of one setting closer together than this are one step of undo (a held arrow key)."""


@dataclass(frozen=True)
class SavedRig:
    """The active rig as it is saved."""

    rig: Rig
    can_undo: bool
    can_redo: bool


def load_active_rig(connection: sqlite3.Connection) -> SavedRig:
    """The active rig; the demo's rig is made if there is none yet.

    A document that this version cannot read raises StoreUnusable; nothing is deleted."""
    with transaction(connection):
        row = connection.execute("SELECT id FROM rigs WHERE is_active = 1").fetchone()
        if row is None:
            cursor = connection.execute("INSERT INTO rigs (is_active, revision) VALUES (1, 1)")
            _insert(connection, int(cursor.lastrowid or 0), 1, Rig(), "", time.time())
    return _load(connection)


def save_change(
    connection: sqlite3.Connection, rig: Rig, path: str, *, is_nudge: bool = False
) -> SavedRig:
    """Save a new state of the active rig; what had been undone before it is forgotten."""
    now = time.time()
    try:
        with transaction(connection):
            active = _active(connection)
            rig_id, number = active["id"], active["revision"]
            connection.execute(
                "DELETE FROM revisions WHERE rig_id = :rig AND number > :number",
                {"rig": rig_id, "number": number},
            )
            is_same = active["changed_path"] == path and now - active["saved_at"] < NUDGE_S
            if is_nudge and is_same:
                connection.execute(
                    "UPDATE revisions SET document = :document, saved_at = :now "
                    "WHERE rig_id = :rig AND number = :number",
                    {
                        "document": rig.model_dump_json(),
                        "now": now,
                        "rig": rig_id,
                        "number": number,
                    },
                )
            else:
                _insert(connection, rig_id, number + 1, rig, path, now)
                _point_at(connection, rig_id, number + 1)
                connection.execute(
                    "DELETE FROM revisions WHERE rig_id = :rig AND number <= :oldest",
                    {"rig": rig_id, "oldest": number + 1 - KEPT_REVISIONS},
                )
    except sqlite3.Error as error:
        raise StoreUnusable(
            f"The change could not be saved ({error}). It is heard, but would be lost at the end."
        ) from None
    return _load(connection)


def step(connection: sqlite3.Connection, by: int) -> SavedRig:
    """Undo (-1) or redo (+1); stays where it is at either end."""
    try:
        with transaction(connection):
            active = _active(connection)
            there = connection.execute(
                "SELECT number FROM revisions WHERE rig_id = :rig AND number = :number",
                {"rig": active["id"], "number": active["revision"] + by},
            ).fetchone()
            if there:
                _point_at(connection, active["id"], there["number"])
    except sqlite3.Error as error:
        raise StoreUnusable(f"The step could not be saved ({error}). Try again.") from None
    return _load(connection)


def _active(connection: sqlite3.Connection) -> sqlite3.Row:
    row: sqlite3.Row = connection.execute(
        "SELECT rigs.id, rigs.revision, revisions.document, revisions.changed_path, "
        "revisions.saved_at FROM rigs JOIN revisions "
        "ON revisions.rig_id = rigs.id AND revisions.number = rigs.revision "
        "WHERE rigs.is_active = 1"
    ).fetchone()
    return row


def _insert(
    connection: sqlite3.Connection, rig_id: int, number: int, rig: Rig, path: str, now: float
) -> None:
    connection.execute(
        "INSERT INTO revisions (rig_id, number, document, changed_path, saved_at) "
        "VALUES (:rig, :number, :document, :path, :now)",
        {
            "rig": rig_id,
            "number": number,
            "document": rig.model_dump_json(),
            "path": path,
            "now": now,
        },
    )


def _point_at(connection: sqlite3.Connection, rig_id: int, number: int) -> None:
    connection.execute(
        "UPDATE rigs SET revision = :number WHERE id = :rig", {"number": number, "rig": rig_id}
    )


def _load(connection: sqlite3.Connection) -> SavedRig:
    active = _active(connection)
    try:
        rig = read_rig(active["document"])
    except (ValidationError, ValueError, KeyError) as error:
        what = error.errors()[0]["msg"] if isinstance(error, ValidationError) else error
        raise StoreUnusable(
            f"The saved rig cannot be read by this version ({what}). "
            "Use the version that saved it, or begin anew in another folder with --data-dir."
        ) from None
    bounds = connection.execute(
        "SELECT min(number) AS first, max(number) AS last FROM revisions WHERE rig_id = :rig",
        {"rig": active["id"]},
    ).fetchone()
    return SavedRig(rig, active["revision"] > bounds["first"], active["revision"] < bounds["last"])
