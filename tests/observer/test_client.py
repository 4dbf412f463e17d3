"""The observer's process as the web process has it: asked, lost, started again, and never a figure without its owner."""

import asyncio
import os
import signal
import socket
from pathlib import Path
from typing import Any, cast

import pytest

from goshawk.core.rig import Rig
from goshawk.errors import BadInput, ObserverLost
from goshawk.links import put
from goshawk.observer import wishes
from goshawk.observer.client import ObserverClient
from goshawk.timeline.memory import Memory
from tests.waiting import until


def test_a_link_that_nobody_reads_is_given_up_before_it_grows_without_end() -> None:
    async def story() -> None:
        ours, theirs = socket.socketpair()
        _, writer = await asyncio.open_unix_connection(sock=ours)
        news = wishes.Notify("x" * 100_000, "news")
        for _ in range(1000):
            put(writer, news)
        assert writer.transport.is_closing()
        theirs.close()
        await asyncio.sleep(0)

    asyncio.run(story())


def test_what_cannot_be_saved_for_whatever_reason_is_answered(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    async def save(what: wishes.ToSave) -> None:
        raise RuntimeError("unforeseen")

    async def story() -> None:
        client = ObserverClient("", lambda: cast(Any, None), lambda said: None, save, lambda: None)
        sent: list[Any] = []
        monkeypatch.setattr(client, "_send", sent.append)
        client._hear(wishes.AskToSave(7, wishes.ForgetTake("room")))
        await until(lambda: bool(sent))
        assert sent[0].number == 7
        assert "could not be saved" in sent[0].failure.text

    asyncio.run(story())


def test_it_answers_is_lost_and_comes_back_with_what_was_set(tmp_path: Path) -> None:
    memory = Memory.make()
    begin = wishes.Begin(
        str(tmp_path / "takes"),
        str(tmp_path / "work"),
        Rig().model_dump_json().encode(),
        b"{}",
        None,
    )
    heard: list[wishes.FromObserver] = []
    losses = 0

    def lost() -> None:
        nonlocal losses
        losses += 1

    async def save(what: wishes.ToSave) -> None: ...

    async def story() -> None:
        client = ObserverClient(memory.name, lambda: begin, heard.append, save, lost)
        with pytest.raises(ObserverLost):
            await client.ask(wishes.CheckState())
        client.follow(wishes.Shown([], [], False, True))
        client.start()
        await until(lambda: any(isinstance(one, wishes.UnderWay) for one in heard))
        first: Any = client.pid
        assert os.getpriority(os.PRIO_PROCESS, first) > 0, "the sound on air goes first"
        assert '"recording":null' in await client.ask(wishes.CheckState())
        with pytest.raises(BadInput, match="seconds of the microphone"):
            await client.ask(wishes.LoopLast(5.0))
        # What is asked of one that is killed is answered with an error, and another takes over.
        os.kill(first, signal.SIGSTOP)
        open_question = asyncio.create_task(client.ask(wishes.CheckState()))
        await asyncio.sleep(0.05)
        os.kill(first, signal.SIGKILL)
        with pytest.raises(ObserverLost, match="Try it again"):
            await open_question
        heard.clear()
        await until(lambda: any(isinstance(one, wishes.UnderWay) for one in heard))
        assert losses == 1
        assert client.pid != first
        # It knows that there are pages: a change of the check is told.
        await client.ask(wishes.StartTake("room"))
        await until(
            lambda: any(
                isinstance(one, wishes.ToPages) and one.kind == "sound_check" for one in heard
            )
        )
        last: Any = client.pid
        await client.stop()
        with pytest.raises(ProcessLookupError):
            os.kill(last, 0)

    asyncio.run(story())
    memory.remove()
