"""What is recorded is what was heard: aligned, equally long, nothing lost without a word."""

import asyncio
import errno
import os
import shutil
import threading
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from goshawk.core.record_settings import RecordSettings, TrackFormat
from goshawk.core.recording.document import DOCUMENT_NAME, Gap, rigs_heard
from goshawk.core.recording.names import folder_name
from goshawk.core.rendering import chain_latency_frames, render_aligned
from goshawk.core.rig import Rig, changed
from goshawk.core.stage import Block
from goshawk.errors import BadRecording, BadSetting
from goshawk.recorder import client as client_module
from goshawk.recorder import messages
from goshawk.recorder.session import Session
from goshawk.recorder.wanted import RecorderWanted
from goshawk.recorder.writing import MOST_WAITING_FRAMES
from goshawk.store.recordings import folder as folder_module
from goshawk.store.recordings.folder import load_document, read_peaks
from goshawk.store.recordings.mending import mend, mend_all
from goshawk.store.recordings.shelf import DELETED_NAME, KEPT_DELETED_S, Shelf, purge_in
from goshawk.store.recordings.track_file import TrackFile
from goshawk.timeline.memory import WRITTEN_NS
from tests.playing import Playing
from tests.recorder.conftest import Evening, steps_apart, tracks_in
from tests.waiting import until, wait_for


def test_the_track_behind_the_chain_is_the_chain_applied_to_the_track_as_it_came(
    folder: Path,
) -> None:
    """Two settings change meanwhile; what the document says of it is enough to make the same sound again."""
    evening = Evening(folder)
    evening.pass_by(3.0)
    louder = changed(evening.rig, "inputs.voice.chain.trim.settings.gain_db", 9.0)
    evening.change(louder)
    evening.pass_by(3.03)
    evening.change(changed(louder, "inputs.voice.chain.compressor.settings.ratio", 6.0))
    evening.pass_by(3.0)
    found = evening.finish()

    document = load_document(found)
    sounds = tracks_in(found)
    heard = rigs_heard(document)
    assert len(heard) == 3
    assert all(change.settings for change in document.changes)
    shaped = render_aligned(sounds["came:voice"], [(frame, rig.chain) for frame, rig in heard])
    assert document.gaps == ()
    assert document.frames > 9 * 48_000
    assert {len(one) for one in sounds.values()} == {document.frames}
    assert np.abs(sounds["input:voice"]).max() > 0.05
    # Of the last few frames the chain's answer came after the end.
    whole = document.frames - chain_latency_frames(heard[-1][1].chain)
    assert steps_apart(shaped[:whole], sounds["input:voice"][:whole]) <= 0.51


def test_a_track_is_silent_while_its_input_may_not_leave(folder: Path) -> None:
    evening = Evening(folder)
    evening.pass_by(1.0)
    muted = changed(evening.rig, "inputs.voice.is_muted", True)
    evening.change(muted)
    evening.pass_by(2.0)
    evening.change(evening.rig.model_copy(update={"is_on_break": True}))
    evening.pass_by(1.0)
    sounds = tracks_in(evening.finish())
    for source in ("came:voice", "input:voice"):
        assert np.abs(sounds[source][:40_000]).max() > 1e-3
        assert np.abs(sounds[source][60_000:]).max() == 0.0
    assert np.abs(sounds["came:game"][100_000:140_000]).max() > 1e-3
    assert np.abs(sounds["came:game"][-24_000:]).max() == 0.0, "on a break only the music leaves"
    assert np.abs(sounds["came:music"][-24_000:]).max() > 1e-4


class StallingFile(TrackFile):
    """A disk that takes nothing while its gate is shut."""

    gate = threading.Event()

    def write(self, sound: Block) -> None:
        self.gate.wait(60.0)
        super().write(sound)


def short() -> Rig:
    """Little to record: one input, one feed."""
    rig = Rig()
    return rig.model_copy(update={"recording": RecordSettings(tracks=("came:music", "viewers"))})


def test_a_disk_that_stalls_loses_nothing_or_exactly_what_it_says(folder: Path) -> None:
    StallingFile.gate.set()
    evening = Evening(folder, short(), make=StallingFile, waits=False)
    evening.pass_by(1.0)
    StallingFile.gate.clear()
    evening.pass_by(8.0)
    StallingFile.gate.set()
    _until_written(evening)
    assert not evening.session.writing.lost_frames
    StallingFile.gate.clear()
    began = evening.session.listening.now
    evening.pass_by(30.0)
    stalled = evening.session.listening.now - began
    assert evening.session.writing._waiting_frames <= MOST_WAITING_FRAMES, "memory stays bounded"
    StallingFile.gate.set()
    _until_written(evening)
    evening.pass_by(1.0)
    found = evening.finish()

    document = load_document(found)
    (gap,) = document.gaps
    sounds = tracks_in(found)
    assert gap.why == "slow_disk"
    assert abs(stalled - MOST_WAITING_FRAMES - gap.frames) < 48_000
    assert document.frames == len(sounds["viewers"]) == len(sounds["came:music"])
    assert abs(document.frames - evening.session.listening.now) < 24_000
    silent = sounds["came:music"][gap.frame : gap.frame + gap.frames]
    assert np.abs(silent).max() == 0.0
    before, after = gap.frame - 480, gap.frame + gap.frames
    assert np.abs(sounds["came:music"][before : before + 480]).max() > 0.0
    assert np.abs(sounds["came:music"][after : after + 480]).max() > 0.0
    assert any(f"{gap.frames / 48_000:.1f} s" in one for one in evening.sentences)
    # What follows the gap stands where it would without it.
    whole = Evening(folder, short())
    whole.pass_by(41.0)
    music = tracks_in(whole.finish())["came:music"]
    assert np.array_equal(music[after : after + 9_600], sounds["came:music"][after : after + 9_600])


def _until_written(evening: Evening) -> None:
    writing = evening.session.writing
    assert writing
    with writing._changed:
        assert writing._changed.wait_for(lambda: writing._waiting_frames == 0, 60.0)


def test_an_audio_process_that_is_started_again_leaves_a_gap_of_its_length(folder: Path) -> None:
    evening = Evening(folder, short())
    evening.pass_by(1.0)
    memory = evening.playing.memory
    memory.head[WRITTEN_NS] -= 2_500_000_000  # It was gone for two seconds and a half.
    evening.playing = Playing(evening.plan, memory)
    evening.pass_by(1.0)
    found = evening.finish()
    document = load_document(found)
    sounds = tracks_in(found)
    (gap,) = [one for one in document.gaps if one.source == ""]
    assert gap.why == "engine"
    assert 2.5 < gap.frames / 48_000 < 4.0
    assert len(sounds["viewers"]) == len(sounds["came:music"]) == document.frames
    assert abs(document.seconds - 2.0 - gap.frames / 48_000) < 0.2


def test_time_that_the_audio_process_missed_is_a_gap_and_what_follows_is_in_time(
    folder: Path,
) -> None:
    """It once stood nowhere, and all that came after it was early."""
    evening = Evening(folder, short())
    evening.pass_by(1.0)
    evening.playing.pass_over(72_000)
    evening.playing.pass_by(0.1)  # written in one piece with what is missing on both sides
    evening.playing.pass_over(9_600)
    evening.pass_by(1.0)
    evening.mark(1, "after")
    evening.pass_by(1.0)
    found = evening.finish()
    document = load_document(found)
    long, brief = [one for one in document.gaps if one.source == ""]
    assert long.why == brief.why == "engine"
    missed = pytest.approx(72_000, abs=2_400), pytest.approx(9_600, abs=2_400)
    assert (long.frames, brief.frames) == missed, "less what chains hold longer"
    assert document.marks[0].frame == pytest.approx(3.8 * 48_000, rel=0.07)
    assert document.seconds == pytest.approx(4.8, rel=0.07)
    sounds = tracks_in(found)
    for sound in sounds.values():
        assert len(sound) == document.frames
        for gap in (long, brief):
            assert np.abs(sound[gap.frame : gap.frame + gap.frames]).max() == 0.0
    between = sounds["came:music"][long.frame + long.frames : brief.frame]
    assert len(between) > 3_000
    assert np.abs(between).max() > 1e-4, "what was made is there"
    assert document.said == "1.7 s are missing, and stand as silence."


class FailingFile(TrackFile):
    """A disk that is gone."""

    is_gone = False

    def write(self, sound: Block) -> None:
        if self.is_gone and "music" in str(self.path.parent.parent):
            raise OSError(errno.ENODEV, "No such device")
        super().write(sound)


def recorded(folder: Path, make: type[TrackFile]) -> tuple[Evening, Path]:
    """Four seconds with a change and two marks; the disk of FailingFile goes after two."""
    FailingFile.is_gone = False
    evening = Evening(folder, short(), make=make)
    evening.pass_by(1.0)
    evening.change(changed(evening.rig, "inputs.game.fader_db", -9.0))
    evening.pass_by(1.0)
    evening.mark(1, "before")
    evening.pass_by(0.2)
    _until_written(evening)
    FailingFile.is_gone = True
    evening.pass_by(1.0)
    evening.mark(2, "after")
    evening.pass_by(1.0)
    return evening, evening.finish()


def test_a_folder_that_is_lost_is_told_and_it_goes_on_in_our_own(
    folder: Path, tmp_path: Path
) -> None:
    """Not a frame is lost, and each part is dated and has its rig as it was heard there."""
    _, whole = recorded(tmp_path / "whole" / "safe", TrackFile)
    evening, found = recorded(folder, FailingFile)
    (left,) = folder.iterdir()
    assert mend(left).state == "mended"
    complete, first, second = map(load_document, (whole, left, found))
    assert found.parent == evening.rescue
    assert second.continues == first.id
    assert first.frames + second.frames == complete.frames
    assert first.gaps == second.gaps == ()
    for source, sound in tracks_in(whole).items():
        parts = [tracks_in(left)[source], tracks_in(found)[source]]
        assert np.array_equal(np.concatenate(parts), sound)
    assert second.started_utc - first.started_utc == timedelta(seconds=first.seconds)
    marks = {one.name: one.frame for one in complete.marks}
    assert {one.name: one.frame for one in first.marks} == {"before": marks["before"]}
    assert {one.name: one.frame + first.frames for one in second.marks} == {"after": marks["after"]}
    assert second.rig.inputs[1].fader_db == -9.0
    assert second.changes == ()
    assert [one.frame for one in first.changes] == [one.frame for one in complete.changes]
    assert any("goes on in Goshawk's own folder" in one for one in evening.sentences)


def test_a_full_disk_ends_a_part_and_not_the_recording(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where Goshawk's own folder lies on another disk, it goes on there."""
    evening = Evening(folder, short())
    is_full = False

    def disk_usage(path: Path) -> Any:
        is_small = is_full and folder in Path(path).parents
        return SimpleNamespace(free=0 if is_small else 1 << 40)

    monkeypatch.setattr(shutil, "disk_usage", disk_usage)
    evening.pass_by(1.0)
    _until_written(evening)
    is_full = True
    writing = evening.session.writing
    wait_for("the other folder", lambda: writing.part.path.parent == evening.rescue)
    evening.pass_by(1.0)
    found = evening.finish()
    (ended,) = folder.iterdir()
    first, second = load_document(ended), load_document(found)
    assert found.parent == evening.rescue
    assert (first.state, second.continues) == ("whole", first.id)
    assert first.frames + second.frames == evening.session.listening.written
    assert any("safe rest. The recording goes on in" in one for one in evening.sentences)


def test_a_gap_that_grew_is_one_gap_when_its_journal_is_read_after_a_kill(folder: Path) -> None:
    """One outage of 2.5 s was listed as three that overlap."""
    evening = Evening(folder, short())
    evening.pass_by(1.0)
    _until_written(evening)
    part = evening.session.writing.part
    for frame in (48_000, 96_000, 144_000):
        part.note_gap(Gap(frame=frame, frames=48_000, why="engine"))
    part.note_gap(Gap(frame=300_000, frames=10, why="engine"))
    found = load_document(part.path).gaps
    assert [(one.frame, one.frames) for one in found] == [(48_000, 144_000), (300_000, 10)]
    evening.finish()


def test_a_folder_that_takes_nothing_from_the_start_is_told(folder: Path) -> None:
    folder.write_text("no folder")
    evening = Evening(folder, short())
    evening.pass_by(0.5)
    found = evening.finish()
    assert found.parent == evening.rescue
    assert load_document(found).frames
    assert any("Nothing can be recorded in" in one for one in evening.sentences)


@pytest.mark.parametrize("file_format", ["flac", "wav", "opus"])
def test_files_cut_at_any_place_are_mended_to_one_length(
    folder: Path, file_format: TrackFormat
) -> None:
    """As a kill leaves them: the document says it runs, each file ends anywhere in its last second."""
    evening = Evening(folder, short(), file_format)
    evening.pass_by(3.0)
    evening.mark(1, "kept")
    evening.pass_by(1.5)
    _until_written(evening)
    running = evening.session.writing.part.path
    assert mend(running).state == "running", "what is being written is left alone"
    rng = np.random.default_rng(4)
    copies = [Path(shutil.copytree(running, folder / f"cut {n}")) for n in range(6)]
    whole = tracks_in(evening.finish())
    for copy in copies:
        for track in evening.tracks:
            path = copy / track.file
            size = path.stat().st_size
            os.truncate(path, size - int(rng.integers(0, size // 12)))
        document = mend(copy)
        sounds = tracks_in(copy)
        assert document
        assert document.state == "mended"
        assert document.seconds > 3.3
        assert [one.name for one in document.marks] == ["kept"]
        assert {len(one) for one in sounds.values()} == {document.frames}
        assert read_peaks(copy, document, 0, document.frames, 10_000).shape == (
            -(-document.frames // 480),
            2,
        )
        for source, sound in sounds.items():
            clear = 4800 if file_format == "opus" else 0  # It ends within a packet.
            end = len(sound) - clear
            assert np.array_equal(sound[:end], whole[source][:end]), "nothing is shifted"
    assert mend_all(folder) == []


def test_on_a_drive_without_locks_and_rights_what_still_grows_is_left_alone(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A stick, a network drive: recordings lie there often enough."""

    def no_locks(file: object) -> bool:
        raise OSError(errno.ENOLCK, "No locks available")

    def no_rights(path: Path, mode: int) -> None:
        raise PermissionError(errno.EPERM, "Operation not permitted")

    monkeypatch.setattr(Path, "chmod", no_rights)
    monkeypatch.setattr(folder_module, "lock", no_locks)
    evening = Evening(folder, short())
    evening.pass_by(2.0)
    _until_written(evening)
    left = Path(shutil.copytree(evening.session.writing.part.path, folder / "left"))
    now = mend(left)
    for file in left.iterdir():
        os.utime(file, (0, 0))
    later = mend(left)
    assert now
    assert later
    assert (now.state, later.state) == ("running", "mended")
    assert load_document(evening.finish()).state == "whole"


def test_what_was_deleted_goes_a_day_after_that_whenever_it_was_made(tmp_path: Path) -> None:
    """By the time of its making, which some systems give for that of its move, it went at once."""
    found = Evening(tmp_path / "music", short())
    found.pass_by(0.5)
    path = found.finish()
    os.utime(path, (0, 0))
    shelf = Shelf(lambda: [path.parent])
    shelf.delete(load_document(path).id)
    purge_in(path.parent)
    (deleted,) = (path.parent / DELETED_NAME).iterdir()
    long_ago = time.time() - KEPT_DELETED_S - 1.0
    os.utime(deleted, (long_ago, long_ago))
    purge_in(path.parent)
    assert not list((path.parent / DELETED_NAME).iterdir())


def test_a_forged_document_and_a_track_that_is_a_link_are_refused(
    folder: Path, tmp_path: Path
) -> None:
    evening = Evening(folder, short())
    evening.pass_by(0.5)
    path = evening.finish()
    document = path / DOCUMENT_NAME
    whole = document.read_text()
    frames = load_document(path).frames
    document.write_text(whole.replace(f'"frames": {frames},', f'"frames": {10**15},', 1))
    with pytest.raises(BadRecording, match="frames"):
        load_document(path)
    document.write_text(whole)
    track = path / load_document(path).tracks[0].file
    (tmp_path / "secret").write_text("not a recording")
    track.unlink()
    track.symlink_to(tmp_path / "secret")
    with pytest.raises(BadRecording, match="is a link"):
        load_document(path)


def came_late(folder: Path, first_frame: int, seconds: float) -> Evening:
    """An evening whose recorder took so long to come; then a second passes."""
    evening = Evening(folder, short(), first_frame=first_frame)
    for _ in range(round(seconds * 10)):
        evening.playing.pass_by(0.1)
    evening.session = Session(
        evening.playing.memory, evening.recorded, evening.said.append, waits=True
    )
    evening.session.heard(messages.RigOfPlan(1, b""))
    evening.pass_by(1.0)
    return evening


def test_it_begins_where_it_was_asked_for_with_what_the_memory_holds(folder: Path) -> None:
    """A process that took seconds to start cost the recording's beginning."""
    late = came_late(folder, 24_000, seconds=1.0)
    found = late.finish()
    document = load_document(found)
    assert document.gaps == ()
    assert document.frames == late.session.listening.written > 48_000
    whole = Evening(folder.parent / "whole", short())
    whole.pass_by(1.7)
    complete, first = tracks_in(whole.finish()), 24_000 - (whole.session.listening.start or 0)
    for source, sound in tracks_in(found).items():
        assert np.array_equal(sound[:40_000], complete[source][first : first + 40_000])


def test_what_nobody_was_there_to_take_is_a_gap_of_its_length_with_its_reason(folder: Path) -> None:
    """After a recorder was lost its time was blamed on the engine, or on the disk."""
    evening = came_late(folder, 0, seconds=5.0)
    document = load_document(evening.finish())
    (gap,) = document.gaps
    assert (gap.why, gap.frame) == ("recorder", 0)
    assert 3.4 < gap.frames / 48_000 < 5.0, "but for what the memory still held"
    assert document.frames == evening.session.listening.written > 6 * 48_000


def test_names_stay_in_their_folder() -> None:
    begins = datetime(2026, 11, 25, 20, 14, tzinfo=UTC)
    assert (
        folder_name("{date} {time} {rig}", "Attic, late", begins) == "2026-11-25 20.14 Attic, late"
    )
    assert folder_name("{rig}", "../../etc/passwd", begins) == "-..-etc-passwd"
    assert folder_name("a", "x", begins, ["A", "a (2)"]) == "a (3)"
    assert folder_name("con", "x", begins) not in ("con", "CON")
    assert len(folder_name("ü" * 119, "x", begins).encode()) <= 200
    for pattern in ("{hour}", "...", "{rig}"):
        with pytest.raises(BadSetting):
            folder_name(pattern, "...", begins)


def test_a_recorder_that_cannot_be_started_is_tried_again_and_given_up_with_a_word(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """A system without a process to spare: the recording stood at "starting" for ever."""
    tries, losses = 0, 0

    def start_process(*given: str) -> Any:
        nonlocal tries
        tries += 1
        raise OSError(11, "Resource temporarily unavailable")

    async def lost() -> bool:
        nonlocal losses
        losses += 1
        return losses < 3

    monkeypatch.setattr(client_module, "start_process", start_process)
    monkeypatch.setattr(client_module, "TRY_AGAIN_S", 0.0)

    async def story() -> None:
        client = client_module.RecorderClient("", RecorderWanted, lambda said: None, lost)
        client.start()
        await until(client.finished.is_set)

    asyncio.run(story())
    assert (tries, losses) == (3, 3)
