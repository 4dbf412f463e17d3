"""Tokens by which other programs may hear: their names and digests."""

import sqlite3
import time
from dataclasses import dataclass

from goshawk.errors import NotFound
from goshawk.store.database import store_errors, transaction


@dataclass(frozen=True)
class KeptToken:
    """A token as it is kept. Times in seconds since 1970; ``used_at`` None: never."""

    id: str
    name: str
    digest: str
    made_at: float
    used_at: float | None


def save_token(connection: sqlite3.Connection, token_id: str, name: str, digest: str) -> None:
    """Keep a new token."""
    with transaction(connection, "The address could not be made"):
        connection.execute(
            "INSERT INTO access_tokens (id, name, digest, made_at) VALUES (?, ?, ?, ?)",
            (token_id, name, digest, time.time()),
        )


def list_tokens(connection: sqlite3.Connection) -> list[KeptToken]:
    """Every token, the oldest first."""
    with store_errors("The addresses could not be read"):
        rows = connection.execute(
            "SELECT id, name, digest, made_at, used_at FROM access_tokens ORDER BY made_at, id"
        ).fetchall()
    return [KeptToken(*row) for row in rows]


def note_use(connection: sqlite3.Connection, token_id: str, at: float) -> None:
    """Remember when a token was last used."""
    with transaction(connection, "The use of an address could not be noted"):
        connection.execute("UPDATE access_tokens SET used_at = ? WHERE id = ?", (at, token_id))


def remove_token(connection: sqlite3.Connection, token_id: str) -> None:
    """Forget a token. Raises NotFound."""
    with transaction(connection, "The address could not be taken back"):
        gone = connection.execute("DELETE FROM access_tokens WHERE id = ?", (token_id,))
        if not gone.rowcount:
            raise NotFound("That address is not there any more.")
