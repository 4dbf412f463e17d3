"""The web's side of the balance: what pages are told, one press to the target, holds, dips, and the replay."""

import asyncio
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from goshawk.core.chain_slots import find_stage
from goshawk.core.masking.what_helps import Improvement
from goshawk.core.rig import Rig, changed_together
from goshawk.core.routing import InputSettings
from goshawk.engine.plan import Plan
from goshawk.errors import BadInput, NotFound
from goshawk.observer.balance import without_holds
from goshawk.observer.passed_on import ReplayHear, ReplayLast, passed_on
from goshawk.observer.replay import compared
from goshawk.page_messages.balance import BalanceState
from goshawk.page_messages.live import Levels
from goshawk.web.application import Application
from goshawk.web.live_page import LivePage
from tests.conftest import RATE_HZ
from tests.observer.test_tuning import told
from tests.playing import Playing
from tests.waiting import until
from tests.web.conftest import desk_of
from tests.web.test_application import taken


class Desk:
    """A application whose engine really plays, as fast as it can, and whose observer takes it in."""

    def __init__(self, application: Application) -> None:
        self.application = application
        self.observer = desk_of(application)
        self.playing = Playing(Plan(rig=application.desk.rig), application.engine.memory)
        self.page = application.visits.open()

    def hear(self, seconds: float, frames: int = 1024) -> None:
        """Let time pass without figures."""
        for _ in range(round(seconds * RATE_HZ / frames / 4)):
            self.playing.pass_by(4 * frames / RATE_HZ)
            self.observer.take_in()

    async def play(self, seconds: float, frames: int = 1024) -> None:
        rig = (self.application.engine.rig or self.application.desk.rig).model_copy(
            update={"block_frames": frames}
        )
        self.obey(rig=rig)
        for _ in range(round(seconds * RATE_HZ / frames / 4)):
            self.hear(4 * frames / RATE_HZ, frames)
            if self.observer.balance._is_second:
                await self.observer.figure_once()
        self.observer.balance._levels_at = 0.0
        await self.observer.figure_once()

    def obey(self, **update: Any) -> None:
        self.playing.obey(self.playing.loop.plan.model_copy(update=update))

    def clearance_db(self, name: str) -> float:
        found = self.observer.balance.meter.windows(self.application.desk.rig)[30][
            name
        ].clearance_db
        assert found is not None
        return found

    def named(self, name: str) -> InputSettings:
        return next(one for one in self.application.desk.rig.inputs if one.id == name)


async def newest(page: LivePage) -> dict[str, dict[str, Any]]:
    """The last message of each kind."""
    return {message["type"]: message for message in map(json.loads, await taken(page))}


def test_a_bad_start_is_brought_to_target_and_undone(application: Application) -> None:
    async def story() -> None:
        desk = Desk(application)
        with pytest.raises(BadInput, match=r"too little was heard|hear nothing"):
            await application.balance.bring_to_target("")
        with pytest.raises(BadInput, match="not there any more"):
            await application.balance.bring_to_target("nobody")
        await application.changes.set_together(
            {"inputs.game.fader_db": 5.0, "inputs.music.fader_db": -35.0}
        )
        await desk.play(15.0)
        assert desk.clearance_db("game") < 4.0
        assert desk.clearance_db("music") > 30.0
        await application.balance.bring_to_target("")
        state = application.state.make()
        said = (await newest(desk.page))["notice"]["text"]
        assert "Game" in said
        assert "s of speech" in said
        assert "Undo takes it back." in said
        # What was measured is shown at the gains of now, before anything new is heard …
        await desk.play(0.3)
        assert desk.clearance_db("game") == pytest.approx(12.0, abs=1.0)
        assert desk.clearance_db("music") == pytest.approx(18.0, abs=1.0)
        # … and it stays about so in what comes then: the game's own passages are not all alike.
        await desk.play(6.0)
        assert desk.clearance_db("game") == pytest.approx(12.0, abs=3.0)
        levels = Levels.model_validate((await newest(desk.page))["levels"])
        assert levels.balance.whole is not None
        assert levels.balance.whole.integrated_lufs == pytest.approx(-17.5, abs=2.0)
        assert state.can_undo
        await application.changes.step(-1)
        assert [desk.named(name).trim_db for name in ("game", "music")] == [0.0, 0.0]
        await application.changes.choose_targets("sing")
        state = application.state.make()
        assert state.target_set == "sing"
        assert state.rig.targets.music_clearance_db == 6.0
        with pytest.raises(NotFound):
            await application.changes.choose_targets("nothing")

    asyncio.run(story())


def test_a_hold_moves_by_itself_and_one_press_takes_it_into_the_trim(
    application: Application,
) -> None:
    async def story() -> None:
        desk = Desk(application)
        await application.changes.set_together(
            {"inputs.game.fader_db": 0.0, "inputs.game.is_held": True}
        )
        await desk.play(17.0)
        held = [call[0]["game"] for call in told(application, "hold") if "game" in call[0]]
        held = [db for db in held if db]
        assert held[0] == -0.25
        assert held == sorted(held, reverse=True)
        assert held[-1] >= -6.0
        assert "held_db" in (await newest(desk.page))["levels"]["balance"]
        desk.obey(held_db={"game": held[-1]})
        await desk.play(1.0)
        off = desk.clearance_db("game")
        await application.balance.bring_to_target("game")
        assert told(application, "hold")[-1] == ({},)
        assert desk.named("game").trim_db == pytest.approx(held[-1] + off - 12.0, abs=0.3)
        # A hold that is let go leaves the level where it is.
        trim_db = desk.named("game").trim_db
        desk_of(application).balance.set_held({"game": -1.5})
        await application.changes.set_setting("inputs.game.is_held", False)
        assert desk.named("game").trim_db == pytest.approx(trim_db - 1.5, abs=0.06)
        assert desk_of(application).balance.held_db == {}
        await application.changes.step(-1)
        assert (desk.named("game").trim_db, desk.named("game").is_held) == (trim_db, True)

    asyncio.run(story())


def test_what_helps_counts_what_a_hold_adds_once() -> None:
    """A held game is brought down by what is missing, and the hold goes on adding what it adds."""
    one = Improvement(
        key="target:game",
        title="",
        reason="",
        changes={"inputs.game.trim_db": -13.0, "targets.game_clearance_db": 15.0},
        sii_after=0.5,
    )
    assert without_holds(one, {"game": -6.0, "music": 1.0}).changes == {
        "inputs.game.trim_db": -7.0,
        "targets.game_clearance_db": 15.0,
    }
    assert without_holds(one, {}) == one


def test_pages_see_what_can_be_followed_and_what_would_help(application: Application) -> None:
    async def story() -> None:
        desk = Desk(application)
        await application.changes.set_together(
            {"inputs.game.fader_db": 12.0, "inputs.copilot.is_muted": True}
        )
        with pytest.raises(BadInput, match="seconds of your voice"):
            await application.balance.suggest_ducker("game")
        application.visits.look(desk.page, "balance", True)
        await desk.play(14.0)
        looking_on = asyncio.create_task(desk.observer.balance.look_on())
        await until(lambda: desk.observer.balance.state.improvements)
        state = BalanceState.model_validate((await newest(desk.page))["balance"])
        sight = state.sights[10]
        assert [band.hz for band in sight.bands][:2] == [160, 200]
        assert state.indices[-1].sii == sight.sii
        assert state.sights[3].seconds == 3.0
        assert len(state.seconds) >= 12
        assert state.improvements
        assert 10 <= state.tried_s <= 14
        best = state.improvements[0]
        assert best.sii_after > best.sii_before
        await application.changes.set_together(dict(best.changes))
        assert desk.observer.balance.state.improvements is None, "tried anew on another balance"
        await until(lambda: desk.observer.balance.state.improvements is not None)
        looking_on.cancel()
        looking = asyncio.create_task(desk.observer.balance._look(True))
        await asyncio.sleep(0)
        desk.observer.balance.changed()
        await looking
        assert desk.observer.balance.state.improvements is None, "tried was the balance before"
        await desk.observer.balance._look(True)
        assert desk.observer.balance.state.improvements is not None
        await application.balance.suggest_ducker("game")
        assert not find_stage(desk.named("game").chain, "ducker").is_bypassed
        assert "dips" in (await newest(desk.page))["notice"]["text"]
        with pytest.raises(BadInput, match="background"):
            await application.balance.suggest_ducker("voice")
        application.visits.close(desk.page)
        assert not desk_of(application).balance.is_watched
        await desk_of(application).close()

    asyncio.run(story())


def test_recorded_inputs_are_replayed_and_both_balances_compared(
    application: Application, tmp_path: Path
) -> None:
    async def story() -> None:
        desk = Desk(application)
        with pytest.raises(BadInput, match="not yet enough sound"):
            await application.observer.ask(passed_on(ReplayLast(type="replay_last", seconds=5.0)))
        with pytest.raises(BadInput, match="Nothing is replayed"):
            await application.observer.ask(
                passed_on(ReplayHear(type="replay_hear", heard="before"))
            )
        await desk.play(8.0)
        await application.observer.ask(passed_on(ReplayLast(type="replay_last", seconds=5.0)))
        path, names = told(application, "replay")[-1]
        assert np.load(path).shape[0] == len(names) == 4
        desk.obey(replay=str(path), replay_names=tuple(names))
        await desk.play(1.0)
        reach = desk_of(application).figures.reach.all()
        assert {reach[feed] for feed in ("viewers", "call", "archive")} == {"closed"}
        assert desk.playing.loop.rack.encoder.status()["peak_dbfs"] < -100, "viewers get silence"
        await application.changes.set_together({"inputs.game.fader_db": -20.0})
        await until(lambda: not desk_of(application).replay.state.is_measuring)
        state = desk_of(application).replay.state
        assert state.before is not None
        assert state.now is not None
        moved = (state.now.clearance_db["game"] or 0) - (state.before.clearance_db["game"] or 0)
        assert moved == pytest.approx(12.0, abs=0.5)
        await application.observer.ask(passed_on(ReplayHear(type="replay_hear", heard="before")))
        assert application.engine.rig is not None
        assert application.engine.rig.inputs[1].fader_db == -8.0, "what was, for the ears"
        assert application.desk.rig.inputs[1].fader_db == -20.0, "and what is, as it is set"
        (gain_db,) = told(application, "replay_gain")[-1]
        assert gain_db == pytest.approx(
            (state.now.integrated_lufs or 0) - (state.before.integrated_lufs or 0), abs=0.01
        )
        desk_of(application).replay.stop()
        assert told(application, "replay")[-1] == (None, [])
        assert application.engine.rig.inputs[1].fader_db == -20.0
        # The same, without the process between.
        other = changed_together(Rig(), {"targets.game_clearance_db": 9.0})
        sounds = np.stack([np.zeros((RATE_HZ, 2), np.float32)] * 2)
        np.save(tmp_path / "silence.npy", sounds)
        before, now = compared(tmp_path / "silence.npy", ["voice", "game"], Rig(), other)
        assert before == now
        assert before.integrated_lufs is None
        await desk_of(application).close()

    asyncio.run(story())
