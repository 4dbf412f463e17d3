"""Chain, as pages ask for it: the room, the loop, chain B and an insert's way. The work is the observer's and the engine's."""

import contextlib
from collections.abc import Callable

from goshawk.core.chain_slots import Chain
from goshawk.core.dsp.suppressor import LearnedRoom
from goshawk.core.rig import changed
from goshawk.core.rig_changes import with_chain
from goshawk.engine.client import EngineClient
from goshawk.errors import BadInput, BadSetting, GoshawkError, NotFound
from goshawk.observer import requests
from goshawk.page_messages.live import State
from goshawk.supervisor import Supervisor
from goshawk.web.changes import Changes
from goshawk.web.observer_document import Measuring
from goshawk.web.preset_shelf import PresetShelf
from goshawk.web.rig_desk import RigDesk


class TuningDesk:
    """Says what is to be learned and compared, and changes the rig by what comes of it."""

    def __init__(
        self,
        desk: RigDesk,
        changes: Changes,
        presets: PresetShelf,
        measuring: Measuring,
        want: Callable[[], None],
        engine: Callable[[], EngineClient],
        supervisor: Supervisor,
        notify: Callable[[str, str], None],
    ) -> None:
        """``want`` is called when what is wanted of the observer is another."""
        self._desk, self._changes, self._presets = desk, changes, presets
        self._measuring, self._want = measuring, want
        self._engine, self._supervisor, self._notify = engine, supervisor, notify

    async def learn_room(self, stage_id: str) -> None:
        """Learn the room for a suppressor, or break it off (""). Raises BadSetting."""
        if stage_id:
            self._suppressor(stage_id)
        self._measuring.learn(stage_id)
        self._want()

    def hear_room(self, said: requests.RoomLearned) -> None:
        """What came of learning a room, if it is still wanted."""
        if said.learning != self._measuring.learning:
            return
        self._measuring.learn("")
        self._want()
        if said.refusal or not said.room:
            self._notify(said.refusal, "trouble")
        else:
            room = LearnedRoom.model_validate_json(said.room)
            self._supervisor.once("keeping the room", self._keep_room(said.learning.stage_id, room))

    async def forget_room(self, stage_id: str) -> State:
        """Forget what a suppressor has learned. Raises BadSetting."""
        path = self._suppressor(stage_id)
        return await self._changes.set_setting(f"{path}.settings.room", None)

    async def _keep_room(self, stage_id: str, room: LearnedRoom) -> None:
        """Set what was learned, and say so; also that the suppressor is gone, or that it could not be saved."""
        value = room.model_dump(mode="json")
        try:
            path = f"{self._suppressor(stage_id)}.settings.room"
            await self._changes.make(lambda rig: changed(rig, path, value), path)
            self._notify("The room is learned. It is followed from now on.", "news")
        except GoshawkError as error:
            self._notify(str(error), "trouble")

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
            self._keep(preset.chain, preset.name)
        else:
            self._keep(self._desk.rig.chain, "the chain as it was kept")

    def _keep(self, chain: Chain, name: str) -> None:
        self._measuring.other = (chain, name)
        self._want()

    async def swap_other(self) -> State:
        """Chain B becomes the chain, and the chain becomes B. Raises BadInput."""
        kept, voice = self._measuring.other, self._desk.set.voice
        if kept is None or voice is None:
            raise BadInput("There is no chain B yet. Keep one first.")
        other, present = kept[0], voice.chain
        state = await self._changes.make(
            lambda rig: with_chain(rig, rig.chained, other, voice.preset_id), "chain"
        )
        self._keep(present, "the chain as it was before")
        return state

    def measure_insert(self, stage_id: str) -> None:
        """Send a click out by an insert. Raises NotFound."""
        found = self._desk.rig.stage(stage_id)
        if found is None or found[1].stage != "insert":
            raise NotFound("There is no such insert. It may have been removed.")
        self._engine().measure_insert(stage_id)

    def hear_insert(self, stage_id: str, way_ms: float | None) -> None:
        """How long an insert's click was away; None if it did not come back."""
        if way_ms is None:
            self._notify(
                "Nothing came back to the insert. Choose where it sends to and comes back from, start what stands there, "
                "and measure again.",
                "trouble",
            )
            return
        self._supervisor.once("setting an insert's way", self._set_way(stage_id, way_ms))

    async def _set_way(self, stage_id: str, way_ms: float) -> None:
        with contextlib.suppress(GoshawkError):  # It was removed meanwhile.
            path = self._desk.set.stage_path(stage_id)
            await self._changes.set_setting(f"{path}.settings.way_ms", way_ms)
            self._notify(f"The insert's sound is away for {way_ms:.1f} ms.", "news")
