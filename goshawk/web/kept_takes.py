"""The sound check's takes that are kept, and the check that is in use. The sound itself is the observer's."""

from pathlib import Path

from pydantic import TypeAdapter

from goshawk.core.measure.take import TakeFigures, TakeKind
from goshawk.observer import requests
from goshawk.store import sound_checks
from goshawk.store.sound_checks import KeptCheck, StoredTake
from goshawk.store.work_folder import sweep
from goshawk.web.store_in_turn import StoreInTurn

_takes = TypeAdapter(dict[TakeKind, StoredTake])


class KeptTakes:
    """Saves what the observer wants saved."""

    def __init__(self, store: StoreInTurn, takes: dict[TakeKind, StoredTake], folder: Path) -> None:
        self._store, self._takes = store, dict(takes)
        sweep(folder, (one.file for one in takes.values()))

    def packed(self) -> bytes:
        """All takes, as JSON."""
        return _takes.dump_json(self._takes)

    async def save(self, what: requests.ToSave) -> None:
        """Keep a take, or forget one. Raises GoshawkError."""
        match what:
            case requests.SaveTake(packed):
                take = StoredTake.model_validate_json(packed)
                await self._store.do(lambda db: sound_checks.save_take(db, take))
                self._takes[take.kind] = take
            case requests.ForgetTake(kind):
                known = next((one for one in self._takes if one == kind), None)
                if known:
                    await self._store.do(lambda db: sound_checks.remove_take(db, known))
                    del self._takes[known]

    async def keep_check(self, figures: dict[TakeKind, TakeFigures]) -> KeptCheck:
        """Keep the figures of the takes from which the chain was made. Raises StoreUnusable."""
        return await self._store.do(lambda db: sound_checks.keep_check(db, figures))
