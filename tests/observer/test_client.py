"""The observer's process as the web process has it: asked, lost, started again, and never a figure without its owner."""

import asyncio
import os
import signal
import socket
from pathlib import Path
from typing import Any

import pytest

from goshawk.bus import Bus
from goshawk.core.rig import Rig
from goshawk.errors import BadInput, ObserverLost, ObserverSilent
from goshawk.links import put
from goshawk.observer import requests
from goshawk.observer.client import ObserverClient, ObserverGone
from goshawk.observer.passed_on import LoopLast, passed_on
from goshawk.observer.wanted import Begin, ObserverWanted, Shown
from goshawk.timeline.memory import Memory
from goshawk.wanted import WantedSender
from tests.waiting import until


class Side:
    """The web process's side of an observer: what is wanted, and what keeps what it wants saved."""

    def __init__(self, folder: Path, has_pages: bool = False) -> None:
        self._folder, self._shown = folder, Shown(has_pages=has_pages)
        self.sender = WantedSender(self._make)

    def _make(self, number: int) -> ObserverWanted:
        return ObserverWanted(
            number=number, rig=Rig().model_dump_json().encode(), shown=self._shown
        )

    def begin(self, wanted: ObserverWanted) -> Begin:
        return Begin(str(self._folder / "takes"), str(self._folder / "work"), b"{}", wanted)

    async def save(self, what: requests.ToSave) -> None:
        raise RuntimeError("unforeseen")


def test_a_link_that_nobody_reads_is_given_up_before_it_grows_without_end() -> None:
    async def story() -> None:
        ours, theirs = socket.socketpair()
        _, writer = await asyncio.open_unix_connection(sock=ours)
        news = requests.Notify("x" * 100_000, "news")
        for _ in range(1000):
            put(writer, news)
        assert writer.transport.is_closing()
        theirs.close()
        await asyncio.sleep(0)

    asyncio.run(story())


def test_the_newest_document_is_sent_once_the_last_is_confirmed_and_ahead_of_what_counts_on_it() -> (
    None
):
    state, sent = ["a"], list[tuple[int, str]]()
    sender: WantedSender[tuple[int, str]] = WantedSender(lambda number: (number, state[0]))
    sender.changed()
    assert sender.begin() == (1, "a")
    sender.connect(sent.append)
    for value in "bcd":
        state[0] = value
        sender.changed()
    assert sent == [], "the first is not followed yet"
    sender.confirm(1)
    assert sent == [(2, "d")], "of a burst the newest"
    assert not sender.is_confirmed
    state[0] = "e"
    sender.changed()
    sender.flush()
    sender.confirm(2)  # An older one than the newest confirms nothing.
    assert sent == [(2, "d"), (3, "e")]
    sender.confirm(3)
    assert sender.is_confirmed
    sender.disconnect()
    state[0] = "f"
    sender.changed()
    assert sender.begin() == (4, "f"), "whoever starts anew begins with all of it"


def test_an_observer_that_hangs_is_replaced_and_every_question_ends(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Stopped, it once kept whoever asked waiting for ever."""
    memory = Memory.make()
    side = Side(tmp_path)

    async def story() -> None:
        client = ObserverClient(memory.name, side, side, Bus())
        client.start()
        await until(lambda: client._wanted.is_confirmed)
        first: Any = client.pid
        os.kill(first, signal.SIGSTOP)
        monkeypatch.setitem(requests.LIMITS_S, requests.Opening, 0.2)
        with pytest.raises(ObserverSilent):
            await client.ask(requests.Opening())
        with pytest.raises(ObserverLost):
            await client.ask(requests.CheckState())
        await until(lambda: client.pid != first and client._wanted.is_confirmed)
        assert await client.ask(requests.CheckState())
        await client.stop()

    asyncio.run(story())
    memory.remove()


def test_what_cannot_be_saved_for_whatever_reason_is_answered(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async def story() -> None:
        side = Side(tmp_path)
        client = ObserverClient("", side, side, Bus())
        sent: list[Any] = []
        monkeypatch.setattr(client, "_send", sent.append)
        client._hear(requests.AskToSave(7, requests.ForgetTake("room")))
        await until(lambda: bool(sent))
        assert sent[0].number == 7
        assert "could not be saved" in sent[0].failure.text

    asyncio.run(story())


def test_it_answers_is_lost_and_comes_back_with_what_was_set(tmp_path: Path) -> None:
    memory = Memory.make()

    side, bus = Side(tmp_path, has_pages=True), Bus()
    heard: list[requests.UnderWay | requests.ToPages] = []
    losses: list[ObserverGone] = []
    bus.subscribe(requests.UnderWay, heard.append)
    bus.subscribe(requests.ToPages, heard.append)
    bus.subscribe(ObserverGone, losses.append)

    async def story() -> None:
        client = ObserverClient(memory.name, side, side, bus)
        with pytest.raises(ObserverLost):
            await client.ask(requests.CheckState())
        side.sender.changed()
        client.start()
        await until(lambda: any(isinstance(one, requests.UnderWay) for one in heard))
        first: Any = client.pid
        assert os.getpriority(os.PRIO_PROCESS, first) > 0, "the sound on air goes first"
        assert '"recording":null' in await client.ask(requests.CheckState())
        with pytest.raises(BadInput, match="seconds of the microphone"):
            await client.ask(passed_on(LoopLast(type="loop_last", seconds=5.0)))
        # What is asked of one that is killed is answered with an error, and another takes over.
        os.kill(first, signal.SIGSTOP)
        open_question = asyncio.create_task(client.ask(requests.CheckState()))
        await asyncio.sleep(0.05)
        os.kill(first, signal.SIGKILL)
        with pytest.raises(ObserverLost, match="Try it again"):
            await open_question
        heard.clear()
        await until(lambda: any(isinstance(one, requests.UnderWay) for one in heard))
        assert len(losses) == 1
        assert client.pid != first
        # It knows that there are pages: a change of the check is told.
        await client.ask(requests.StartTake("room"))
        await until(
            lambda: any(
                isinstance(one, requests.ToPages) and one.kind == "sound_check" for one in heard
            )
        )
        last: Any = client.pid
        await client.stop()
        with pytest.raises(ProcessLookupError):
            os.kill(last, 0)

    asyncio.run(story())
    memory.remove()
