"""Evenings: written every few seconds in one transaction, listed, read, deleted."""

import sqlite3
import time
from datetime import datetime

from pydantic import BaseModel, ValidationError

from goshawk.core.recording.document import Figures
from goshawk.core.rules.health.event import Event
from goshawk.core.watch.report import Evening
from goshawk.core.watch.second import BroadcastHistory
from goshawk.errors import NotFound
from goshawk.store.database import store_errors, transaction

MOST_LISTED = 2000


class KeptEvening(BaseModel):
    """An evening in a list."""

    id: str
    title: str
    started_utc: datetime
    seconds: float
    is_over: bool
    was_cut: bool
    figures: Figures
    events: int


def write(
    db: sqlite3.Connection,
    evening: Evening,
    minutes: dict[int, bytes],
    events: list[Event],
    meter: bytes | None,
) -> None:
    """What is new of an evening, all of it or nothing. Raises StoreUnusable."""
    document = evening.model_copy(update={"events": []}).model_dump_json()
    with transaction(db, "The evening could not be kept", "It is tried again."):
        db.execute(
            "INSERT INTO evenings (id, started_utc, is_over, document, meter) VALUES (?, ?, ?, ?, ?) "
            "ON CONFLICT (id) DO UPDATE SET is_over = excluded.is_over, document = excluded.document, "
            "meter = coalesce(excluded.meter, meter)",
            (
                evening.id,
                evening.started_utc.isoformat(),
                evening.is_over,
                document,
                meter,
            ),
        )
        db.executemany(
            "INSERT INTO minutes (evening, minute, seconds) VALUES (?, ?, ?) "
            "ON CONFLICT (evening, minute) DO UPDATE SET seconds = excluded.seconds",
            [(evening.id, minute, packed) for minute, packed in minutes.items()],
        )
        db.executemany(
            "INSERT INTO events (evening, number, document) VALUES (?, ?, ?) "
            "ON CONFLICT (evening, number) DO UPDATE SET document = excluded.document",
            [(evening.id, one.number, one.model_dump_json()) for one in events],
        )


def _evening(row: sqlite3.Row) -> Evening | None:
    try:
        return Evening.model_validate_json(row["document"])
    except ValidationError:
        return None  # Damaged: the others are still there.


def listed(db: sqlite3.Connection) -> list[KeptEvening]:
    """All, the newest first. Raises StoreUnusable."""
    with store_errors("The evenings could not be read"):
        rows = db.execute(
            "SELECT document, (SELECT count(*) FROM events WHERE evening = id) AS events FROM evenings "
            "WHERE deleted_s IS NULL ORDER BY started_utc DESC LIMIT ?",
            (MOST_LISTED,),
        ).fetchall()
    return [
        KeptEvening(
            id=one.id,
            title=one.title,
            started_utc=one.started_utc,
            seconds=one.seconds,
            is_over=one.is_over,
            was_cut=one.was_cut,
            figures=one.figures,
            events=row["events"],
        )
        for row in rows
        if (one := _evening(row)) is not None
    ]


def read(db: sqlite3.Connection, evening_id: str) -> tuple[Evening, BroadcastHistory, bytes | None]:
    """An evening with its events, its seconds and its meter. Raises NotFound, StoreUnusable."""
    with store_errors("The evening could not be read"):
        row = db.execute(
            "SELECT * FROM evenings WHERE id = ? AND deleted_s IS NULL", (evening_id,)
        ).fetchone()
        events = db.execute(
            "SELECT document FROM events WHERE evening = ? ORDER BY number", (evening_id,)
        ).fetchall()
        minutes = db.execute(
            "SELECT minute, seconds FROM minutes WHERE evening = ? ORDER BY minute", (evening_id,)
        ).fetchall()
    evening = _evening(row) if row else None
    if evening is None:
        raise NotFound("That evening is not there any more. See the list.")
    history = BroadcastHistory()
    for one in minutes:
        try:
            history.unpack_minute(one["minute"], one["seconds"])
        except ValueError:
            continue  # A damaged minute is missing; the others are not.
    found: list[Event] = []
    for one in events:
        try:
            found.append(Event.model_validate_json(one["document"]))
        except ValidationError:
            continue
    return evening.model_copy(update={"events": found}), history, row["meter"]


def before(db: sqlite3.Connection, evening: Evening) -> Evening | None:
    """The evening before one, without its events; None if it was the first. Raises StoreUnusable."""
    with store_errors("The evenings could not be read"):
        row = db.execute(
            "SELECT document FROM evenings WHERE started_utc < ? AND is_over AND deleted_s IS NULL ORDER BY started_utc DESC LIMIT 1",
            (evening.started_utc.isoformat(),),
        ).fetchone()
    return _evening(row) if row else None


def left_open(db: sqlite3.Connection) -> list[str]:
    """Those that were never ended: the program was killed. The newest first. Raises StoreUnusable."""
    with store_errors("The evenings could not be read"):
        rows = db.execute(
            "SELECT id FROM evenings WHERE NOT is_over ORDER BY started_utc DESC"
        ).fetchall()
    return [row["id"] for row in rows]


def remove(db: sqlite3.Connection, evening_id: str) -> None:
    """Put an evening aside: it can be brought back for a day. Raises NotFound, StoreUnusable."""
    with transaction(db, "The evening could not be deleted"):
        _mark(db, evening_id, time.time())


def restore(db: sqlite3.Connection, evening_id: str) -> None:
    """Bring a deleted evening back. Raises NotFound, StoreUnusable."""
    with transaction(db, "The evening could not be brought back"):
        _mark(db, evening_id, None)


def _mark(db: sqlite3.Connection, evening_id: str, deleted_s: float | None) -> None:
    is_there = "deleted_s IS NULL" if deleted_s is not None else "deleted_s IS NOT NULL"
    changed = db.execute(
        f"UPDATE evenings SET deleted_s = ? WHERE id = ? AND {is_there}", (deleted_s, evening_id)
    )
    if not changed.rowcount:
        raise NotFound("That evening is not there any more.")
