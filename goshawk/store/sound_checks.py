"""The takes of the active rig's sound check, and the check that was accepted last."""

import sqlite3
import time

from pydantic import BaseModel, TypeAdapter, ValidationError

from goshawk.core.measure.take import TakeFigures, TakeKind
from goshawk.store.database import store_errors, transaction

_figures = TypeAdapter(dict[TakeKind, TakeFigures])


class StoredTake(BaseModel):
    """A take: ``file`` names its sound in the folder of takes."""

    kind: TakeKind
    file: str
    figures: TakeFigures
    doubt: str
    taken_at: float


class KeptCheck(BaseModel):
    """Figures of the takes behind the chain in use."""

    figures: dict[TakeKind, TakeFigures]
    kept_at: float


_RIG = "(SELECT id FROM rigs WHERE is_active = 1)"


def save_take(connection: sqlite3.Connection, take: StoredTake) -> None:
    """Keep a take in place of the one of its kind. Raises StoreUnusable."""
    with transaction(connection, "The take could not be kept"):
        connection.execute(
            "INSERT OR REPLACE INTO takes (rig_id, kind, file, figures, doubt, taken_at) "
            f"VALUES ({_RIG}, :kind, :file, :figures, :doubt, :taken_at)",
            {**take.model_dump(), "figures": take.figures.model_dump_json()},
        )


def remove_take(connection: sqlite3.Connection, kind: TakeKind) -> None:
    """Forget a take."""
    with transaction(connection, "The take could not be forgotten"):
        connection.execute(f"DELETE FROM takes WHERE rig_id = {_RIG} AND kind = ?", (kind,))


def list_takes(connection: sqlite3.Connection) -> dict[TakeKind, StoredTake]:
    """Every take by its kind. One whose figures cannot be read by this version is left out."""
    found: dict[TakeKind, StoredTake] = {}
    with store_errors("The takes could not be read"):
        rows = connection.execute(
            f"SELECT kind, file, figures, doubt, taken_at FROM takes WHERE rig_id = {_RIG}"
        ).fetchall()
    for row in rows:
        try:
            figures = TakeFigures.model_validate_json(row["figures"])
            take = StoredTake.model_validate({**dict(row), "figures": figures})
        except ValidationError:
            continue
        found[take.kind] = take
    return found


def keep_check(connection: sqlite3.Connection, figures: dict[TakeKind, TakeFigures]) -> KeptCheck:
    """Remember what the chain in use was computed from. Raises StoreUnusable."""
    kept = KeptCheck(figures=figures, kept_at=time.time())
    with transaction(connection, "The check could not be kept"):
        connection.execute(
            f"INSERT OR REPLACE INTO kept_checks (rig_id, document, kept_at) VALUES ({_RIG}, ?, ?)",
            (_figures.dump_json(figures).decode(), kept.kept_at),
        )
    return kept


def load_check(connection: sqlite3.Connection) -> KeptCheck | None:
    """The check that was accepted last; None if there is none that can be read."""
    with store_errors("The kept check could not be read"):
        row = connection.execute(
            f"SELECT document, kept_at FROM kept_checks WHERE rig_id = {_RIG}"
        ).fetchone()
    if row is None:
        return None
    try:
        return KeptCheck(figures=_figures.validate_json(row["document"]), kept_at=row["kept_at"])
    except ValidationError:
        return None
