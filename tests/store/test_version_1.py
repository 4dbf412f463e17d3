"""Files that version 1 wrote open for ever, with all that a user had set and saved in them: ``tests/data/version_1``."""

import shutil
from pathlib import Path

import pytest

from goshawk.core.preset import read_preset
from goshawk.store import rigs
from goshawk.store.database import open_database
from goshawk.store.evenings.database import evenings_path, open_evenings
from goshawk.store.evenings.evenings import listed, read
from goshawk.store.presets import list_presets
from goshawk.store.recordings.folder import load_document
from goshawk.store.sound_checks import list_takes, load_check

WRITTEN = Path(__file__).parents[1] / "data" / "version_1"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A copy: what is opened may be brought to a newer version."""
    return shutil.copytree(WRITTEN, tmp_path / "data")


def test_the_rig_opens_as_it_was_set_with_every_step_back(folder: Path) -> None:
    connection = open_database(folder / "goshawk.db").connection
    rig = rigs.load_active_rig(connection).rig
    assert rig.name == "Lantern night"
    assert rig.voice is not None
    assert {"high_pass", "gate", "compressor", "limiter"} <= {slot.id for slot in rig.voice.chain}
    game, music = rig.input("game"), rig.input("music")
    assert game
    assert game.fader_db == -3.0
    assert music
    assert music.is_held
    assert rig.feeds.viewers.fader_db == -2.0
    assert (rig.feeds.viewers.delay_ms, rig.targets.voice_peaks_dbfs) == (20.0, -8.0)
    assert len(rig.inputs) == 5
    assert len(rig.outputs) == 5
    before = []
    while (saved := rigs.step(connection, -1)).can_undo:
        before.append(saved.rig)
    assert len(before) >= 12
    assert saved.rig.name != "Lantern night"
    chains = [one.voice.chain for one in before if one.voice]
    ranges = {
        slot.settings.model_dump().get("range_db")
        for chain in chains
        for slot in chain
        if slot.id == "gate"
    }
    assert 17.5 in ranges, "as it was before the sound check's chain was accepted"


def test_a_preset_opens_from_the_database_and_from_its_file(folder: Path) -> None:
    connection = open_database(folder / "goshawk.db").connection
    (saved,) = list_presets(connection).values()
    given = read_preset((folder / "preset.json").read_text())
    assert saved.name == given.name == "Ferry voice"
    for preset in (saved, given):
        gate = next(slot for slot in preset.chain if slot.id == "gate")
        assert gate.settings.model_dump()["range_db"] == 17.5
    assert saved.chain == given.chain


def test_takes_and_the_check_that_was_accepted_open(folder: Path) -> None:
    connection = open_database(folder / "goshawk.db").connection
    assert set(list_takes(connection)) == {"room", "low", "usual", "big"}
    check = load_check(connection)
    assert check is not None
    assert set(check.figures) == {"room", "low", "usual", "big"}


def test_a_broadcast_opens_with_its_figures_and_changes(folder: Path) -> None:
    db = open_evenings(evenings_path(folder)).connection
    (kept,) = listed(db)
    assert kept.is_over
    assert kept.figures.loudness_lufs == pytest.approx(-18.84)
    found, history, _ = read(db, kept.id)
    assert found.title.endswith("Lantern night")
    assert len(found.changes) == 3
    assert history.seconds


def test_a_recording_opens_with_tracks_marks_gaps_and_changes(folder: Path) -> None:
    (path,) = (folder / "recordings").iterdir()
    document = load_document(path)
    assert document.frames == 1_028_352
    assert [track.source for track in document.tracks][:2] == ["came:voice", "input:voice"]
    assert len(document.marks) == 1
    assert [gap.frames for gap in document.gaps] == [185_197, 2413]
    assert len(document.changes) == 3
    assert all((path / track.file).is_file() for track in document.tracks)
