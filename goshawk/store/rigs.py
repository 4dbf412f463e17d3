"""The active rig, every change of it, and undo and redo through them."""

import sqlite3
import time
from collections.abc import Callable
from dataclasses import dataclass

from pydantic import ValidationError

from goshawk.core.rig import Rig
from goshawk.core.rig_upgrades import read_rig
from goshawk.errors import StoreUnusable
from goshawk.store.database import store_errors, transaction

KEPT_REVISIONS = 500
NUDGE_S = 1.0
"""Nudges of one setting closer together than this are one step of undo (a held arrow key)."""

_NOT_SAVED = "The change is heard, but could not be saved"
_ADVICE = "It is tried again until it is; make sure of that before you close Goshawk."


@dataclass(frozen=True)
class SavedRig:
    """The active rig as it is saved, its revision, and a sentence if it is not the newest that was saved."""

    rig: Rig
    can_undo: bool
    can_redo: bool
    revision: int = 0
    notice: str | None = None


def load_active_rig(connection: sqlite3.Connection, first: Callable[[], Rig] = Rig) -> SavedRig:
    """The active rig; ``first`` makes it if there is none yet. Of damaged revisions, the newest before them that
    can be read takes their place, and that is said.

    If none can be read, StoreUnusable is raised; nothing is deleted."""
    with transaction(connection, "The saved rig could not be read"):
        row = connection.execute("SELECT id FROM rigs WHERE is_active = 1").fetchone()
        if row is None:
            cursor = connection.execute("INSERT INTO rigs (is_active, revision) VALUES (1, 1)")
            _insert(connection, int(cursor.lastrowid or 0), 1, first(), "", time.time())
    with store_errors("The saved rig could not be read"):
        active = _active(connection)
        try:
            return _found(connection, active, _read(active["document"]))
        except _Unreadable as error:
            why = str(error)
        rows = connection.execute(
            "SELECT number, document, saved_at FROM revisions WHERE rig_id = :rig "
            "ORDER BY number <= :at DESC, number DESC",
            {"rig": active["id"], "at": active["revision"]},
        ).fetchall()
    for row in rows:
        try:
            rig = _read(row["document"])
        except _Unreadable:
            continue
        with transaction(connection, "The saved rig could not be read"):
            _point_at(connection, active["id"], row["number"])
        then = time.strftime("%d %B, %H:%M:%S", time.localtime(row["saved_at"]))
        saved = _found(connection, _active(connection), rig)
        return SavedRig(
            saved.rig,
            saved.can_undo,
            saved.can_redo,
            saved.revision,
            f"The settings that were saved last cannot be read ({why}). Those of {then} are used.",
        )
    raise StoreUnusable(
        f"The saved rig cannot be read by this version ({why}). "
        "Use the version that saved it, or begin anew in another folder with --data-dir."
    )


def save_change(
    connection: sqlite3.Connection,
    rig: Rig,
    path: str,
    *,
    is_nudge: bool = False,
    over: int | None = None,
) -> SavedRig:
    """Save a new state of the active rig; what had been undone before it is forgotten. ``over`` is the revision that it
    was made from: if another is the newest, somebody else has changed the rig. Raises StoreUnusable."""
    now = time.time()
    document = rig.model_dump_json()
    with transaction(connection, _NOT_SAVED, _ADVICE):
        active = _active(connection)
        rig_id, number = active["id"], active["revision"]
        if over not in (None, number):
            raise StoreUnusable(
                "Another program has changed the settings meanwhile. The change is heard, but not saved: "
                "close the other program, and start this one again."
            )
        connection.execute(
            "DELETE FROM revisions WHERE rig_id = :rig AND number > :number",
            {"rig": rig_id, "number": number},
        )
        is_same = active["changed_path"] == path and now - (active["saved_at"] or 0.0) < NUDGE_S
        if is_nudge and is_same:
            connection.execute(
                "UPDATE revisions SET document = :document, saved_at = :now "
                "WHERE rig_id = :rig AND number = :number",
                {"document": document, "now": now, "rig": rig_id, "number": number},
            )
        else:
            number += 1
            _insert(connection, rig_id, number, rig, path, now)
            _point_at(connection, rig_id, number)
            connection.execute(
                "DELETE FROM revisions WHERE rig_id = :rig AND number <= :oldest",
                {"rig": rig_id, "oldest": number - KEPT_REVISIONS},
            )
        return _found(connection, {"id": rig_id, "revision": number}, rig)


def neighbour(connection: sqlite3.Connection, by: int) -> Rig | None:
    """What undo (-1) or redo (+1) would bring; None at either end. Raises StoreUnusable if it cannot be read."""
    with store_errors("The step could not be read"):
        active = _active(connection)
        row = connection.execute(
            "SELECT document FROM revisions WHERE rig_id = :rig AND number = :number",
            {"rig": active["id"], "number": active["revision"] + by},
        ).fetchone()
    if row is None:
        return None
    try:
        return _read(row["document"])
    except _Unreadable as error:
        raise StoreUnusable(
            f"That step cannot be read any more ({error}). Everything stays as it is."
        ) from None


def step(connection: sqlite3.Connection, by: int) -> SavedRig:
    """Undo (-1) or redo (+1); stays where it is at either end, and if what is there cannot be read. Raises
    StoreUnusable."""
    rig = neighbour(connection, by)
    with transaction(connection, "The step is heard, but could not be saved", _ADVICE):
        active = _active(connection)
        if rig is None:
            return _found(connection, active, _read_or_refuse(active["document"]))
        number = active["revision"] + by
        _point_at(connection, active["id"], number)
        return _found(connection, {"id": active["id"], "revision": number}, rig)


class _Unreadable(Exception):
    """A document is no rig that this version knows."""


def _read(document: object) -> Rig:
    try:
        return read_rig(document if isinstance(document, str) else str(document))
    except ValidationError as error:
        raise _Unreadable(error.errors()[0]["msg"]) from None
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise _Unreadable(str(error) or "it is damaged") from None


def _read_or_refuse(document: object) -> Rig:
    try:
        return _read(document)
    except _Unreadable as error:
        raise StoreUnusable(f"The saved rig cannot be read ({error}).") from None


def _active(connection: sqlite3.Connection) -> sqlite3.Row:
    row: sqlite3.Row | None = connection.execute(
        "SELECT rigs.id, rigs.revision, revisions.document, revisions.changed_path, "
        "revisions.saved_at FROM rigs LEFT JOIN revisions "
        "ON revisions.rig_id = rigs.id AND revisions.number = rigs.revision "
        "WHERE rigs.is_active = 1"
    ).fetchone()
    if row is None:
        raise StoreUnusable("No saved rig is marked as the active one. Start the program again.")
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


def _found(
    connection: sqlite3.Connection, active: sqlite3.Row | dict[str, int], rig: Rig
) -> SavedRig:
    bounds = connection.execute(
        "SELECT min(number) AS first, max(number) AS last FROM revisions WHERE rig_id = :rig",
        {"rig": active["id"]},
    ).fetchone()
    number = active["revision"]
    return SavedRig(rig, number > bounds["first"], number < bounds["last"], number)
