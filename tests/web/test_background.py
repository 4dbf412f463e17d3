"""What runs beside the requests: it is kept going, takes its share and no more, and believes no sound with a gap."""

import asyncio
import json
import time
from pathlib import Path
from typing import Any, cast

import numpy as np
import pytest

from goshawk import supervisor as supervisor_module
from goshawk.core.graph.stations import RAW
from goshawk.core.measure.room import TAKE_S
from goshawk.core.observed.balance_meter import BalanceMeter
from goshawk.core.rig import Rig
from goshawk.errors import BadInput, StoreUnusable
from goshawk.observer import balance as balance_module
from goshawk.observer.passed_on import LoopLast, LoopNew, ReplayLast, passed_on
from goshawk.observer.requests import StartTake
from goshawk.observer.sound_check import COUNT_IN_S
from goshawk.page_messages.live import Levels
from goshawk.store import sound_checks
from goshawk.store.sound_checks import StoredTake
from goshawk.supervisor import Supervisor
from goshawk.units import SAMPLE_RATE_HZ
from goshawk.web.application import Application
from goshawk.web.routes import live
from tests.conftest import random_sound
from tests.material import noise
from tests.observer.test_balance import Desk
from tests.observer.test_tuning import give, speak, told
from tests.situations import takes_of
from tests.waiting import until
from tests.web.conftest import desk_of, make_application


def test_what_breaks_off_is_logged_told_once_and_begun_again(
    monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    monkeypatch.setattr(supervisor_module, "FIRST_PAUSE_S", 0.001)
    told_of: list[str] = []
    runs = 0

    async def stumble() -> None:
        nonlocal runs
        runs += 1
        if runs < 4:
            raise ZeroDivisionError

    async def once() -> None:
        raise OSError("gone")

    async def story() -> None:
        supervisor = Supervisor(told_of.append)
        task = supervisor.keep("looking on", stumble)
        supervisor.once("keeping a take", once())
        await task
        await supervisor.close()

    asyncio.run(story())
    assert runs == 4
    assert len(told_of) == 2
    assert "looking on broke off. It was started again" in " ".join(told_of)
    assert sum("broke off" in record.message for record in caplog.records) == 4


@pytest.mark.parametrize("turns", range(8))
def test_who_is_woken_and_ended_at_once_ends(
    turns: int, application: Application, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An observer once outlived the web process that was killed just after a change: it waited for this for ever."""
    balance = desk_of(application).balance

    async def look(is_trying: bool) -> None: ...

    async def pass_turns(count: int) -> None:
        for _ in range(count):
            await asyncio.sleep(0)

    async def story() -> None:
        looking_on = asyncio.create_task(balance.look_on())
        await pass_turns(9)
        balance.changed()
        await pass_turns(turns)
        looking_on.cancel()
        await pass_turns(9)
        assert looking_on.cancelled()

    monkeypatch.setattr(balance, "_look", look)
    monkeypatch.setattr(balance_module, "SETTLES_S", 0.0)
    asyncio.run(story())


def test_figures_go_on_when_one_of_them_fails(
    application: Application, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A finding that stumbles over something unforeseen once ended all figures for good."""
    real = desk_of(application).figure_once
    failures = 2

    async def stumbling() -> None:
        nonlocal failures
        if failures:
            failures -= 1
            raise KeyError("unforeseen")
        await real()

    monkeypatch.setattr(desk_of(application), "figure_once", stumbling)
    monkeypatch.setattr(supervisor_module, "FIRST_PAUSE_S", 0.001)

    async def story() -> None:
        desk = Desk(application)
        application.supervisor.keep("making the figures", desk_of(application)._make_figures)
        for _ in range(4):
            desk.hear(0.3)
            await asyncio.sleep(0.2)
        await until(lambda: application.figures.levels is not None)
        await application.supervisor.close()

    asyncio.run(story())


class PageSocket:
    """A page's end of the live link, as far as the test says something."""

    def __init__(self) -> None:
        self.incoming: asyncio.Queue[dict[str, Any]] = asyncio.Queue()

    def say(self, **message: Any) -> None:
        self.incoming.put_nowait({"type": "websocket.receive", "text": json.dumps(message)})

    async def accept(self) -> None: ...

    async def receive(self) -> dict[str, Any]:
        return await self.incoming.get()

    async def send_text(self, text: str) -> None: ...


def test_a_long_computation_does_not_hold_up_the_link(
    application: Application, monkeypatch: pytest.MonkeyPatch
) -> None:
    """``suggest_ducker`` was awaited in the page's link: mute and cough waited behind it."""
    began, ends = asyncio.Event(), asyncio.Event()

    async def slow(input_id: str) -> None:
        began.set()
        await ends.wait()

    monkeypatch.setattr(application.balance, "suggest_ducker", slow)
    socket = PageSocket()

    async def story() -> None:
        link = asyncio.create_task(live.live(cast(Any, socket), application))
        socket.say(type="suggest_ducker", input_id="game")
        await began.wait()
        socket.say(type="cough", is_on=True)
        socket.say(type="set", path="inputs.voice.is_muted", value=True)
        await until(lambda: application.desk.rig.inputs[0].is_muted)
        assert application.state.make().is_coughing
        ends.set()
        socket.incoming.put_nowait({"type": "websocket.disconnect"})
        await link

    asyncio.run(story())


def test_a_page_that_asks_faster_than_it_is_answered_is_listened_to_no_further(
    application: Application, monkeypatch: pytest.MonkeyPatch
) -> None:
    socket, ends, asked = PageSocket(), asyncio.Event(), 0

    async def slow(input_id: str) -> None:
        nonlocal asked
        asked += 1
        await ends.wait()

    monkeypatch.setattr(application.balance, "suggest_ducker", slow)

    async def story() -> None:
        link = asyncio.create_task(live.live(cast(Any, socket), application))
        for _ in range(3 * live.MOST_AT_WORK):
            socket.say(type="suggest_ducker", input_id="game")
        await until(lambda: asked == live.MOST_AT_WORK)
        for _ in range(1000):
            await asyncio.sleep(0)
        assert asked == live.MOST_AT_WORK
        ends.set()
        await until(lambda: asked == 3 * live.MOST_AT_WORK)
        socket.incoming.put_nowait({"type": "websocket.disconnect"})
        await link

    asyncio.run(story())


def test_the_loudness_of_the_whole_costs_no_more_after_hours() -> None:
    """A hundred minutes take as long as ten (a ratio within one run): it is kept as histograms of one size."""
    meter = BalanceMeter()
    segments = np.random.default_rng(1).uniform(1e-4, 1e-2, 6000)

    def cost() -> float:
        best = np.inf
        for _ in range(20):
            began = time.perf_counter()
            meter.whole()
            best = min(best, time.perf_counter() - began)
        return float(best)

    meter._session.push(segments)
    short = cost()
    for _ in range(9):
        meter._session.push(segments)
    assert meter.whole().seconds == 6_000.0
    assert cost() < 4 * short


def test_a_loop_and_a_take_have_no_hole(application: Application) -> None:
    """A piece was lost on its way: what came before it is not spliced to what comes after."""

    async def story() -> None:
        desk = desk_of(application)
        speak(application, 3.0)
        assert desk.rows.raw.whole_frames == 3 * SAMPLE_RATE_HZ
        give(application, RAW, random_sound(1, 1.2, channels=2), gap_frames=4800)
        assert desk.rows.raw.whole_frames == round(1.2 * SAMPLE_RATE_HZ)
        await application.observer.ask(passed_on(LoopNew(type="loop_new", seconds=2.0)))
        speak(application, 1.0)
        give(application, RAW, random_sound(1, 1.5, channels=2), gap_frames=480)
        assert application.state.make().loop.is_recording, "it is taken again from behind the gap"
        speak(application, 0.6)
        await until(lambda: application.state.make().loop.is_on)
        (path,) = told(application, "loop")[-1]
        assert len(np.load(path)) <= 2.1 * SAMPLE_RATE_HZ

        check = desk.sound_check
        await application.observer.ask(StartTake("room"))
        speak(application, COUNT_IN_S + 1.0)
        assert check.state.recording == "room"
        give(application, RAW, random_sound(1, 0.1, channels=2), gap_frames=480)
        assert check.progress is not None
        assert (check.progress.begins_in_s, check.progress.elapsed_s) == (0.0, 0.1)
        assert check.progress.beginnings == 1

    asyncio.run(story())


def test_a_room_is_learned_anew_after_a_gap(application: Application) -> None:
    async def story() -> None:
        await application.tuning.learn_room("suppressor")
        fan = np.repeat(noise("fan", TAKE_S + 1.0)[:, None], 2, 1).astype(np.float32) * 1e-3
        give(application, "before:suppressor", fan[: 3 * SAMPLE_RATE_HZ])
        assert desk_of(application).room.progress > 0.5
        give(application, "before:suppressor", fan[:480], gap_frames=96)
        assert desk_of(application).room.progress < 0.1

    asyncio.run(story())


def test_a_take_that_cannot_be_kept_says_so_and_leaves_nothing(
    application: Application, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It once vanished without a word."""

    def fail(*given: Any) -> None:
        raise OSError(28, "No space left on device")

    async def full(take: StoredTake) -> None:
        raise StoreUnusable("The take could not be kept (the disk is full). Try again.")

    async def story() -> None:
        check = desk_of(application).sound_check
        room = takes_of("porter")["room"]
        monkeypatch.setattr(check, "_keep", full)
        await check._judge_live("room", room)
        assert "disk is full" in check.state.refusals["room"]
        monkeypatch.setattr("goshawk.observer.sound_check.write_take", fail)
        await check._judge_live("room", room)
        assert "No space left" in check.state.refusals["room"]
        monkeypatch.setattr(np, "save", fail)
        speak(application, 3.0)
        with pytest.raises(BadInput, match="Make room on the disk"):
            await application.observer.ask(passed_on(LoopLast(type="loop_last", seconds=2.0)))
        assert not application.state.make().loop.is_on

    asyncio.run(story())
    kept = {one.file for one in sound_checks.list_takes(application.store.connection).values()}
    assert {file.name for file in (tmp_path / "takes").glob("*")} <= kept


def test_raw_voice_that_a_crash_left_is_gone_at_the_next_start(tmp_path: Path) -> None:
    for name in ("work/loop/1.npy", "work/abc/given", "sounds/unknown.npy", "takes/room-1.wav"):
        path = tmp_path / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"voice")
    application = make_application(tmp_path)
    assert not list(tmp_path.glob("**/*.npy"))
    assert not list(tmp_path.glob("**/*.wav"))
    assert not (tmp_path / "work").exists()
    assert (application.work.named("loop").stat().st_mode & 0o077) == 0, "for its user alone"
    application.work.clear()
    application.store.connection.close()


def test_a_loop_is_measured_again_after_a_drag_and_after_a_typed_change(
    application: Application,
) -> None:
    """The comparison was with what the drag had already made heard, so that nothing seemed to have changed."""
    measured: list[Rig] = []
    desk_of(application).looper.measure = measured.append  # type: ignore[method-assign]

    async def story() -> None:
        speak(application, 3.0)
        await application.observer.ask(passed_on(LoopLast(type="loop_last", seconds=2.0)))
        measured.clear()
        desk_of(application).looper._measured = application.desk.rig.chain
        path = "inputs.voice.chain.compressor.settings.ratio"
        page = application.visits.open()
        for ratio in (4.0, 5.0, 6.0):
            await application.changes.try_together(page, {path: ratio})
        assert measured == [], "a drag is measured when it ends"
        before = desk_of(application).balance._version
        await application.changes.set_setting(path, 6.0)
        assert [rig.chain for rig in measured] == [application.desk.rig.chain]
        assert desk_of(application).balance._version > before, "and so are suggestions and replay"
        desk_of(application).looper._measured = application.desk.rig.chain
        await application.changes.set_setting(path, 7.0)
        assert len(measured) == 2

    asyncio.run(story())


def test_a_drag_that_ends_where_it_began_is_no_step(application: Application) -> None:
    async def story() -> None:
        page = application.visits.open()
        value = application.desk.rig.inputs[1].fader_db
        await application.changes.try_together(page, {"inputs.game.fader_db": -40.0})
        assert not application.state.make().is_saved
        await application.changes.set_setting("inputs.game.fader_db", value)
        state = application.state.make()
        assert state.is_saved
        assert not state.can_undo
        assert application.engine.rig.inputs[1].fader_db == value  # type: ignore[union-attr]

    asyncio.run(story())


def test_a_replay_started_twice_is_measured_and_ends(application: Application) -> None:
    """The second took the first one's file away, and "measuring" stayed for ever."""

    async def story() -> None:
        desk = Desk(application)
        await desk.play(6.0)
        await asyncio.gather(
            application.observer.ask(passed_on(ReplayLast(type="replay_last", seconds=2.0))),
            application.observer.ask(passed_on(ReplayLast(type="replay_last", seconds=3.0))),
        )
        await until(lambda: not desk_of(application).replay.state.is_measuring)
        state = desk_of(application).replay.state
        assert state.is_on
        assert state.now is not None
        desk_of(application).replay.stop()
        assert not desk_of(application).replay.state.is_measuring
        assert list(application.work.named("replay").iterdir()) == []

    asyncio.run(story())


def test_no_figure_is_given_of_a_voice_that_nobody_hears(application: Application) -> None:
    """While a loop played, the top bar said that the voice stood 111 dB under the game."""

    async def story() -> None:
        desk = Desk(application)
        await desk.play(6.0)
        await application.changes.set_setting("inputs.voice.is_muted", True)
        await desk.play(14.0)
        levels = application.figures.levels
        assert isinstance(levels, Levels)
        assert levels.peaks_dbfs["voice"] is None
        assert levels.clearance_db["game"] is None
        assert levels.standings["game"].verdict == "waiting"

    asyncio.run(story())
