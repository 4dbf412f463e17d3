"""A change is heard before it is saved; what cannot be saved stays heard, is said, and is saved when it can be."""

import asyncio
import sqlite3
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from goshawk.core.rig import Rig
from goshawk.errors import BadSetting, StoreUnusable
from goshawk.store import database, rigs
from goshawk.store.database import open_database
from goshawk.web import rig_desk
from goshawk.web.app import create_app
from goshawk.web.application import Application
from tests.waiting import until
from tests.web.conftest import make_application
from tests.web.test_api import PAGE
from tests.web.test_application import all_of, taken


def heard(application: Application) -> Rig:
    """What the engine was told."""
    rig = application.engine.rig  # type: ignore[attr-defined]
    assert isinstance(rig, Rig)
    return rig


def fill_the_disk(application: Application, *, is_full: bool = True) -> None:
    """SQLite itself refuses to grow: the same error as of a full disk."""
    pages = application.store.connection.execute("PRAGMA page_count").fetchone()[0]
    application.store.connection.execute(f"PRAGMA max_page_count = {pages if is_full else 10**6}")


async def mute(application: Application, is_muted: bool = True) -> None:
    await application.changes.set_setting("inputs.voice.is_muted", is_muted)


def test_on_a_full_disk_a_mute_is_heard_said_and_saved_later(
    application: Application, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(rig_desk, "SAVE_AGAIN_S", 0.02)

    async def story() -> None:
        page = application.visits.open()
        fill_the_disk(application)
        for path, is_shut in (("inputs.voice.is_muted", True), ("is_on_break", True)):
            with pytest.raises(StoreUnusable, match=r"is heard.*disk is full"):
                await application.changes.set_setting(path, is_shut)
        assert heard(application).inputs[0].is_muted
        assert heard(application).is_on_break
        state = application.state.make()
        assert state.rig.is_on_break
        assert not state.is_saved
        assert "disk is full" in state.save_trouble
        # Another change goes on from what is heard, not from what was saved.
        with pytest.raises(StoreUnusable):
            await application.changes.set_setting("inputs.game.fader_db", -30.0)
        assert heard(application).inputs[0].is_muted
        # What is refused takes nothing of it back.
        with pytest.raises(BadSetting):
            await application.changes.set_setting("inputs.game.fader_db", 900.0)
        assert heard(application).inputs[0].is_muted

        application.supervisor.keep("saving again", application.desk.save_again)
        await asyncio.sleep(0.1)
        assert application.state.make().save_trouble
        await application.store.do(lambda _: fill_the_disk(application, is_full=False))
        await until(lambda: application.state.make().is_saved)
        assert application.state.make().save_trouble == ""
        assert any("is saved again" in message for message in await taken(page))
        await application.supervisor.close()

    asyncio.run(story())
    kept = open_database(tmp_path / "goshawk.db").connection
    rig = rigs.load_active_rig(kept).rig
    assert rig.inputs[0].is_muted
    assert rig.is_on_break
    assert rig.inputs[1].fader_db == -30.0
    kept.close()


def test_a_mute_does_not_wait_for_a_locked_disk(application: Application, tmp_path: Path) -> None:
    """Other changes wait for the lock; a mute made after them is heard at once."""
    other = sqlite3.connect(tmp_path / "goshawk.db", isolation_level=None)
    other.execute("BEGIN IMMEDIATE")

    async def story() -> None:
        slow = asyncio.create_task(application.changes.set_setting("inputs.game.fader_db", -9.0))
        await asyncio.sleep(0.05)
        quick = asyncio.create_task(mute(application))
        await asyncio.sleep(0)
        assert heard(application).inputs[0].is_muted
        assert heard(application).inputs[1].fader_db == -9.0
        assert not slow.done()
        other.execute("ROLLBACK")
        await asyncio.gather(slow, quick)

    asyncio.run(story())
    assert application.state.make().is_saved
    assert rigs.load_active_rig(application.store.connection).rig == application.desk.rig
    other.close()


def test_what_could_not_be_saved_is_the_step_that_undo_takes_back(application: Application) -> None:
    async def story() -> None:
        await mute(application)
        fill_the_disk(application)
        with pytest.raises(StoreUnusable):
            await mute(application, False)
        assert not heard(application).inputs[0].is_muted
        await application.changes.step(-1)
        assert heard(application).inputs[0].is_muted, "as it is saved"
        assert application.state.make().is_saved

    asyncio.run(story())


@pytest.mark.parametrize("is_saved_later", [False, True])
def test_undo_takes_back_one_step_and_never_opens_what_an_earlier_one_shut(
    application: Application, monkeypatch: pytest.MonkeyPatch, is_saved_later: bool
) -> None:
    """On a full disk one undo once took back the break and the mute before it."""
    monkeypatch.setattr(rig_desk, "SAVE_AGAIN_S", 0.02)

    async def story() -> None:
        await mute(application, False)
        fill_the_disk(application)
        with pytest.raises(StoreUnusable):
            await mute(application)
        with pytest.raises(StoreUnusable):
            await application.changes.set_setting("is_on_break", True)
        assert not application.state.make().can_redo
        if is_saved_later:
            fill_the_disk(application, is_full=False)
            application.supervisor.keep("saving again", application.desk.save_again)
            await until(lambda: application.state.make().is_saved)
        else:
            await application.changes.step(+1)
        assert heard(application).is_on_break
        await application.changes.step(-1)
        assert not heard(application).is_on_break
        assert heard(application).inputs[0].is_muted
        await application.changes.step(-1)
        assert not heard(application).inputs[0].is_muted
        assert application.state.make().is_saved
        await application.supervisor.close()

    asyncio.run(story())


def test_undo_takes_back_a_step_also_in_the_moment_in_which_it_is_saved(
    application: Application,
) -> None:
    """An unmute is on the disk, and the desk has not noted it yet: it is shut all the same, and that is saved."""

    async def story() -> None:
        await mute(application)
        in_store = application.store.do

        async def undone_meanwhile(work: Any) -> Any:
            found = await in_store(work)
            application.store.do = in_store
            undo.append(asyncio.create_task(application.changes.step(-1)))
            await until(lambda: not application.desk._unsaved)
            return found

        undo: list[Any] = []
        application.store.do = undone_meanwhile
        await mute(application, False)
        await asyncio.gather(*undo)
        assert heard(application).inputs[0].is_muted
        assert application.state.make().is_saved

    asyncio.run(story())
    assert rigs.load_active_rig(application.store.connection).rig.inputs[0].is_muted


def test_a_step_that_cannot_be_read_moves_nothing(application: Application) -> None:
    async def story() -> None:
        await application.changes.set_setting("inputs.game.fader_db", -9.0)
        await application.changes.set_setting("inputs.game.fader_db", -10.0)
        application.store.connection.execute(
            "UPDATE revisions SET document = '{\"ver' WHERE number = 2"
        )
        with pytest.raises(StoreUnusable, match="Everything stays as it is"):
            await application.changes.step(-1)
        assert application.desk.rig.inputs[1].fader_db == -10.0

    asyncio.run(story())
    assert rigs.load_active_rig(application.store.connection).rig.inputs[1].fader_db == -10.0


def test_changes_made_while_a_step_is_taken_are_not_mixed_up(application: Application) -> None:
    async def story() -> None:
        for db in range(-20, -10):
            await application.changes.set_setting("inputs.game.fader_db", float(db))
        await asyncio.gather(
            application.changes.step(-1),
            application.changes.set_setting("inputs.music.fader_db", -33.0),
            application.changes.step(-1),
            mute(application),
            application.changes.step(-1),
        )
        assert application.state.make().is_saved

    asyncio.run(story())
    assert (
        rigs.load_active_rig(application.store.connection).rig
        == application.desk.rig
        == heard(application)
    )


def test_a_request_that_is_given_up_leaves_nothing_half_done(application: Application) -> None:
    """Its client is gone while the disk is written: what was begun is finished, and the next change fits onto it."""

    async def story() -> None:
        for number in range(12):
            asked = asyncio.create_task(
                application.changes.set_setting("inputs.game.fader_db", -20.0 - number)
            )
            await asyncio.sleep(0.001 * (number % 4))
            asked.cancel()
        await mute(application)
        await until(lambda: application.state.make().is_saved)
        assert application.state.make().save_trouble == ""

    asyncio.run(story())
    assert (
        rigs.load_active_rig(application.store.connection).rig
        == application.desk.rig
        == heard(application)
    )


def test_over_the_interface_a_locked_database_is_said_and_nothing_is_500(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(database, "BUSY_TIMEOUT_MS", 50)
    with TestClient(create_app(tmp_path), base_url="http://127.0.0.1:8610", headers=PAGE) as client:
        other = sqlite3.connect(tmp_path / "goshawk.db", isolation_level=None)
        other.execute("BEGIN IMMEDIATE")
        muted = client.patch("/api/rig", json={"path": "inputs.voice.is_muted", "value": True})
        assert muted.status_code == 503
        assert "It is tried again until it is" in muted.json()["detail"]
        state = client.get("/api/state").json()
        assert state["rig"]["inputs"][0]["is_muted"]
        assert "locked" in state["save_trouble"]
        sound = Path("goshawk/devices/sounds/keyboard.flac").read_bytes()
        refused = [
            client.post("/api/sound-files?name=keys.flac", content=sound),
            client.post("/api/presets", json={"name": "Mine"}),
            client.delete("/api/sound-files/nothing"),
            client.post("/api/rig/redo"),
        ]
        assert {reply.status_code for reply in refused[:3]} == {503}
        assert all(reply.status_code < 500 or reply.status_code == 503 for reply in refused)
        assert list((tmp_path / "sounds").iterdir()) == [], "a failed upload leaves nothing behind"
        assert list((tmp_path / "work").iterdir()) == []
        other.close()
    assert not (tmp_path / "work").exists()


def test_what_was_wrong_at_the_start_is_said_in_every_window(tmp_path: Path) -> None:
    connection = open_database(tmp_path / "goshawk.db").connection
    rigs.load_active_rig(connection)
    rigs.save_change(connection, Rig(name="Later"), "name")
    connection.execute("UPDATE revisions SET document = 'torn' WHERE number = 2")
    connection.close()
    application = make_application(tmp_path)
    assert application.desk.rig == Rig()
    assert any("cannot be read" in message for message in all_of(application.visits.open()))
    application.store.connection.close()
