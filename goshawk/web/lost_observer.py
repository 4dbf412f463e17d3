"""Ends a loop or replay when the observer is lost, and mutes the voices first, so that no microphone opens by itself."""

import contextlib

from goshawk.bus import Bus
from goshawk.errors import StoreUnusable
from goshawk.observer.client import ObserverGone
from goshawk.supervisor import Supervisor
from goshawk.web.changes import Changes
from goshawk.web.notices import Notices
from goshawk.web.rig_desk import RigDesk
from goshawk.web.what_plays import WhatPlays


class LostObserver:
    """Mutes first, and then lets the microphones return."""

    def __init__(
        self,
        plays: WhatPlays,
        desk: RigDesk,
        changes: Changes,
        supervisor: Supervisor,
        bus: Bus,
        notices: Notices,
    ) -> None:
        self._plays, self._desk, self._changes = plays, desk, changes
        self._supervisor, self._notices = supervisor, notices
        bus.subscribe(ObserverGone, self._hear)

    def _hear(self, _: ObserverGone) -> None:
        if self._plays.is_apart:
            self._supervisor.once("ending what played", self._mute_and_end())
            return
        self._plays.forget()
        self._notices.trouble("The process that makes the figures stopped. It was started again.")

    async def _mute_and_end(self) -> None:
        """What nobody was to hear must not go out because a process was lost: the voices are muted before their
        microphones return."""
        voices = [one for one in self._desk.set.inputs if one.role == "voice" and not one.is_muted]
        if voices:
            with contextlib.suppress(
                StoreUnusable
            ):  # It is heard, and tried again until it is saved.
                await self._changes.set_together(
                    {f"inputs.{one.id}.is_muted": True for one in voices}
                )
        self._plays.forget()
        self._notices.trouble(
            "The process that makes the figures stopped, and was started again. What played in your microphone's place "
            "has ended, so your voice was muted: unmute it when you are ready."
        )
