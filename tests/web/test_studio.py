"""What pages and listeners get when they are slow, and whose microphone is heard."""

import asyncio
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from goshawk.core.rig import Rig
from goshawk.errors import BadSetting
from goshawk.store.database import open_database
from goshawk.web.studio import WAITING_MESSAGES, WAITING_SOUND, Listener, LivePage, Studio


class SilentEngine:
    """Stands in for the engine's client and writes down what it was told."""

    is_running = True
    restarts = 0

    def __init__(self) -> None:
        self.told: list[tuple[Any, ...]] = []
        self.rig: Rig | None = None

    def apply(self, rig: Rig) -> None:
        self.rig = rig

    def __getattr__(self, name: str) -> Any:
        return lambda *values: self.told.append((name, *values))


@pytest.fixture
def studio(tmp_path: Path) -> Iterator[Studio]:
    opened = open_database(tmp_path / "goshawk.db")
    studio = Studio(tmp_path, opened)
    studio.engine = SilentEngine()  # type: ignore[assignment]
    yield studio
    opened.connection.close()


def all_of(page: LivePage) -> list[str]:
    async def take() -> list[str]:
        messages = []
        try:
            while True:
                messages.append(await asyncio.wait_for(page.next(), 0.01))
        except TimeoutError:
            return messages

    return asyncio.run(take())


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


def test_the_last_window_to_open_its_microphone_is_heard(studio: Studio) -> None:
    one, two = Listener(), Listener()
    page = studio.open_page()
    studio.claim_microphone(one)
    studio.push_microphone(one, 48_000, 1, b"one")
    studio.claim_microphone(two)
    studio.push_microphone(one, 48_000, 1, b"unheard")
    studio.push_microphone(two, 48_000, 1, b"two")
    studio.leave(one)
    told = studio.engine.told  # type: ignore[attr-defined]
    assert [call[-1] for call in told if call[0] == "push_microphone"] == [b"one", b"two"]
    assert [call for call in told if call[0] == "stop_microphone"] == [("stop_microphone",)]
    assert any("Another window" in message for message in all_of(page))


def test_sound_is_only_asked_for_while_somebody_listens(studio: Studio) -> None:
    listeners = [Listener(), Listener()]
    for listener in listeners:
        studio.listen(listener, True)
    studio._on_sound(b"sound")
    for listener in listeners:
        studio.leave(listener)
    told = studio.engine.told  # type: ignore[attr-defined]
    assert [call[1] for call in told if call[0] == "set_listeners"] == [1, 2, 1, 0]
    assert all(listener.sound.qsize() == 1 for listener in listeners)


def test_a_refused_change_leaves_everything_as_it_was(studio: Studio) -> None:
    before = studio.rig

    async def story() -> None:
        page = studio.open_page()
        await studio.try_setting(page, "game.trim_db", -40)
        assert studio.engine.rig.game.trim_db == -40  # type: ignore[attr-defined]
        with pytest.raises(BadSetting):
            await studio.set_setting("game.trim_db", 400)

    asyncio.run(story())
    assert studio.rig == before
    assert studio.engine.rig == before  # type: ignore[attr-defined]
    assert studio.state().is_saved


def test_a_page_is_told_what_was_wrong_at_the_start(tmp_path: Path) -> None:
    (tmp_path / "goshawk.db").write_bytes(b"damaged" * 1000)
    opened = open_database(tmp_path / "goshawk.db")
    studio = Studio(tmp_path, opened)
    studio.engine = SilentEngine()  # type: ignore[assignment]
    assert any("is kept at" in message for message in all_of(studio.open_page()))
    opened.connection.close()


def test_a_lost_engines_levels_are_not_shown_any_more(studio: Studio) -> None:
    readings = {
        "first_moment": 0,
        "stations": ["microphone", "viewers_voice", "game", "music"],
        "moments": np.full((4, 100, 2), 0.01),
        "activity": np.zeros(100, np.int8),
        "stages": {},
        "ceiling": {"gain_reduction_db": 0.0},
        "segments": np.full(10, 1e-4),
        "true_peak_dbtp": -20.0,
        "latency_frames": 96,
        "stage_latency_frames": {},
        "bad_samples": 0,
        "microphone": {"state": "playing"},
        "engine": {
            "busy_s": 0.1, "late_blocks": 0, "missed_blocks": 0, "block_frames": 256, "is_realtime": False
        },
    }  # fmt: skip
    studio._on_readings(readings)
    assert studio.levels is not None
    assert studio.levels.stations["microphone"].noise_floor_dbfs == -20.0
    assert studio.levels.momentary_lufs == pytest.approx(-40.7, abs=0.1)
    studio.engine.is_running = False  # type: ignore[misc]
    studio._on_engine_trouble("gone")
    assert studio.levels is None
