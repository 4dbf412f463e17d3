"""A broadcast with its recording: begun together where that is wanted, gone on with after a restart, ended together."""

import asyncio
import contextlib
import time

from goshawk.errors import GoshawkError
from goshawk.supervisor import Supervisor
from goshawk.web.broadcasts import Broadcasts
from goshawk.web.notices import Notices
from goshawk.web.record_desk import RecordDesk
from goshawk.web.rig_desk import RigDesk

ENDING_TAKES_S = 30.0
"""A recording is written to its end within this, or something is wrong."""


class RecordedBroadcast:
    """If recording fails, the user is told and the broadcast goes on."""

    def __init__(
        self,
        broadcasts: Broadcasts,
        record: RecordDesk,
        desk: RigDesk,
        supervisor: Supervisor,
        notices: Notices,
    ) -> None:
        self._broadcasts, self._record, self._desk = broadcasts, record, desk
        self._supervisor, self._notices = supervisor, notices
        self._is_recorded = False

    async def begin(self) -> None:
        """Go on air. Raises BadInput."""
        self._broadcasts.go_on_air()
        await self._record_it()

    async def open(self) -> None:
        """After a start: a broadcast goes on, and so does its recording."""
        await self._broadcasts.open()
        if self._broadcasts.current:
            self._record.number_marks_from(self._broadcasts.current.last_mark)
            await self._record_it()

    async def end(self) -> None:
        """End it, and its recording if it was begun with it. Raises BadInput."""
        await self._broadcasts.go_off_air()
        if self._is_recorded:
            self._is_recorded = False
            with contextlib.suppress(GoshawkError):  # It has ended by itself.
                await self._record.stop()

    async def _record_it(self) -> None:
        stage = self._record.state.stage
        if not self._desk.set.watch.records or stage in ("starting", "running"):
            return
        if stage == "ending":
            self._supervisor.once("recording the evening", self._record_after_the_last())
        else:
            await self._begin_recording()

    async def _record_after_the_last(self) -> None:
        """One goes on air again while what was recorded before is still being written."""
        until = time.monotonic() + ENDING_TAKES_S
        while self._record.state.stage == "ending" and time.monotonic() < until:
            await asyncio.sleep(0.1)
        if self._broadcasts.is_on:
            await self._begin_recording()

    async def _begin_recording(self) -> None:
        try:
            await self._record.start()
            self._is_recorded = True
        except GoshawkError as error:
            self._notices.trouble(f"You are on air, but it is not recorded. {error}")
