"""What pages and listeners get when they are slow, and whose microphone is heard."""

import asyncio
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from goshawk.core.observed.reach import VoicesNow
from goshawk.core.routing import InputSettings
from goshawk.engine.client import ForUser
from goshawk.engine.messages import Seen
from goshawk.engine.plan import Plan
from goshawk.errors import BadSetting
from goshawk.observer.client import ObserverGone
from goshawk.page_messages import balance, settings, wiring
from goshawk.store.rigs import load_active_rig
from goshawk.web import buffer_search, cough_key
from goshawk.web.application import Application
from goshawk.web.commands import obey
from goshawk.web.live_page import WAITING_MESSAGES, LivePage
from goshawk.web.points import WAITING_SOUND, Listener
from tests.playing import NOBODY, Playing, engine_reading
from tests.waiting import until
from tests.web.conftest import desk_of, make_application

EQ = "inputs.voice.chain.eq.settings"


async def taken(page: LivePage) -> list[str]:
    """What waits for a page."""
    messages = []
    try:
        while True:
            async with asyncio.timeout(0.01):
                messages.append(await page.next())
    except TimeoutError:
        return messages


def all_of(page: LivePage) -> list[str]:
    return asyncio.run(taken(page))


def test_many_wishes_at_once_are_all_kept(application: Application) -> None:
    """Settings, presets and takes share one connection: they go one after the other, and none is lost."""

    async def story() -> None:
        await asyncio.gather(
            *(
                application.changes.set_setting("inputs.game.fader_db", -float(n))
                for n in range(12)
            ),
            *(application.presets.save(f"Mine {n}", "") for n in range(12)),
            *(application.presets.copy("start_noisy") for _ in range(6)),
        )

    asyncio.run(story())
    own = [one.name for one in application.state.make().presets if one.is_own]
    assert {f"Mine {n}" for n in range(12)} <= set(own)
    assert len(own) == 18
    again = load_active_rig(application.store.connection)
    assert again.rig == application.desk.rig
    assert again.rig.inputs[1].fader_db == -11.0


def test_a_slow_page_gets_every_state_but_only_the_newest_readings() -> None:
    page = LivePage()
    for number in range(10):
        page.tell(f"state {number}")
        page.tell_newest("readings", f"readings {number}")
        page.tell_newest("levels", f"levels {number}")
    assert all_of(page) == [*(f"state {n}" for n in range(10)), "readings 9", "levels 9"]
    page = LivePage()
    for number in range(WAITING_MESSAGES + 5):
        page.tell(str(number))
    assert all_of(page)[0] == "5"


def test_a_slow_listener_loses_the_oldest_sound_and_it_is_counted() -> None:
    listener = Listener()
    for number in range(WAITING_SOUND + 3):
        listener.hear(bytes([number]))
    assert listener.dropped == 3
    assert listener.sound.get_nowait() == b"\x03"


def test_lamps_follow_the_engine_alone_and_say_when_they_do_not_know(
    application: Application,
) -> None:
    """Also while the observer hangs, and never from the last value."""
    now_s = [1000.0]
    application.lamps._clock_s = lambda: now_s[0]
    page = application.visits.open()
    voices = VoicesNow([1.0] * 4, [0.3] * 4, [True] * 4, False)
    application.bus.publish(Seen(1, 4800, voices, engine_reading()))
    application.bus.publish(Seen(2, 9600, NOBODY, engine_reading()))
    assert application.other_programs.facts.reach["viewers"] == "closed"
    now_s[0] += 1.1
    application.lamps._show()
    shown = [json.loads(one)["reach"]["viewers"] for one in all_of(page) if '"lamps"' in one]
    assert shown == ["unknown", "unknown"], "at first, and the newest, which replaces those before"
    assert application.other_programs.facts.reach["viewers"] == "unknown"


def test_a_page_that_nobody_sees_costs_no_figures_and_gets_them_again(
    application: Application,
) -> None:
    async def story() -> None:
        page = application.visits.open()
        application.visits.look(page, "balance", True)
        await taken(page)

        async def come() -> list[str]:
            for kind in ("readings", "levels", "lamps"):
                application.visits._pages.tell(json.dumps({"type": kind}), kind)
            return sorted(json.loads(one)["type"] for one in await taken(page))

        def shown() -> tuple[bool, bool]:
            made = application.document.make(1).shown
            return made.has_pages, made.is_balance

        assert (await come(), shown()) == (["lamps", "levels", "readings"], (True, True))
        await obey(application, page, settings.BeShown(type="be_shown", is_on=False))
        assert (await come(), shown()) == (["lamps"], (False, False))
        await obey(application, page, settings.BeShown(type="be_shown", is_on=True))
        assert "sound_check" in await come(), "what it has missed comes first"
        assert (await come(), shown()) == (["lamps", "levels", "readings"], (True, True))

    asyncio.run(story())


def test_the_last_window_to_open_its_microphone_is_heard(application: Application) -> None:
    one, two = Listener(), Listener()
    page = application.visits.open()
    application.microphone.claim(one)
    application.microphone.push(one, 48_000, 1, b"one")
    application.microphone.claim(two)
    application.microphone.push(one, 48_000, 1, b"unheard")
    application.microphone.push(two, 48_000, 1, b"two")
    application.microphone.leave(one)
    told = application.engine.told  # type: ignore[attr-defined]
    assert [call[-1] for call in told if call[0] == "push_microphone"] == [b"one", b"two"]
    assert [call for call in told if call[0] == "stop_microphone"] == [("stop_microphone",)]
    assert any("Another window" in message for message in all_of(page))


@pytest.mark.parametrize(
    "message",
    [
        wiring.Cough(type="cough", is_on=True),
        settings.TrySetting(type="try", path="inputs.game.fader_db", value=-20.0),
        wiring.WatchDevices(type="watch_devices", is_on=True),
        balance.WatchBalance(type="watch_balance", is_on=True),
    ],
    ids=lambda message: message.type,
)
def test_what_a_page_asked_for_is_not_begun_once_it_is_gone(
    application: Application, message: Any
) -> None:
    """Queued with the disconnect, a cough kept voices shut until a restart, and a drag was heard for ever."""
    page = application.visits.open()
    application.visits.close(page)
    before = application.document.make(1)
    asyncio.run(obey(application, page, message))
    assert not application.cough_key.is_held
    assert not application.desk.is_trying
    assert application.document.make(1) == before


def test_sound_is_only_asked_for_while_somebody_listens(application: Application) -> None:
    listeners = [Listener(), Listener()]
    for listener in listeners:
        application.points.listen(listener, "viewers")
    application.points.listen(listeners[1], "input:game")
    playing = Playing(Plan(points=("listen:viewers",)), application.engine.memory)
    playing.pass_by(0.01)
    application.points.pass_on_once()
    for listener in listeners:
        application.points.listen(listener, None)
    told = application.engine.told  # type: ignore[attr-defined]
    points = [call[1] for call in told if call[0] == "set_points"]
    assert points == [
        ["listen:viewers"],
        ["listen:viewers"],
        ["input:game", "listen:viewers"],
        ["input:game"],
        [],
    ]
    assert [listener.sound.qsize() for listener in listeners] == [1, 0]


def test_a_page_that_is_gone_coughs_for_a_moment_and_watches_no_more(
    application: Application, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cough_key, "OUTLASTS_S", 0.02)

    async def story() -> None:
        one, two = application.visits.open(), application.visits.open()
        application.cough_key.hold(one, True)
        application.cough_key.hold(two, True)
        application.visits.look(one, "devices", True)
        application.visits.close(two)
        await until(lambda: two not in application.cough_key._holders)
        assert application.state.make().is_coughing, "the other window still holds the key"
        application.visits.close(one)
        assert application.state.make().is_coughing, "its connection may only have broken"
        again = application.visits.open()
        application.cough_key.hold(again, True)
        await until(lambda: one not in application.cough_key._holders)
        assert application.state.make().is_coughing, "the key is held all the while"
        application.visits.close(again)
        await until(lambda: not application.state.make().is_coughing)

    asyncio.run(story())
    told = application.engine.told  # type: ignore[attr-defined]
    assert [call for call in told if call[0] in ("cough", "watch_devices")] == [
        ("cough", True),
        ("watch_devices", True),
        ("watch_devices", False),
        ("cough", False),
    ]


def test_a_refused_change_leaves_everything_as_it_was(application: Application) -> None:
    before = application.desk.rig

    async def story() -> None:
        page = application.visits.open()
        await application.changes.try_together(page, {"inputs.game.fader_db": -40})
        assert application.engine.rig.inputs[1].fader_db == -40  # type: ignore[attr-defined]
        with pytest.raises(BadSetting):
            await application.changes.set_setting("inputs.game.fader_db", 400)

    asyncio.run(story())
    assert application.desk.rig == before
    assert application.engine.rig == before  # type: ignore[attr-defined]
    assert application.state.make().is_saved


def test_a_drag_tells_pages_and_the_observer_its_values_alone(application: Application) -> None:
    async def story() -> None:
        dragging, other = application.visits.open(), application.visits.open()
        await taken(other)
        before = application.document.make(0)
        for path, value in (("inputs.game.fader_db", -40.0), (f"{EQ}.bell_1.gain_db", 6.0)):
            await application.changes.try_together(dragging, {path: value})
        first, second = (json.loads(text) for text in await taken(other))
        assert first["values"] == {"inputs.game.fader_db": -40.0}
        assert second["type"] == "tried"
        assert second["values"] == {"inputs.game.fader_db": -40.0, f"{EQ}.bell_1.gain_db": 6.0}
        assert list(second["curves"]) == ["eq"]
        wanted = application.document.make(0)
        assert (wanted.rig, json.loads(wanted.tried or b"")) == (before.rig, second["values"])
        assert desk_of(application).rig == application.desk.rig
        assert desk_of(application).rig_set == application.desk.set
        # Whoever opens a window now sees it all; when the drag is taken back, all do.
        whole = json.loads((await taken(application.visits.open()))[0])
        assert whole["rig"]["inputs"][1]["fader_db"] == -40.0
        application.visits.close(dragging)
        assert json.loads((await taken(other))[-1])["type"] == "state"
        assert desk_of(application).rig == application.desk.set

    asyncio.run(story())


def test_a_page_is_told_what_was_wrong_at_the_start(tmp_path: Path) -> None:
    (tmp_path / "goshawk.db").write_bytes(b"damaged" * 1000)
    application = make_application(tmp_path)

    async def story() -> None:
        assert any("is kept at" in message for message in await taken(application.visits.open()))

    asyncio.run(story())
    application.store.connection.close()


def test_a_lost_engines_levels_are_not_shown_any_more(application: Application) -> None:
    playing = Playing(Plan(), application.engine.memory)
    for _ in range(20):
        playing.pass_by(0.1)
        desk_of(application).take_in()
    asyncio.run(desk_of(application).figure_once())
    assert application.figures.levels is not None
    assert application.figures.levels.stations["microphone"].highest_peak_dbfs == pytest.approx(
        -40, abs=30
    )
    assert application.figures.levels.momentary_lufs is not None
    application.engine.is_running = False  # type: ignore[misc]
    application.bus.publish(ForUser("gone"))
    assert application.figures.levels is None
    # The next process goes on later on the same timeline; what was before says nothing of it.
    last = desk_of(application).newest
    again = Playing(Plan(), application.engine.memory)
    again.pass_by(0.1)
    desk_of(application).take_in()
    newest = desk_of(application).newest
    assert last is not None
    assert newest is not None
    assert newest.session == last.session + 1
    assert newest.end_frame > last.end_frame
    assert newest.first_hop * 480 >= last.end_frame - 480
    assert desk_of(application).figures.levels is None


def test_a_lost_observer_opens_no_microphone(application: Application) -> None:
    """A loop played, so that nobody heard the voice: it is muted before the microphone returns."""
    told = application.engine.told  # type: ignore[attr-defined]

    async def story() -> None:
        page = application.visits.open()
        application.bus.publish(ObserverGone())
        assert not application.desk.rig.inputs[0].is_muted, "nothing played: nothing has to be shut"
        desk_of(application)._play_loop(tmp / "loop.npy")
        at = len(told)
        application.engine.loop = lambda path: told.append(("loop", path, heard().is_muted))  # type: ignore[method-assign]
        application.bus.publish(ObserverGone())
        assert told[at:] == [], "not yet"
        await until(lambda: told[at:])
        assert ("loop", None, True) in told[at:], "shut first"
        assert application.desk.rig.inputs[0].is_muted
        assert not application.plays.is_apart
        assert any("unmute it when you are ready" in text for text in await taken(page))
        await application.changes.step(-1)
        assert application.desk.rig.inputs[0].is_muted is False

    def heard() -> InputSettings:
        rig = application.engine.rig
        assert rig is not None
        return rig.inputs[0]

    tmp = Path("work")
    asyncio.run(story())


def test_the_search_for_a_buffer_tries_every_size_and_can_be_broken_off(
    application: Application, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An engine that is late under 256 frames: the smallest that holds is found, and nothing is set."""
    monkeypatch.setattr(buffer_search, "SETTLE_S", 0.02)
    monkeypatch.setattr(buffer_search, "TRIAL_S", 0.06)
    engine = application.engine
    tried = []

    async def play() -> None:
        late = blocks = 0
        while True:
            frames = engine.rig.block_frames  # type: ignore[attr-defined]
            if not tried or tried[-1] != frames:
                tried.append(frames)
            late += frames < 256
            blocks += 10
            share = {256: 0.7, 512: 0.4}.get(frames, 0.3)
            reading = engine_reading(
                blocks=blocks, late_blocks=late, block_frames=frames, slowest_share=share
            )
            application.bus.publish(Seen(1, blocks * frames, NOBODY, reading))
            await asyncio.sleep(0.005)

    async def search(until: Callable[[], bool]) -> None:
        application.buffer_search.find(True)
        playing = asyncio.create_task(play())
        while not until():
            await asyncio.sleep(0.01)
        application.buffer_search.find(False)
        await asyncio.sleep(0.05)
        playing.cancel()

    application.plays._give()
    asyncio.run(search(lambda: not application.buffer_search.state.is_running))
    found = application.buffer_search.state
    assert tried == [64, 128, 256, 512, 1024, 256]
    assert found.advice is not None
    assert found.advice.block_frames == 256
    assert "With 128" in found.advice.text
    assert application.desk.rig.block_frames == 256
    asyncio.run(search(lambda: len(application.buffer_search.state.trials) == 1))
    assert application.buffer_search.state.was_cancelled
    asyncio.run(search(lambda: True))
    assert application.buffer_search.state.was_cancelled, (
        "also when it is broken off before it has begun"
    )
    assert not application.buffer_search.state.is_running
    assert engine.rig.block_frames == 256  # type: ignore[attr-defined]
