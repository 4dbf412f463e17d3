"""Presets on the server: the user's own, and the starting points that ship with the application."""

import secrets

from goshawk.bus import Bus
from goshawk.core.chain_slots import same_work
from goshawk.core.preset import Preset, make_preset, read_preset
from goshawk.core.rig import Rig, changed
from goshawk.core.rig_changes import with_chain
from goshawk.core.routing import InputSettings
from goshawk.core.starting_points import STARTING_POINTS
from goshawk.errors import BadInput, BadSetting, NotFound
from goshawk.page_messages.chain import PresetInfo
from goshawk.store import presets
from goshawk.web.changes import Changes
from goshawk.web.events import StateChanged
from goshawk.web.notices import Notices
from goshawk.web.rig_desk import RigDesk
from goshawk.web.store_in_turn import StoreInTurn

LONGEST_COPIED_NAME = 70


class PresetShelf:
    """Keeps presets, and takes their chains into the rig."""

    def __init__(
        self,
        store: StoreInTurn,
        own: dict[str, Preset],
        desk: RigDesk,
        changes: Changes,
        bus: Bus,
        notices: Notices,
    ) -> None:
        self._store, self._own = store, dict(own)
        self._desk, self._changes = desk, changes
        self._bus, self._notices = bus, notices

    @property
    def _all(self) -> dict[str, Preset]:
        return {**STARTING_POINTS, **self._own}

    def listed(self) -> list[PresetInfo]:
        """All there are, starting points first."""
        return [
            PresetInfo(
                id=preset_id,
                name=preset.name,
                description=preset.description,
                is_own=preset_id in self._own,
            )
            for preset_id, preset in self._all.items()
        ]

    def changed(self, rig: Rig) -> list[str]:
        """The inputs (by id) whose chain does another work than the preset that it came from."""
        return [
            one.id
            for one in rig.inputs
            if (came_from := self._all.get(one.preset_id)) is None
            or not same_work(came_from.chain, one.chain)
        ]

    def _chosen(self, input_id: str) -> InputSettings:
        """The input whose chain is meant; "" is the main voice. Raises BadSetting."""
        rig = self._desk.set
        one = rig.input(input_id or rig.chained)
        if one is None:
            raise BadSetting("That input is not there any more. Choose another.", "inputs")
        return one

    def named(self, preset_id: str) -> Preset:
        """A preset or starting point. Raises NotFound."""
        found = self._all.get(preset_id)
        if found is None:
            raise NotFound("That preset is not there any more. Choose another.")
        return found

    def _own_one(self, preset_id: str) -> Preset:
        if preset_id in STARTING_POINTS:
            raise BadInput("Starting points stay as they are. Copy this one, and change the copy.")
        return self.named(preset_id)

    async def _keep(self, preset_id: str, preset: Preset) -> None:
        await self._store.do(lambda db: presets.save_preset(db, preset_id, preset))
        self._own = {**self._own, preset_id: preset}

    async def save(self, name: str, description: str, input_id: str = "") -> None:
        """Keep an input's chain as it is now as a new preset, from which it then comes. Raises BadSetting."""
        preset_id, one = secrets.token_hex(8), self._chosen(input_id)
        await self._keep(preset_id, make_preset(name, description, one.chain))
        await self._changes.make(
            lambda rig: changed(rig, f"inputs.{one.id}.preset_id", preset_id), "preset_id"
        )

    async def update(
        self,
        preset_id: str,
        name: str | None,
        description: str | None,
        with_present_chain: bool,
        input_id: str = "",
    ) -> None:
        """Rename or describe a preset of one's own, or put an input's present chain into it. Raises NotFound or
        BadSetting."""
        old = self._own_one(preset_id)
        one = self._chosen(input_id) if with_present_chain else None
        chain = one.chain if one else old.chain
        await self._keep(
            preset_id,
            make_preset(
                old.name if name is None else name,
                old.description if description is None else description,
                chain,
            ),
        )
        if one:
            path = f"inputs.{one.id}.preset_id"
            await self._changes.make(lambda rig: changed(rig, path, preset_id), "preset_id")
        else:
            self._bus.publish(StateChanged())

    async def copy(self, preset_id: str) -> None:
        """A copy under another name. Raises NotFound."""
        preset = self.named(preset_id)
        name = f"{preset.name[:LONGEST_COPIED_NAME]}, copy"
        await self._keep(secrets.token_hex(8), make_preset(name, preset.description, preset.chain))
        self._bus.publish(StateChanged())

    async def remove(self, preset_id: str) -> None:
        """Forget a preset of one's own; the chain stays as it is. Raises NotFound."""
        gone = self._own_one(preset_id)
        await self._store.do(lambda db: presets.remove_preset(db, preset_id))
        self._own = {key: one for key, one in self._own.items() if key != preset_id}
        self._notices.news(f"The preset {gone.name} was deleted. The chain stays as it is.")

    async def load(self, preset_id: str, input_id: str = "") -> None:
        """Take a preset's chain for an input; undo brings the old one back. Raises NotFound or BadSetting."""
        preset, one = self.named(preset_id), self._chosen(input_id)
        await self._changes.make(
            lambda rig: with_chain(rig, one.id, preset.chain, preset_id), "preset_id"
        )

    async def take_in(self, text: bytes) -> None:
        """Keep a preset from a JSON document. Raises BadPreset; the chain stays as it is either way."""
        preset = read_preset(text)
        await self._keep(secrets.token_hex(8), preset)
        self._notices.news(f"The preset {preset.name} was imported. Choose it to hear it.")
