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
from goshawk.page_messages import balance, settings, wiring
from goshawk.store.rigs import load_active_rig
from goshawk.web import buffer_search
from goshawk.web import studio as studio_module
from goshawk.web.commands import obey
from goshawk.web.pages import WAITING_MESSAGES, LivePage
from goshawk.web.points import WAITING_SOUND, Listener
from goshawk.web.studio import Studio
from tests.playing import NOBODY, Playing, engine_reading
from tests.waiting import until
from tests.web.conftest import desk_of, make_studio


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


def test_many_wishes_at_once_are_all_kept(studio: Studio) -> None:
    """Settings, presets and takes share one connection: they go one after the other, and none is lost."""

    async def story() -> None:
        await asyncio.gather(
            *(studio.changes.set_setting("inputs.game.fader_db", -float(n)) for n in range(12)),
            *(studio.presets.save(f"Mine {n}", "") for n in range(12)),
            *(studio.presets.copy("start_noisy") for _ in range(6)),
        )

    asyncio.run(story())
    own = [one.name for one in studio.state().presets if one.is_own]
    assert {f"Mine {n}" for n in range(12)} <= set(own)
    assert len(own) == 18
    again = load_active_rig(studio._db)
    assert again.rig == studio.rig
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
    studio: Studio,
) -> None:
    """Also while the observer hangs, and never from the last value."""
    now_s = [1000.0]
    studio.lamps._clock_s = lambda: now_s[0]
    page = studio.open_page()
    voices = VoicesNow([1.0] * 4, [0.3] * 4, [True] * 4, False)
    studio._on_seen(Seen(1, 4800, voices, engine_reading()))
    studio._on_seen(Seen(2, 9600, NOBODY, engine_reading()))
    assert studio.told.facts.reach["viewers"] == "closed"
    now_s[0] += 1.1
    studio.lamps._show()
    shown = [json.loads(one)["reach"]["viewers"] for one in all_of(page) if '"lamps"' in one]
    assert shown == ["unknown", "unknown"], "at first, and the newest, which replaces those before"
    assert studio.told.facts.reach["viewers"] == "unknown"


def test_the_last_window_to_open_its_microphone_is_heard(studio: Studio) -> None:
    one, two = Listener(), Listener()
    page = studio.open_page()
    studio.microphone.claim(one)
    studio.microphone.push(one, 48_000, 1, b"one")
    studio.microphone.claim(two)
    studio.microphone.push(one, 48_000, 1, b"unheard")
    studio.microphone.push(two, 48_000, 1, b"two")
    studio.leave(one)
    told = studio.engine.told  # type: ignore[attr-defined]
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
def test_what_a_page_asked_for_is_not_begun_once_it_is_gone(studio: Studio, message: Any) -> None:
    """Queued with the disconnect, a cough kept voices shut until a restart, and a drag was heard for ever."""
    page = studio.open_page()
    studio.close_page(page)
    before = studio._wanted(1)
    asyncio.run(obey(studio, page, message))
    assert not studio.is_coughing
    assert not studio.desk.is_trying
    assert studio._wanted(1) == before


def test_sound_is_only_asked_for_while_somebody_listens(studio: Studio) -> None:
    listeners = [Listener(), Listener()]
    for listener in listeners:
        studio.points.listen(listener, "viewers")
    studio.points.listen(listeners[1], "input:game")
    playing = Playing(Plan(points=("listen:viewers",)), studio.engine.memory)
    playing.pass_by(0.01)
    studio.points.pass_on_once()
    for listener in listeners:
        studio.leave(listener)
    told = studio.engine.told  # type: ignore[attr-defined]
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
    studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(studio_module, "COUGH_OUTLASTS_S", 0.02)

    async def story() -> None:
        one, two = studio.open_page(), studio.open_page()
        studio.cough(one, True)
        studio.cough(two, True)
        studio.watch_devices(one, True)
        studio.close_page(two)
        await until(lambda: two not in studio._coughing)
        assert studio.state().is_coughing, "the other window still holds the key"
        studio.close_page(one)
        assert studio.state().is_coughing, "its connection may only have broken"
        again = studio.open_page()
        studio.cough(again, True)
        await until(lambda: one not in studio._coughing)
        assert studio.state().is_coughing, "the key is held all the while"
        studio.close_page(again)
        await until(lambda: not studio.state().is_coughing)

    asyncio.run(story())
    told = studio.engine.told  # type: ignore[attr-defined]
    assert [call for call in told if call[0] in ("cough", "watch_devices")] == [
        ("cough", True),
        ("watch_devices", True),
        ("watch_devices", False),
        ("cough", False),
    ]


def test_a_refused_change_leaves_everything_as_it_was(studio: Studio) -> None:
    before = studio.rig

    async def story() -> None:
        page = studio.open_page()
        await studio.changes.try_together(page, {"inputs.game.fader_db": -40})
        assert studio.engine.rig.inputs[1].fader_db == -40  # type: ignore[attr-defined]
        with pytest.raises(BadSetting):
            await studio.changes.set_setting("inputs.game.fader_db", 400)

    asyncio.run(story())
    assert studio.rig == before
    assert studio.engine.rig == before  # type: ignore[attr-defined]
    assert studio.state().is_saved


def test_a_page_is_told_what_was_wrong_at_the_start(tmp_path: Path) -> None:
    (tmp_path / "goshawk.db").write_bytes(b"damaged" * 1000)
    studio = make_studio(tmp_path)

    async def story() -> None:
        assert any("is kept at" in message for message in await taken(studio.open_page()))

    asyncio.run(story())
    studio._db.close()


def test_a_lost_engines_levels_are_not_shown_any_more(studio: Studio) -> None:
    playing = Playing(Plan(), studio.engine.memory)
    for _ in range(20):
        playing.pass_by(0.1)
        desk_of(studio).take_in()
    asyncio.run(desk_of(studio).figure_once())
    assert studio.levels is not None
    assert studio.levels.stations["microphone"].highest_peak_dbfs == pytest.approx(-40, abs=30)
    assert studio.levels.momentary_lufs is not None
    studio.engine.is_running = False  # type: ignore[misc]
    studio._on_engine_notice(ForUser("gone"))
    assert studio.levels is None
    # The next process goes on later on the same timeline; what was before says nothing of it.
    last = desk_of(studio).newest
    again = Playing(Plan(), studio.engine.memory)
    again.pass_by(0.1)
    desk_of(studio).take_in()
    newest = desk_of(studio).newest
    assert last is not None
    assert newest is not None
    assert newest.session == last.session + 1
    assert newest.end_frame > last.end_frame
    assert newest.first_hop * 480 >= last.end_frame - 480
    assert desk_of(studio).figures.levels is None


def test_a_lost_observer_opens_no_microphone(studio: Studio) -> None:
    """A loop played, so that nobody heard the voice: it is muted before the microphone returns."""
    told = studio.engine.told  # type: ignore[attr-defined]

    async def story() -> None:
        page = studio.open_page()
        studio._on_observer_lost()
        assert not studio.rig.inputs[0].is_muted, "nothing played: nothing has to be shut"
        desk_of(studio)._play_loop(tmp / "loop.npy")
        at = len(told)
        studio.engine.loop = lambda path: told.append(("loop", path, heard().is_muted))  # type: ignore[method-assign]
        studio._on_observer_lost()
        assert told[at:] == [], "not yet"
        await until(lambda: told[at:])
        assert ("loop", None, True) in told[at:], "shut first"
        assert studio.rig.inputs[0].is_muted
        assert not studio.plays.is_apart
        assert any("unmute it when you are ready" in text for text in await taken(page))
        assert (await studio.changes.step(-1)).rig.inputs[0].is_muted is False

    def heard() -> InputSettings:
        rig = studio.engine.rig
        assert rig is not None
        return rig.inputs[0]

    tmp = Path("work")
    asyncio.run(story())


def test_the_search_for_a_buffer_tries_every_size_and_can_be_broken_off(
    studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An engine that is late under 256 frames: the smallest that holds is found, and nothing is set."""
    monkeypatch.setattr(buffer_search, "SETTLE_S", 0.02)
    monkeypatch.setattr(buffer_search, "TRIAL_S", 0.06)
    engine = studio.engine
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
            studio.buffer_search.push(
                engine_reading(
                    blocks=blocks, late_blocks=late, block_frames=frames, slowest_share=share
                )
            )
            await asyncio.sleep(0.005)

    async def search(until: Callable[[], bool]) -> None:
        studio.find_buffer(True)
        playing = asyncio.create_task(play())
        while not until():
            await asyncio.sleep(0.01)
        studio.find_buffer(False)
        await asyncio.sleep(0.05)
        playing.cancel()

    studio.plays.give()
    asyncio.run(search(lambda: not studio.buffer_search.state.is_running))
    found = studio.buffer_search.state
    assert tried == [64, 128, 256, 512, 1024, 256]
    assert found.advice is not None
    assert found.advice.block_frames == 256
    assert "With 128" in found.advice.text
    assert studio.rig.block_frames == 256
    asyncio.run(search(lambda: len(studio.buffer_search.state.trials) == 1))
    assert studio.buffer_search.state.was_cancelled
    asyncio.run(search(lambda: True))
    assert studio.buffer_search.state.was_cancelled, (
        "also when it is broken off before it has begun"
    )
    assert not studio.buffer_search.state.is_running
    assert engine.rig.block_frames == 256  # type: ignore[attr-defined]
