"""An evening and its recording: what begins and ends together, and what a disk that takes nothing holds up."""

import asyncio
from types import SimpleNamespace
from typing import Any

from goshawk.core.rig import Rig, changed
from goshawk.errors import BadInput
from goshawk.page_messages.recording import RecordingState
from goshawk.supervisor import Supervisor
from goshawk.web.recorded_broadcast import RecordedBroadcast
from tests.waiting import until


class Stage:
    """The evening's desk, the recorder's and the rig's, as far as an evening needs them."""

    def __init__(self, records: bool = True, refusal: str = "") -> None:
        self.set = changed(Rig(), "watch.records", records)
        self.refusal = refusal
        self.is_on = False
        self.state = RecordingState()
        self.said: list[str] = []
        self.done: list[str] = []
        desks: Any = self
        self.supervisor = Supervisor(self.said.append)
        self.evening = RecordedBroadcast(desks, desks, desks, self.supervisor, desks)

    def trouble(self, text: str) -> None:
        self.said.append(text)

    def go_on_air(self) -> None:
        if self.is_on:
            raise BadInput("You are on air already.")
        self.is_on = True

    async def go_off_air(self) -> None:
        self.is_on = False

    async def open(self) -> None:
        self.is_on = True  # It was cut by a kill, a moment ago.

    async def start(self) -> None:
        if self.refusal:
            raise BadInput(self.refusal)
        self.done.append("start")
        self.show("running")

    async def stop(self) -> None:
        self.done.append("stop")
        self.show("ending")

    @property
    def current(self) -> Any:
        return SimpleNamespace(last_mark=0) if self.is_on else None

    def number_marks_from(self, number: int) -> None: ...

    def show(self, stage: str) -> None:
        self.state = self.state.model_copy(update={"stage": stage})


def test_an_evening_begins_and_ends_with_its_recording() -> None:
    async def evening() -> None:
        stage = Stage()
        await stage.evening.begin()
        assert stage.is_on
        assert stage.done == ["start"]
        await stage.evening.end()
        assert not stage.is_on
        assert stage.done == ["start", "stop"]

    asyncio.run(evening())


def test_a_recording_that_was_begun_before_is_neither_begun_nor_ended_with_it() -> None:
    async def evening() -> None:
        stage = Stage()
        stage.show("running")
        await stage.evening.begin()
        await stage.evening.end()
        assert stage.done == []
        unwanted = Stage(records=False)
        await unwanted.evening.begin()
        assert unwanted.is_on
        assert unwanted.done == []

    asyncio.run(evening())


def test_a_disk_that_takes_nothing_is_said_and_one_is_on_air_all_the_same() -> None:
    async def evening() -> None:
        stage = Stage(refusal="The disk is full.")
        await stage.evening.begin()
        assert stage.is_on
        assert stage.said == ["You are on air, but it is not recorded. The disk is full."]
        await stage.evening.end()
        assert stage.done == [], "nothing was recorded, nothing is ended"

    asyncio.run(evening())


def test_on_air_again_while_the_last_recording_is_still_written_waits_for_its_end() -> None:
    async def evening() -> None:
        stage = Stage()
        await stage.evening.begin()
        await stage.evening.end()
        await stage.evening.begin()
        await asyncio.sleep(0)
        assert stage.done == ["start", "stop"], "the last one is on its way to the end"
        stage.show("off")
        await until(lambda: stage.done == ["start", "stop", "start"])
        await stage.supervisor.close()

    asyncio.run(evening())


def test_an_evening_that_was_cut_goes_on_with_its_recording() -> None:
    async def evening() -> None:
        stage = Stage()
        await stage.evening.open()
        assert stage.done == ["start"]
        await stage.evening.end()
        assert stage.done == ["start", "stop"]

    asyncio.run(evening())
