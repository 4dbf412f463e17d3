"""The sound check, as pages ask for it: taking over what was computed. Takes and computation are the observer's."""

from pathlib import Path

from pydantic import TypeAdapter

from goshawk.core.chain_slots import Chain
from goshawk.core.measure.take import TakeFigures, TakeKind
from goshawk.core.rig import Rig
from goshawk.core.rig_changes import with_chain, with_more_trim, with_stages_of
from goshawk.errors import BadInput, NotFound
from goshawk.observer import requests
from goshawk.observer.client import ObserverClient
from goshawk.store.work_folder import HEARD_SIDES, WorkFolder, heard_path
from goshawk.web.changes import Changes
from goshawk.web.kept_takes import KeptTakes
from goshawk.web.notices import Notices
from goshawk.web.observer_document import ObserverDocument
from goshawk.web.rig_desk import RigDesk

_chain: TypeAdapter[Chain] = TypeAdapter(Chain)
_figures = TypeAdapter(dict[TakeKind, TakeFigures])


class CheckDesk:
    """Asks the observer, and changes the rig by what comes of it."""

    def __init__(
        self,
        desk: RigDesk,
        changes: Changes,
        observer: ObserverClient,
        takes: KeptTakes,
        document: ObserverDocument,
        work: WorkFolder,
        notices: Notices,
    ) -> None:
        self._desk, self._changes, self._observer = desk, changes, observer
        self._takes, self._document = takes, document
        self._work, self._notices = work, notices

    async def do(self, wish: requests.Request) -> str:
        """Have the observer do something; how the sound check stands then, as JSON. Raises GoshawkError."""
        await self._observer.ask(wish)
        text: str = await self._observer.ask(requests.CheckState())
        return text

    async def _outcome(self) -> tuple[Chain, dict[TakeKind, TakeFigures]]:
        chain, figures = await self._observer.ask(requests.CheckOutcome())
        return _chain.validate_json(chain), _figures.validate_json(figures)

    async def accept(self, stages: list[str] | None) -> None:
        """The suggested chain in place of the present one, or only some of its stages. Raises BadInput."""
        chain, figures = await self._outcome()
        if not chain:
            raise BadInput("Nothing has been computed from these takes yet. Compute it first.")

        def taken(rig: Rig) -> Rig:
            if stages is None:
                return with_chain(rig, rig.chained, chain, "")
            return with_stages_of(rig, chain, set(stages))

        await self._changes.make(taken, "chain")
        await self._accepted(figures)

    async def make_up(self, gain_db: float) -> None:
        """Let the trim make up for a change of gain or distance. Raises BadSetting."""
        trim = next((slot for slot in self._desk.set.chain if slot.stage == "trim"), None)
        await self._changes.make(lambda rig: with_more_trim(rig, gain_db), "chain.trim")
        await self._accepted((await self._outcome())[1])
        self._notices.news(
            f"The trim {'goes' if trim else 'was added, and goes'} {gain_db:+.1f} dB. Undo takes it back.".replace(
                "-", "−"
            )
        )

    async def _accepted(self, figures: dict[TakeKind, TakeFigures]) -> None:
        self._document.keep_check(await self._takes.keep_check(figures))

    def sound(self, serial: int, kind: TakeKind, side: str) -> Path:
        """A take's sound, raw or behind the suggested chain, equally loud. Raises NotFound."""
        if side in HEARD_SIDES:
            path = heard_path(self._work.named("check"), serial, kind, side)
            if path.is_file():
                return path
        raise NotFound("That sound is not there any more. Compute the check again.")
