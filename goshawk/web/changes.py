"""Every change of the rig that is asked for by its name: heard, saved, and shown in all windows."""

from collections.abc import Callable
from typing import Any

from goshawk.core.chain_slots import StageName
from goshawk.core.device_info import info_of
from goshawk.core.rig import Rig, changed, changed_together
from goshawk.core.rig_changes import (
    with_dismissal,
    with_feed_as,
    with_input,
    with_input_moved,
    with_output,
    with_program,
    with_stage,
    with_stage_copied,
    with_stage_moved,
    without_input,
    without_output,
    without_stage,
)
from goshawk.core.routing import FeedName, Role
from goshawk.core.target_sets import CLEARANCES, TARGET_SETS
from goshawk.devices.catalog import DEVICES
from goshawk.errors import BadSetting, NotFound
from goshawk.web.live_page import LivePage
from goshawk.web.notices import Notices
from goshawk.web.rig_desk import RigDesk
from goshawk.web.sound_file_shelf import SoundFileShelf


class Changes:
    """Goes through the rig's desk. Each raises BadSetting if it is refused: then nothing has changed."""

    def __init__(self, desk: RigDesk, files: SoundFileShelf, notices: Notices) -> None:
        self._desk, self._files, self._notices = desk, files, notices

    async def make(
        self, change: Callable[[Rig], Rig], path: str, *, is_nudge: bool = False
    ) -> None:
        """Any change; ``path`` names it in the history."""
        await self._desk.change(change, path, is_nudge=is_nudge)

    async def try_together(self, page: LivePage, values: dict[str, Any]) -> None:
        """Hear values without saving them, while a page drags."""
        self._desk.try_together(page, values)

    async def set_setting(self, path: str, value: Any, *, is_nudge: bool = False) -> None:
        """One setting."""
        await self.make(lambda rig: changed(rig, path, value), path, is_nudge=is_nudge)

    async def set_together(self, values: dict[str, Any]) -> None:
        """Several settings as one step."""
        await self.make(lambda rig: changed_together(rig, values), ",".join(values)[:200])

    async def step(self, by: int) -> None:
        """Undo (-1) or redo (+1)."""
        await self._desk.step(by)

    async def add_input(self, role: Role) -> None:
        """One more input."""
        await self.make(lambda rig: with_input(rig, role), "inputs")

    async def remove_input(self, input_id: str) -> None:
        """Take an input away."""
        gone = self._desk.set.input(input_id)
        await self.make(lambda rig: without_input(rig, input_id), "inputs")
        if gone:
            self._notices.news(f"{gone.name} was removed. Undo brings it back.")

    async def move_input(self, input_id: str, by: int) -> None:
        """Move an input in the list."""
        await self.make(lambda rig: with_input_moved(rig, input_id, by), "inputs")

    async def add_output(self, source: str, device: str) -> None:
        """One more place where a source leaves."""
        await self.make(lambda rig: with_output(rig, source, device), "outputs")

    async def remove_output(self, output_id: str) -> None:
        """Take an output away."""
        await self.make(lambda rig: without_output(rig, output_id), "outputs")

    async def feed_as(self, feed: FeedName, other: FeedName) -> None:
        """One listener gets just what another hears."""
        await self.make(lambda rig: with_feed_as(rig, feed, other), f"feeds.{feed}")

    async def take_program(self, input_id: str, program: str) -> None:
        """Lead a program's sound into an input; "" gives it back."""
        await self.make(lambda rig: with_program(rig, input_id, program), "inputs")

    async def add_stage(self, input_id: str, stage: StageName, after: str) -> None:
        """One more stage in an input's chain, behind another."""
        await self.make(lambda rig: with_stage(rig, input_id, stage, after), "chain")

    async def copy_stage(self, stage_id: str) -> None:
        """A copy of a stage behind it."""
        await self.make(lambda rig: with_stage_copied(rig, stage_id), "chain")

    async def remove_stage(self, stage_id: str) -> None:
        """Take a stage away."""
        await self.make(lambda rig: without_stage(rig, stage_id), "chain")

    async def move_stage(self, stage_id: str, by: int) -> None:
        """Move a stage in its chain."""
        await self.make(lambda rig: with_stage_moved(rig, stage_id, by), "chain")

    async def remove_file(self, file_id: str) -> None:
        """Forget a sound file; if it is playing, there is silence instead. Raises NotFound."""
        if self._desk.set.devices.file.file_id == file_id:
            await self.set_setting("devices.file.file_id", "")
            if any(info_of(DEVICES, one.device).knobs == "file" for one in self._desk.set.inputs):
                self._notices.news("The file that was playing was removed. Choose another.")
        await self._files.remove(file_id)

    async def choose_targets(self, set_id: str) -> None:
        """Take the clearances of a set. Raises NotFound."""
        chosen = next((one for one in TARGET_SETS if one.id == set_id), None)
        if chosen is None:
            raise NotFound("There is no such set of targets. Reload the page.")
        values = {f"targets.{name}": getattr(chosen.targets, name) for name in CLEARANCES}
        await self.make(lambda rig: changed_together(rig, values), "targets")

    async def dismiss(self, key: str, badness: float | None) -> None:
        """Put a finding aside at its present badness (None: it is gone)."""
        if badness is None:
            raise BadSetting("That finding is gone already.", "dismissed")
        await self.make(lambda rig: with_dismissal(rig, key, badness), "dismissed")

    async def show_all(self) -> None:
        """Forget which findings were put aside."""
        await self.make(lambda rig: rig.model_copy(update={"dismissed": ()}), "dismissed")
