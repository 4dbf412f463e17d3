"""Every change of the rig that is asked for by its name: heard, saved, and shown in all windows."""

from collections.abc import Callable
from typing import Any

from goshawk.core.chain_slots import StageName
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
from goshawk.errors import BadSetting, NotFound
from goshawk.page_messages.live import State
from goshawk.web.pages import LivePage
from goshawk.web.rig_desk import RigDesk


class Changes:
    """Goes through the rig's desk. Each returns what every window shows afterwards, and raises BadSetting if it is
    refused: then nothing has changed."""

    def __init__(
        self, desk: RigDesk, state: Callable[[], State], notify: Callable[[str, str], None]
    ) -> None:
        self._desk, self._state, self._notify = desk, state, notify

    async def make(
        self, change: Callable[[Rig], Rig], path: str, *, is_nudge: bool = False
    ) -> State:
        """Any change; ``path`` names it in the history."""
        await self._desk.change(change, path, is_nudge=is_nudge)
        return self._state()

    async def try_together(self, page: LivePage, values: dict[str, Any]) -> None:
        """Hear values without saving them, while a page drags."""
        self._desk.try_together(page, values)

    async def set_setting(self, path: str, value: Any, *, is_nudge: bool = False) -> State:
        """One setting."""
        return await self.make(lambda rig: changed(rig, path, value), path, is_nudge=is_nudge)

    async def set_together(self, values: dict[str, Any]) -> State:
        """Several settings as one step."""
        return await self.make(lambda rig: changed_together(rig, values), ",".join(values)[:200])

    async def step(self, by: int) -> State:
        """Undo (-1) or redo (+1)."""
        await self._desk.step(by)
        return self._state()

    async def add_input(self, role: Role) -> State:
        """One more input."""
        return await self.make(lambda rig: with_input(rig, role), "inputs")

    async def remove_input(self, input_id: str) -> State:
        """Take an input away."""
        gone = self._desk.set.input(input_id)
        state = await self.make(lambda rig: without_input(rig, input_id), "inputs")
        if gone:
            self._notify(f"{gone.name} was removed. Undo brings it back.", "news")
        return state

    async def move_input(self, input_id: str, by: int) -> State:
        """Move an input in the list."""
        return await self.make(lambda rig: with_input_moved(rig, input_id, by), "inputs")

    async def add_output(self, source: str, device: str) -> State:
        """One more place where a source leaves."""
        return await self.make(lambda rig: with_output(rig, source, device), "outputs")

    async def remove_output(self, output_id: str) -> State:
        """Take an output away."""
        return await self.make(lambda rig: without_output(rig, output_id), "outputs")

    async def feed_as(self, feed: FeedName, other: FeedName) -> State:
        """One listener gets just what another hears."""
        return await self.make(lambda rig: with_feed_as(rig, feed, other), f"feeds.{feed}")

    async def take_program(self, input_id: str, program: str) -> State:
        """Lead a program's sound into an input; "" gives it back."""
        return await self.make(lambda rig: with_program(rig, input_id, program), "inputs")

    async def add_stage(self, input_id: str, stage: StageName, after: str) -> State:
        """One more stage in an input's chain, behind another."""
        return await self.make(lambda rig: with_stage(rig, input_id, stage, after), "chain")

    async def copy_stage(self, stage_id: str) -> State:
        """A copy of a stage behind it."""
        return await self.make(lambda rig: with_stage_copied(rig, stage_id), "chain")

    async def remove_stage(self, stage_id: str) -> State:
        """Take a stage away."""
        return await self.make(lambda rig: without_stage(rig, stage_id), "chain")

    async def move_stage(self, stage_id: str, by: int) -> State:
        """Move a stage in its chain."""
        return await self.make(lambda rig: with_stage_moved(rig, stage_id, by), "chain")

    async def choose_targets(self, set_id: str) -> State:
        """Take the clearances of a set. Raises NotFound."""
        chosen = next((one for one in TARGET_SETS if one.id == set_id), None)
        if chosen is None:
            raise NotFound("There is no such set of targets. Reload the page.")
        values = {f"targets.{name}": getattr(chosen.targets, name) for name in CLEARANCES}
        return await self.make(lambda rig: changed_together(rig, values), "targets")

    async def dismiss(self, key: str, badness: float | None) -> State:
        """Put a finding aside at its present badness (None: it is gone)."""
        if badness is None:
            raise BadSetting("That finding is gone already.", "dismissed")
        return await self.make(lambda rig: with_dismissal(rig, key, badness), "dismissed")

    async def show_all(self) -> State:
        """Forget which findings were put aside."""
        return await self.make(lambda rig: rig.model_copy(update={"dismissed": ()}), "dismissed")
