"""Who may hear by address: other programs on this machine, each with a token of its own that can be taken back."""

import asyncio
import hashlib
import secrets
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager

from goshawk.bus import Bus
from goshawk.errors import BadInput, GoshawkError, NotAllowed, NotFound
from goshawk.page_messages.wiring import AddressInfo
from goshawk.store import access_tokens
from goshawk.store.access_tokens import KeptToken
from goshawk.web.events import StateChanged
from goshawk.web.store_in_turn import StoreInTurn

MOST_TOKENS = 40
MOST_HEARING = 16
"""So many hear by address at a time."""

NOTED_EVERY_S = 60.0


class Access:
    """Keeps tokens, and knows who hears by them."""

    def __init__(self, store: StoreInTurn, kept: list[KeptToken], bus: Bus) -> None:
        self._store, self._bus = store, bus
        self._kept = {one.id: one for one in kept}
        self._shut: set[str] = set()
        """Taken back, though the disk may not know it yet."""
        self._ends: dict[str, set[asyncio.Event]] = {}

    def listed(self) -> list[AddressInfo]:
        """All tokens, the oldest first, without themselves."""
        return [
            AddressInfo(
                id=one.id,
                name=one.name,
                made_at=one.made_at,
                used_at=one.used_at,
                hearing=len(self._ends.get(one.id, ())),
            )
            for one in self._kept.values()
        ]

    async def make(self, name: str) -> tuple[str, str]:
        """A new token: its id, and itself, which is said this once. Raises BadInput, StoreUnusable."""
        if len(self._kept) >= MOST_TOKENS:
            raise BadInput(f"There are {MOST_TOKENS} addresses already. Take one back first.")
        token_id, token = secrets.token_hex(6), secrets.token_urlsafe(24)
        digest = _digest(token)
        await self._store.do(lambda db: access_tokens.save_token(db, token_id, name, digest))
        await self._read()
        return token_id, token

    async def take_back(self, token_id: str) -> None:
        """The token is worth nothing any more, and who hears by it hears no more. If that cannot be saved it stays in the
        list, to be taken back again. Raises NotFound, StoreUnusable."""
        if token_id not in self._kept:
            raise NotFound("That address is not there any more.")
        # Shut first: what cannot be written down is still silent.
        self._shut.add(token_id)
        for end in self._ends.pop(token_id, ()):
            end.set()
        self._tell()
        await self._store.do(lambda db: access_tokens.remove_token(db, token_id))
        await self._read()

    def _tell(self) -> None:
        self._bus.publish(StateChanged())

    async def _read(self) -> None:
        self._kept = {one.id: one for one in await self._store.do(access_tokens.list_tokens)}
        self._tell()

    def _find(self, token: str) -> str:
        digest = _digest(token)
        for one in self._kept.values():
            if secrets.compare_digest(one.digest, digest) and one.id not in self._shut:
                return one.id
        raise NotAllowed(
            "This address needs a valid token. Make one in Goshawk, under Wiring, Addresses."
        )

    def check(self, token: str | None) -> None:
        """Whether a token holds; None: our own page. Raises NotAllowed."""
        if token is not None:
            self._find(token)

    def require(self, token: str | None) -> str:
        """The id of a token by which somebody may hear now; None: our own page. Raises NotAllowed, BadInput."""
        token_id = "" if token is None else self._find(token)
        if sum(len(ends) for ends in self._ends.values()) >= MOST_HEARING:
            raise BadInput(f"{MOST_HEARING} programs hear by address already. End one first.")
        return token_id

    @contextmanager
    def hearing(self, token: str | None) -> Iterator[asyncio.Event]:
        """While somebody hears. The event is set when it has to end. Raises as ``require`` does."""
        token_id = self.require(token)
        end = asyncio.Event()
        self._ends.setdefault(token_id, set()).add(end)
        self._tell()
        try:
            yield end
        finally:
            ends = self._ends.get(token_id, set())
            ends.discard(end)
            if not ends:
                self._ends.pop(token_id, None)
            self._tell()

    async def note(self, token: str | None) -> None:
        """Remember that a token is used now, once a minute at most. A disk that refuses takes nothing from who hears."""
        if token is None:
            return
        token_id, now = self._find(token), time.time()
        if now - (self._kept[token_id].used_at or 0.0) < NOTED_EVERY_S:
            return
        try:
            await self._store.do(lambda db: access_tokens.note_use(db, token_id, now))
            await self._read()
        except GoshawkError:
            return

    def end_all(self) -> None:
        """Nobody hears any more: the program ends."""
        for ends in self._ends.values():
            for end in ends:
                end.set()


def credential_of(headers: Mapping[str, str], token: str | None) -> str | None:
    """The token by which a program asks; None for our own page, which needs none. Browsers say where a request comes from, and
    no page can say it for them."""
    given = headers.get("authorization", "")
    if given.lower().startswith("bearer "):
        return given[7:].strip()
    is_own = headers.get("sec-fetch-site") == "same-origin"
    return token if token is not None else None if is_own else ""


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
