"""The web's side of tuning: the loop, chain B, the room, and what is shown of a stage."""

import asyncio
import json
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np
import pytest

from goshawk.core.graph.stations import RAW
from goshawk.core.measure.room import TAKE_S
from goshawk.core.rig import changed
from goshawk.core.starting_points import STARTING_POINTS
from goshawk.engine.plan import Plan
from goshawk.errors import BadInput, BadSetting, NotFound
from goshawk.observer.desk import Desk
from goshawk.observer.passed_on import LoopHear, LoopLast, LoopNew, LoopStop, passed_on
from goshawk.observer.room_taker import QUIET_AFTER_S
from goshawk.observer.stage_figures import StageCosts
from goshawk.page_messages.chain import Spectra
from goshawk.timeline.sound import SoundWriter
from goshawk.web.application import Application
from goshawk.web.points import Listener
from tests.conftest import RATE_HZ, random_sound, tone
from tests.material import noise
from tests.playing import Playing
from tests.waiting import until
from tests.web.conftest import desk_of
from tests.web.test_application import all_of, taken

PIECE = 1600
writers: WeakKeyDictionary[Desk, SoundWriter] = WeakKeyDictionary()


def told(application: Application, name: str) -> list[Any]:
    """What the engine was told of one kind."""
    return [call[1:] for call in application.engine.told if call[0] == name]  # type: ignore[attr-defined]


def give(application: Application, name: str, sound: np.ndarray, *, gap_frames: int = 0) -> None:
    """Sound of one name, as the audio process writes it."""
    desk = desk_of(application)
    if desk not in writers:
        writers[desk] = SoundWriter(application.engine.memory)
    writer = writers[desk]
    writer.offer({*writer.names, name})
    desk.take_in()
    writer.finish(gap_frames)
    for start in range(0, len(sound), PIECE):
        piece = sound[start : start + PIECE]
        for one in writer.names:
            writer.write(one, piece if one == name else np.zeros_like(piece), 0)
        writer.finish(len(piece))
        desk.take_in()


def speak(application: Application, seconds: float, seed: int = 1) -> None:
    give(application, RAW, random_sound(seed, seconds, channels=2) * 0.1)


def run_in_loop(work: Any) -> Any:
    async def inside() -> Any:
        return await work()

    return asyncio.run(inside())


def test_the_last_seconds_are_looped_and_brought_to_one_loudness(application: Application) -> None:
    async def story() -> None:
        with pytest.raises(BadInput, match="not yet 1 seconds"):
            await application.observer.ask(passed_on(LoopLast(type="loop_last", seconds=5)))
        speak(application, 3.0)
        await application.observer.ask(passed_on(LoopLast(type="loop_last", seconds=2.0)))
        state = application.state.make().loop
        assert (state.is_on, state.heard, state.duration_s) == (True, "chain", 2.0)
        (path,) = told(application, "loop")[-1]
        assert np.load(path).shape == (2 * RATE_HZ - 480, 2)
        await application.tuning.keep_other("start_whisper")
        await until(lambda: application.state.make().loop.gains_db)
        gains = application.state.make().loop.gains_db
        assert set(gains) == {"chain", "raw", "other"}
        await application.observer.ask(passed_on(LoopHear(type="loop_hear", heard="raw")))
        heard, gain_db, other = told(application, "compare")[-1]
        assert heard == "raw"
        assert gain_db == pytest.approx(gains["raw"], abs=0.06)
        assert other == STARTING_POINTS["start_whisper"].chain
        await application.observer.ask(passed_on(LoopStop(type="loop_stop")))
        assert told(application, "loop")[-1] == (None,)
        assert not application.state.make().loop.is_on
        with pytest.raises(BadInput, match="no loop"):
            await application.observer.ask(passed_on(LoopHear(type="loop_hear", heard="raw")))

    run_in_loop(story)


def test_a_new_phrase_is_taken_and_then_looped(application: Application) -> None:
    async def story() -> None:
        await application.observer.ask(passed_on(LoopNew(type="loop_new", seconds=1.5)))
        assert application.state.make().loop.is_recording
        speak(application, 1.0)
        assert application.state.make().loop.is_recording
        speak(application, 0.6)
        await until(lambda: application.state.make().loop.is_on)
        assert not application.state.make().loop.is_recording
        assert 1.4 < application.state.make().loop.duration_s < 1.6

    run_in_loop(story)


def test_another_microphone_ends_the_loop_and_is_not_mixed_with_it(
    application: Application,
) -> None:
    async def story() -> None:
        speak(application, 2.0)
        await application.observer.ask(passed_on(LoopLast(type="loop_last", seconds=5.0)))
        await application.changes.set_setting("inputs.voice.device", "laptop")
        assert not application.state.make().loop.is_on
        with pytest.raises(BadInput, match="not yet"):
            await application.observer.ask(passed_on(LoopLast(type="loop_last", seconds=5.0)))

    run_in_loop(story)


def test_chain_b_is_kept_swapped_and_undone(application: Application) -> None:
    async def story() -> None:
        with pytest.raises(BadInput, match="no chain B"):
            await application.tuning.swap_other()
        with pytest.raises(NotFound):
            await application.tuning.keep_other("nowhere")
        await application.tuning.keep_other("start_talk")
        first = application.desk.rig.chain
        await application.tuning.swap_other()
        assert application.desk.rig.chain == STARTING_POINTS["start_talk"].chain
        assert desk_of(application).looper.other == first
        await application.changes.step(-1)
        assert application.desk.rig.chain == first

    run_in_loop(story)


def hear(application: Application, point: str, sound: np.ndarray) -> None:
    """Sound at a point, one channel given."""
    give(application, point, np.repeat(sound[:, None], 2, 1).astype(np.float32))


def suppressor_of(application: Application) -> Any:
    return next(one for one in application.desk.rig.chain if one.stage == "suppressor")


def test_the_room_is_learned_kept_and_refused(application: Application) -> None:
    lasts_s = QUIET_AFTER_S + TAKE_S + 0.5
    fan = noise("fan", lasts_s) * 1e-3

    async def story() -> None:
        page = application.visits.open()
        with pytest.raises(BadSetting, match="no such suppressor"):
            await application.tuning.learn_room("gate")
        await application.tuning.learn_room("suppressor")
        assert told(application, "set_points")[-1] == (["before:suppressor"],)
        assert application.engine.rig.devices.attic.performance == "silent", "the stand-in obeys"
        hear(application, "before:suppressor", fan)
        await asyncio.sleep(0.3)
        assert suppressor_of(application).settings.room is not None
        assert told(application, "set_points")[-1] == ([],), "nobody listens any more"
        assert application.engine.rig.devices.attic.performance == "talk"
        await application.tuning.learn_room("suppressor")
        hear(application, "before:suppressor", fan + 0.2 * tone(300, -6, lasts_s)[:, 0])
        hear(application, "before:suppressor", fan)
        await asyncio.sleep(0.1)
        before = suppressor_of(application).settings.room
        assert before is not None
        await application.tuning.learn_room("suppressor")
        loud = random_sound(5, lasts_s)[:, 0]
        hear(application, "before:suppressor", loud)
        assert suppressor_of(application).settings.room == before
        messages = await taken(page)
        assert any("not the room" in message for message in messages)
        assert any("The room is learned" in message for message in messages)
        await application.tuning.forget_room("suppressor")
        assert suppressor_of(application).settings.room is None

    run_in_loop(story)


def test_who_presses_may_end_a_word_first_and_may_cancel(application: Application) -> None:
    word = random_sound(5, 0.9)[:, 0]
    fan = noise("fan", TAKE_S + 0.5) * 1e-3

    async def story() -> None:
        await application.tuning.learn_room("suppressor")
        hear(application, "before:suppressor", np.concatenate([word, fan[:RATE_HZ]]))
        await application.tuning.learn_room("")
        assert desk_of(application).room.state is None
        assert application.engine.rig.devices.attic.performance == "talk"
        await application.tuning.learn_room("suppressor")
        hear(application, "before:suppressor", np.concatenate([word, fan]))
        await until(lambda: suppressor_of(application).settings.room is not None)

    run_in_loop(story)


def test_a_shown_stages_spectra_are_made_and_end_with_the_page(application: Application) -> None:
    page = application.visits.open()
    application.points.watch_stage(page, "eq")
    assert told(application, "set_points")[-1] == (["after:eq", "before:eq"],)
    for side, dbfs in (("before", -20), ("after", -26)):
        shown = desk_of(application)._spectra["eq"]
        shown.push(f"{side}:eq", 0, tone(100, 0, 0.3, channels=2))
        # Behind a gap it begins anew, though the window is far from full.
        shown.push(f"{side}:eq", 24_000, tone(1000, dbfs, 0.02, channels=2))
        shown.push(f"{side}:eq", 24_960, tone(1000, dbfs, 0.02, channels=2))
    desk_of(application).take_in()
    (spectra,) = [
        Spectra.model_validate_json(one) for one in all_of(page) if '"type":"spectra"' in one
    ]
    assert max(spectra.before_db) - max(spectra.after_db) == pytest.approx(6, abs=0.1)
    application.visits.close(page)
    assert told(application, "set_points")[-1] == ([],)


def test_one_band_is_heard_alone_by_who_asked_for_it(application: Application) -> None:
    """A listener at one band of an EQ gets that band, one at what the EQ removes gets that."""
    alone, whole = Listener(), Listener()
    application.points.listen(alone, "band:eq:bell_6")
    application.points.listen(whole, "removed:eq")
    (points,) = told(application, "set_points")[-1]
    assert points == ["band:eq:bell_6", "removed:eq"]
    rig = changed(application.desk.rig, "inputs.voice.device", "file")
    playing = Playing(Plan(rig=rig, points=tuple(points)), application.engine.memory)
    sound = np.zeros((1024, 2), np.float32)
    for hz, is_heard in ((150, False), (9000, True)):
        low = tone(hz, -10, 0.5, channels=2)
        playing.loop._mixer.set_replay({"voice": low}, at_once=True)
        heard = []
        for _ in range(20):
            playing.pass_by(1024 / RATE_HZ)
            application.points.pass_on_once()
            while alone.sound.qsize():
                heard.append(np.frombuffer(alone.sound.get_nowait(), np.float32))
        sound = np.concatenate(heard)
        assert (np.abs(sound[-8000:]).max() > 0.05) == is_heard
    assert whole.sound.qsize() > 0


def test_the_cost_of_a_stage_is_its_share_of_the_time() -> None:
    costs = StageCosts()
    assert costs.percent(0.005) == {}
    for number in range(100):
        costs.push(number * 6, {"gate": 0.0003, "eq": 0.0006})
    assert costs.percent(0.005) == {"gate": 1.0, "eq": 2.0}
    assert json.dumps(costs.percent(0.005))
