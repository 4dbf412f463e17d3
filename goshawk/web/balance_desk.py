"""Balance, as pages ask for it: one press to the target, and the dip. What was measured is the observer's."""

from goshawk.core.dsp.ducker import DuckerSettings
from goshawk.core.masking.ducking import ducker_changes
from goshawk.core.rig import changed_together
from goshawk.errors import BadInput
from goshawk.observer import requests
from goshawk.observer.client import ObserverClient
from goshawk.web.changes import Changes
from goshawk.web.holds import Holds
from goshawk.web.notices import Notices
from goshawk.web.observer_document import ObserverDocument
from goshawk.web.rig_desk import RigDesk


class BalanceDesk:
    """Asks the observer, changes the rig by what comes of it, and says so."""

    def __init__(
        self,
        desk: RigDesk,
        changes: Changes,
        observer: ObserverClient,
        document: ObserverDocument,
        holds: Holds,
        notices: Notices,
    ) -> None:
        self._desk, self._changes, self._observer = desk, changes, observer
        self._document, self._holds, self._notices = document, holds, notices

    def count_anew(self) -> None:
        """Begin the count of the loudness of the full mix anew."""
        self._document.count_loudness_anew()

    async def bring_to_target(self, input_id: str) -> None:
        """Set the trim of one input, or of all (""), to what was measured. Raises BadInput if too little was."""
        if input_id and self._desk.set.input(input_id) is None:
            raise BadInput("That input is not there any more. Reload the page.")
        values, sentence = await self._observer.ask(requests.ToTarget(input_id))
        # What a hold had added is in the trim now.
        self._holds.let_go([path.split(".")[1] for path in values])
        await self._changes.make(lambda rig: changed_together(rig, values), "balance")
        self._notices.news(f"{sentence}. Undo takes it back.")

    async def suggest_ducker(self, input_id: str) -> None:
        """Set an input's ducker from what was measured. Raises BadInput if too little was."""
        found = await self._observer.ask(requests.ComputeDucker(input_id))
        settings = DuckerSettings.model_validate_json(found)
        one = self._desk.set.input(input_id)
        if one is None:
            raise BadInput("That input is not there any more. Reload the page.")
        await self._changes.make(
            lambda rig: changed_together(
                rig, ducker_changes(rig, rig.input(input_id) or one, settings)
            ),
            f"inputs.{input_id}.chain",
        )
        self._notices.news(
            f"{one.name} dips {settings.depth_db:g} dB while your voice is above "
            f"{settings.threshold_dbfs:g} dBFS, and comes back {settings.hold_ms:g} ms after your last word.".replace(
                "-", "−"
            )
        )
