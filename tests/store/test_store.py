"""The database on real files: every change kept, undo over restarts, trouble said and nothing lost."""

import errno
import json
import os
import shutil
import sqlite3
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from goshawk.core.rig import Rig, changed
from goshawk.errors import StoreUnusable
from goshawk.store import database, ownership, rigs
from goshawk.store.database import open_database, open_to_read
from goshawk.store.ownership import take
from goshawk.store.presets import list_presets
from goshawk.store.sound_files import list_sound_files

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
from goshawk.store.database import open_database, open_to_read
from goshawk.store.ownership import take
from goshawk.store.presets import list_presets
from goshawk.store.sound_files import list_sound_files
connection = open_database(pathlib.Path({str(path)!r})).connection
rig = changed(rigs.load_active_rig(connection).rig, "inputs.game.fader_db", -33)
rigs.save_change(connection, rig, "inputs.game.fader_db")
os.kill(os.getpid(), 9)
"""
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == -9
    assert rigs.load_active_rig(open_database(path).connection).rig.inputs[1].fader_db == -33


def test_a_folder_that_cannot_be_locked_is_owned_by_who_left_word_and_is_there(
    path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Network drives may know no locks: it was said that another Goshawk works there, which nobody could end."""

    def no_locks(file: object) -> bool:
        raise OSError(errno.ENOLCK, "No locks available")

    monkeypatch.setattr(ownership, "lock", no_locks)
    first = ownership.take(path.parent)
    first.say(url="http://127.0.0.1:8700")
    monkeypatch.setattr(os, "getpid", lambda: 1)
    with pytest.raises(StoreUnusable, match=r"process \d+, at http://127.0.0.1:8700"):
        ownership.take(path.parent)
    monkeypatch.setattr(ownership, "is_alive", lambda pid: False)
    ownership.take(path.parent).release()
    first.release()


def test_a_damaged_database_is_kept_aside_and_said(path: Path) -> None:
    path.write_bytes(b"this is no database " * 100)
    opened = open_database(path)
    assert opened.notice is not None
    assert "is damaged" in opened.notice
    aside = Path(opened.notice.split("kept at ")[1].rstrip("."))
    assert aside.read_bytes().startswith(b"this is no database")
    assert rigs.load_active_rig(opened.connection).rig == Rig()


def contents(folder: Path) -> dict[str, bytes]:
    return {
        file.name: file.read_bytes() for file in folder.iterdir() if file.name != "goshawk.db-shm"
    }


def test_a_locked_database_stays_where_it_is(path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """It was once moved aside, and a blank rig came up on the next start."""
    open_database(path).connection.close()
    monkeypatch.setattr(database, "BUSY_TIMEOUT_MS", 50)
    other = sqlite3.connect(path)
    other.execute("BEGIN EXCLUSIVE")
    before = contents(path.parent)
    with pytest.raises(StoreUnusable, match="locked by another program"):
        open_database(path)
    assert contents(path.parent) == before
    other.close()
    open_database(path).connection.close()


@pytest.mark.parametrize(
    ("error", "sentence"),
    [
        ("database or disk is full", "no room on the disk"),
        ("disk I/O error", "could not be read"),
        ("attempt to write a readonly database", "Choose another folder"),
    ],
)
def test_trouble_that_is_no_damage_moves_nothing(
    path: Path, monkeypatch: pytest.MonkeyPatch, error: str, sentence: str
) -> None:
    rigs.load_active_rig(open_database(path).connection)

    def fail(connection: sqlite3.Connection, path: Path) -> None:
        raise sqlite3.OperationalError(error)

    monkeypatch.setattr(database, "_migrate", fail)
    with pytest.raises(StoreUnusable, match=sentence):
        open_database(path)
    monkeypatch.undo()
    assert rigs.load_active_rig(open_database(path).connection).rig == Rig()
    assert len(list(path.parent.glob("*.db"))) == 1


def test_any_damage_is_found_at_the_start_and_leaves_as_our_own_error(tmp_path: Path) -> None:
    """Bytes are changed at random: it opens, or is moved aside with a sentence, or is refused with one."""
    good = tmp_path / "good" / "goshawk.db"
    connection = open_database(good).connection
    rig = rigs.load_active_rig(connection).rig
    for step in range(60):
        rig = changed(rig, "inputs.game.fader_db", -float(step))
        rigs.save_change(connection, rig, f"step {step}")
    connection.close()
    whole = good.read_bytes()
    random = np.random.default_rng(4)
    outcomes = {"opened": 0, "begun anew": 0, "refused": 0}
    for number in range(160):
        damaged = bytearray(whole)
        for _ in range(int(random.integers(1, 6))):
            # Half of them in the first page, where the schema and the whole file's head lie.
            at = int(random.integers(0, 4096 if number % 2 else len(whole)))
            length = int(random.integers(1, 400))
            damaged[at : at + length] = random.bytes(len(damaged[at : at + length]))
        path = tmp_path / str(number) / "goshawk.db"
        path.parent.mkdir()
        path.write_bytes(bytes(damaged))
        try:
            opened = open_database(path)
            saved = rigs.load_active_rig(opened.connection)
            list_presets(opened.connection)
            list_sound_files(opened.connection)
            rigs.save_change(opened.connection, changed(saved.rig, "name", "Later"), "name")
            rigs.step(opened.connection, -1)
            outcomes["begun anew" if opened.notice else "opened"] += 1
        except StoreUnusable:
            outcomes["refused"] += 1
        if (kept := list(path.parent.glob("goshawk-*.db"))) and opened.notice:
            assert kept[0].read_bytes()[:16] == bytes(damaged)[:16], "the old one is kept"
    assert outcomes["opened"] > 0
    assert outcomes["begun anew"] > 0


def test_a_torn_revision_gives_way_to_the_newest_that_can_be_read(path: Path) -> None:
    connection = open_database(path).connection
    rig = rigs.load_active_rig(connection).rig
    for step in range(3):
        rig = changed(rig, "inputs.game.fader_db", -float(step))
        rigs.save_change(connection, rig, f"step {step}")
    for torn in (b"\xff\xfe{", b"[]", b'{"version": 3, "inputs": 7}', b"9" * 5000):
        connection.execute(
            "UPDATE revisions SET document = CAST(? AS TEXT) WHERE number = 4", (torn,)
        )
        connection.execute("UPDATE rigs SET revision = 4")
        saved = rigs.load_active_rig(connection)
        assert saved.rig.inputs[1].fader_db == -1.0
        assert "cannot be read" in (saved.notice or "")
        assert saved.can_redo
    connection.execute("UPDATE rigs SET revision = 99")
    assert rigs.load_active_rig(connection).rig.inputs[1].fader_db == -1.0
    # A step onto it is refused, and the pointer stays.
    with pytest.raises(StoreUnusable, match="cannot be read any more"):
        rigs.step(connection, +1)
    assert rigs.load_active_rig(connection).rig.inputs[1].fader_db == -1.0
    connection.execute("UPDATE revisions SET document = 'torn'")
    with pytest.raises(StoreUnusable, match="cannot be read by this version"):
        rigs.load_active_rig(connection)


def test_a_change_over_another_programs_change_is_refused(path: Path) -> None:
    connection = open_database(path).connection
    saved = rigs.load_active_rig(connection)
    theirs = changed(saved.rig, "name", "Theirs")
    rigs.save_change(connection, theirs, "name", over=saved.revision)
    with pytest.raises(StoreUnusable, match="Another program has changed"):
        rigs.save_change(
            connection, changed(saved.rig, "name", "Ours"), "name", over=saved.revision
        )
    assert rigs.load_active_rig(connection).rig.name == "Theirs"


def test_a_folder_has_one_owner_who_is_named(tmp_path: Path) -> None:
    ownership = take(tmp_path)
    ownership.say(url="http://127.0.0.1:8610")
    with pytest.raises(StoreUnusable, match=f"process {os.getpid()}, at http://127.0.0.1:8610"):
        take(tmp_path)
    ownership.release()
    take(tmp_path).release()


def test_a_command_that_reads_changes_nothing_under_the_owner(path: Path) -> None:
    """``goshawk presets list`` once moved the file of a running server aside while it was locked."""
    connection = open_database(path).connection
    rigs.load_active_rig(connection)
    connection.execute("BEGIN EXCLUSIVE")
    before = contents(path.parent)
    line = [sys.executable, "-m", "goshawk.cli.main", "presets", "list", "--data-dir"]
    done = subprocess.run([*line, path.parent], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert "Over a game" in done.stdout
    assert contents(path.parent) == before
    connection.execute("ROLLBACK")
    connection.close()
    assert open_to_read(path.parent / "nowhere.db") is None
    assert not (path.parent / "nowhere.db").exists()


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


def test_a_folder_is_owned_also_where_a_full_disk_takes_no_word(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*given: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(ownership.json, "dump", full)
    owned = ownership.take(tmp_path)
    with pytest.raises(StoreUnusable, match="Another Goshawk"):
        ownership.take(tmp_path)
    owned.release()


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
    # Names could once hold what cannot be seen.
    old["name"] = "\u202eAttic\x00"
    connection.execute("UPDATE revisions SET document = ?", (json.dumps(old),))
    assert rigs.load_active_rig(connection).rig.name == "Attic"
    # A change keeps it in the present shape.
    rigs.save_change(connection, changed(rig, "name", "Later"), "name")
    assert rigs.step(connection, -1).rig == rig.model_copy(update={"name": "Attic"})
