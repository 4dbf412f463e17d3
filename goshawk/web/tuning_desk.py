"""Chain, as pages ask for it: the room, the loop, chain B and an insert's way. The work is the observer's and the engine's."""

import contextlib

from goshawk.bus import Bus
from goshawk.core.dsp.suppressor import LearnedRoom
from goshawk.core.rig import changed
from goshawk.core.rig_changes import with_chain
from goshawk.engine.client import EngineClient
from goshawk.engine.messages import InsertMeasured
from goshawk.errors import BadInput, BadSetting, GoshawkError, NotFound
from goshawk.observer import requests
from goshawk.supervisor import Supervisor
from goshawk.web.changes import Changes
from goshawk.web.notices import Notices
from goshawk.web.observer_document import ObserverDocument
from goshawk.web.points import Points
from goshawk.web.preset_shelf import PresetShelf
from goshawk.web.rig_desk import RigDesk


class TuningDesk:
    """Says what is to be learned and compared, and changes the rig by what comes of it."""

    def __init__(
        self,
        desk: RigDesk,
        changes: Changes,
        presets: PresetShelf,
        document: ObserverDocument,
        points: Points,
        engine: EngineClient,
        supervisor: Supervisor,
        bus: Bus,
        notices: Notices,
    ) -> None:
        self._desk, self._changes, self._presets = desk, changes, presets
        self._document, self._points, self._engine = document, points, engine
        self._supervisor, self._notices = supervisor, notices
        bus.subscribe(requests.RoomLearned, self._hear_room)
        bus.subscribe(InsertMeasured, self._hear_insert)

    async def learn_room(self, stage_id: str) -> None:
        """Learn the room for a suppressor, or break it off (""). Raises BadSetting."""
        if stage_id:
            self._suppressor(stage_id)
        self._learn(stage_id)

    def _learn(self, stage_id: str) -> None:
        self._points.learn(stage_id)
        self._document.learn(stage_id)

    def _hear_room(self, said: requests.RoomLearned) -> None:
        """What came of learning a room, if it is still wanted."""
        if said.learning != self._document.learning:
            return
        self._learn("")
        if said.refusal or not said.room:
            self._notices.trouble(said.refusal)
        else:
            room = LearnedRoom.model_validate_json(said.room)
            self._supervisor.once("keeping the room", self._keep_room(said.learning.stage_id, room))

    async def forget_room(self, stage_id: str) -> None:
        """Forget what a suppressor has learned. Raises BadSetting."""
        path = self._suppressor(stage_id)
        await self._changes.set_setting(f"{path}.settings.room", None)

    async def _keep_room(self, stage_id: str, room: LearnedRoom) -> None:
        """Set what was learned, and say so; also that the suppressor is gone, or that it could not be saved."""
        value = room.model_dump(mode="json")
        try:
            path = f"{self._suppressor(stage_id)}.settings.room"
            await self._changes.make(lambda rig: changed(rig, path, value), path)
            self._notices.news("The room is learned. It is followed from now on.")
        except GoshawkError as error:
            self._notices.trouble(str(error))

    def _suppressor(self, stage_id: str) -> str:
        """The path of a suppressor."""
        found = self._desk.set.stage(stage_id)
        if found is None or found[1].stage != "suppressor":
            raise BadSetting("There is no such suppressor in any chain.", stage_id)
        return self._desk.set.stage_path(stage_id)

    async def keep_other(self, preset_id: str) -> None:
        """Keep the present chain as chain B, or take a preset for it. Raises NotFound."""
        if preset_id:
            preset = self._presets.named(preset_id)
            self._document.compare_with(preset.chain, preset.name)
        else:
            self._document.compare_with(self._desk.rig.chain, "the chain as it was kept")

    async def swap_other(self) -> None:
        """Chain B becomes the chain, and the chain becomes B. Raises BadInput."""
        kept, voice = self._document.other, self._desk.set.voice
        if kept is None or voice is None:
            raise BadInput("There is no chain B yet. Keep one first.")
        other, present = kept[0], voice.chain
        await self._changes.make(
            lambda rig: with_chain(rig, rig.chained, other, voice.preset_id), "chain"
        )
        self._document.compare_with(present, "the chain as it was before")

    def measure_insert(self, stage_id: str) -> None:
        """Send a click out by an insert. Raises NotFound."""
        found = self._desk.rig.stage(stage_id)
        if found is None or found[1].stage != "insert":
            raise NotFound("There is no such insert. It may have been removed.")
        self._engine.measure_insert(stage_id)

    def _hear_insert(self, said: InsertMeasured) -> None:
        """How long an insert's click was away; None if it did not come back."""
        if said.way_ms is None:
            self._notices.trouble(
                "Nothing came back to the insert. Choose where it sends to and comes back from, start what stands there, "
                "and measure again."
            )
            return
        self._supervisor.once("setting an insert's way", self._set_way(said.stage_id, said.way_ms))

    async def _set_way(self, stage_id: str, way_ms: float) -> None:
        with contextlib.suppress(GoshawkError):  # It was removed meanwhile.
            path = self._desk.set.stage_path(stage_id)
            await self._changes.set_setting(f"{path}.settings.way_ms", way_ms)
            self._notices.news(f"The insert's sound is away for {way_ms:.1f} ms.")
