"""The database on real files: every change kept, undo over restarts, trouble said and nothing lost."""

import json
import shutil
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest

from goshawk.core.rig import Rig, changed
from goshawk.errors import StoreUnusable
from goshawk.store import database, rigs
from goshawk.store.database import open_database

SCHEMA = {
    "rigs": ["id", "is_active", "revision"],
    "revisions": ["rig_id", "number", "document", "changed_path", "saved_at"],
    "sound_files": ["id", "name", "rate_hz", "channels", "duration_s", "saved_at"],
}


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "goshawk.db"


def test_a_new_database_has_the_newest_schema_and_the_demo_rig(path: Path) -> None:
    connection = open_database(path).connection
    assert rigs.load_active_rig(connection).rig == Rig()
    assert connection.execute("PRAGMA user_version").fetchone()[0] == len(database.migrations())
    for table, columns in SCHEMA.items():
        found = [row["name"] for row in connection.execute(f"PRAGMA table_info({table})")]
        assert found == columns


def test_changes_undo_and_redo_outlive_a_restart(path: Path) -> None:
    connection = open_database(path).connection
    rig = rigs.load_active_rig(connection).rig
    louder = changed(rig, "inputs.game.fader_db", -3)
    quieter = changed(louder, "inputs.music.fader_db", -30)
    rigs.save_change(connection, louder, "inputs.game.fader_db")
    rigs.save_change(connection, quieter, "inputs.music.fader_db")
    assert rigs.step(connection, -1).rig == louder
    connection.close()

    connection = open_database(path).connection
    saved = rigs.load_active_rig(connection)
    assert (saved.rig, saved.can_undo, saved.can_redo) == (louder, True, True)
    assert rigs.step(connection, +1).rig == quieter
    assert rigs.step(connection, +1).rig == quieter
    rigs.step(connection, -1)
    rigs.step(connection, -1)
    saved = rigs.step(connection, -1)
    assert (saved.rig, saved.can_undo) == (Rig(), False)
    # A new change forgets what had been undone.
    muted = changed(Rig(), "inputs.game.is_muted", True)
    saved = rigs.save_change(connection, muted, "inputs.game.is_muted")
    assert (saved.rig, saved.can_redo) == (muted, False)


def test_a_held_key_is_one_step_of_undo_and_old_steps_are_let_go(
    path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    connection = open_database(path).connection
    rig = rigs.load_active_rig(connection).rig
    for trim in range(-20, 0):
        rig = changed(rig, "inputs.game.fader_db", trim)
        rigs.save_change(connection, rig, "inputs.game.fader_db", is_nudge=True)
    assert rigs.step(connection, -1).rig == Rig()
    monkeypatch.setattr(rigs, "KEPT_REVISIONS", 5)
    for number in range(20):
        rig = changed(rig, "inputs.game.fader_db", -number)
        saved = rigs.save_change(connection, rig, f"step {number}")
    for _ in range(10):
        saved = rigs.step(connection, -1)
    assert saved.rig.inputs[1].fader_db == -15


def test_an_acknowledged_change_survives_a_kill(path: Path) -> None:
    code = f"""
import os, pathlib
from goshawk.core.rig import changed
from goshawk.store import rigs
from goshawk.store.database import open_database
connection = open_database(pathlib.Path({str(path)!r})).connection
rig = changed(rigs.load_active_rig(connection).rig, "inputs.game.fader_db", -33)
rigs.save_change(connection, rig, "inputs.game.fader_db")
os.kill(os.getpid(), 9)
"""
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == -9
    assert rigs.load_active_rig(open_database(path).connection).rig.inputs[1].fader_db == -33


def test_a_damaged_database_is_kept_aside_and_said(path: Path) -> None:
    path.write_bytes(b"this is no database " * 100)
    opened = open_database(path)
    assert opened.notice is not None
    assert "is damaged" in opened.notice
    aside = Path(opened.notice.split("kept at ")[1].rstrip("."))
    assert aside.read_bytes().startswith(b"this is no database")
    assert rigs.load_active_rig(opened.connection).rig == Rig()


def test_a_locked_database_is_kept_aside_and_said(
    path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    open_database(path).connection.close()
    monkeypatch.setattr(database, "BUSY_TIMEOUT_MS", 50)
    other = sqlite3.connect(path)
    other.execute("BEGIN EXCLUSIVE")
    opened = open_database(path)
    assert opened.notice is not None
    assert "is locked" in opened.notice
    other.close()


def test_a_newer_database_is_refused_untouched(path: Path) -> None:
    connection = open_database(path).connection
    connection.execute("PRAGMA user_version = 999")
    connection.close()
    copy = shutil.copy(path, path.with_suffix(".copy"))
    with pytest.raises(StoreUnusable, match="newer than this program"):
        open_database(path)
    assert path.read_bytes() == Path(copy).read_bytes()


def test_a_failing_migration_leaves_the_file_as_it_was(
    path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    connection = open_database(path).connection
    rigs.load_active_rig(connection)
    connection.close()
    good = database.migrations()
    bad = (len(good) + 1, "CREATE TABLE half (id INTEGER) STRICT; INSERT INTO nowhere VALUES (1);")
    monkeypatch.setattr(database, "migrations", lambda: [*good, bad])
    with pytest.raises(sqlite3.Error):
        database._open(path)
    monkeypatch.undo()
    connection = open_database(path).connection
    assert connection.execute("PRAGMA user_version").fetchone()[0] == len(good)
    assert not connection.execute("SELECT name FROM sqlite_master WHERE name = 'half'").fetchall()
    assert path.with_suffix(f".before-{bad[0]:04d}").exists()


def test_a_folder_that_cannot_be_used_is_said(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    with pytest.raises(StoreUnusable, match="--data-dir"):
        open_database(tmp_path / "file" / "goshawk.db")


def test_a_rig_of_the_first_version_is_read_as_it_was_meant(path: Path) -> None:
    """Game, music and microphone become inputs with their levels, and the trim's channel the voice's."""
    old = {
        "name": "Attic, early",
        "block_frames": 512,
        "microphone": {"source": "browser", "preamp_gain_db": 20.0, "performance": "murmur"},
        "chain": [{"id": "trim", "stage": "trim", "settings": {"gain_db": 3.0, "channel": "sum"}}],
        "voice": {"fader_db": -2.0, "is_muted": True},
        "game": {"trim_db": -11.0, "is_muted": False},
        "music": {"trim_db": -22.0, "is_muted": False},
        "viewers": {"ceiling_dbtp": -5.0},
        "targets": {"voice_peaks_dbfs": -9.0},
    }
    connection = open_database(path).connection
    rigs.load_active_rig(connection)
    connection.execute("UPDATE revisions SET document = ?", (json.dumps(old),))
    rig = rigs.load_active_rig(connection).rig
    assert rig.voice is not None
    voice, game, music, copilot = rig.inputs
    assert (voice.device, voice.channels, voice.fader_db) == ("browser", "sum", -2.0)
    assert voice.is_muted
    assert (game.fader_db, music.fader_db) == (-11.0, -22.0)
    assert not copilot.sends.viewers.is_heard
    assert (rig.devices.attic.preamp_gain_db, rig.devices.attic.performance) == (20.0, "murmur")
    assert (rig.feeds.viewers.ceiling_dbtp, rig.targets.voice_peaks_dbfs) == (-5.0, -9.0)
    assert (rig.block_frames, rig.name, rig.chain[0].id) == (512, "Attic, early", "trim")
    # A change keeps it in the present shape.
    rigs.save_change(connection, changed(rig, "name", "Later"), "name")
    assert rigs.step(connection, -1).rig == rig
