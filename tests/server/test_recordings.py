"""Recordings with all processes at work: over the interface, through kills, and with little memory."""

import io
import json
import urllib.error
import urllib.request
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import psutil
import pytest
import soundfile

from goshawk.store.recordings.folder import load_document
from goshawk.system.desktop import ending_signals
from tests.server.running import Server
from tests.waiting import PATIENCE_S, wait_for
from tools.kill_recordings import MOST_MISSING_S, run, running

ENVIRONMENT = {"GOSHAWK_PORTABLE": "1"}
"""Here the processes are tied together by the way that goes on every system; elsewhere in the tests by this system's own."""


def fetched(server: Server, path: str, **headers: str) -> tuple[int, bytes]:
    request = urllib.request.Request(server.url + path, headers={"Origin": server.url, **headers})
    with urllib.request.urlopen(request, timeout=PATIENCE_S) as reply:
        return reply.status, reply.read()


def refused(server: Server, path: str, method: str = "POST", body: Any = None) -> str:
    with pytest.raises(urllib.error.HTTPError) as caught:
        server.ask(path, method, body)
    assert caught.value.code in (404, 422)
    with caught.value as answer:
        return str(json.loads(answer.read())["detail"])


def test_an_evening_is_recorded_heard_used_and_handed_over(server: Server) -> None:
    assert "nothing to mark" in refused(server, "/api/recordings/current/marks")
    server.change("recording.pattern", "../{rig} {date}")
    server.ask("/api/recordings")
    assert "already" in refused(server, "/api/recordings")
    wait_for("sound", lambda: running(server))
    server.pass_time(12.0)
    server.ask("/api/recordings/current/marks", body={"name": "second lock"})
    server.change("inputs.voice.chain.trim.settings.gain_db", 3.0)
    server.pass_time(14.0)
    state = wait_for("sound", lambda: running(server))
    assert "still being recorded" in refused(server, f"/api/recordings/{state['id']}", "DELETE")
    growing = server.ask(f"/api/recordings/{state['id']}/peaks?points=50", "GET")
    assert len(growing["peaks"]) == 50
    assert len(growing["sources"]) == 6
    server.ask("/api/recordings/current/stop")
    (one,) = wait_for(
        "figures", lambda: [r for r in server.ask("/api/recordings", "GET") if r["figures"]]
    )
    folder = Path(one["folder"])
    assert folder.parent == server.data_dir / "recordings"
    assert one["title"].startswith("-Attic")
    assert one["seconds"] > 24.0
    assert one["tracks"] == 6
    assert one["state"] == "whole"
    assert -24.0 < one["figures"]["loudness_lufs"] < -12.0
    assert 0.3 < one["figures"]["intelligibility"] <= 1.0
    assert 2.0 < one["figures"]["clearance_db"] < 25.0

    path = f"/api/recordings/{one['id']}"
    detail = server.ask(path, "GET")
    (mark,) = [m for m in detail["marks"] if m["by"] == "you"]
    assert mark["name"] == "second lock"
    assert 10.0 < mark["frame"] / 48_000 < 16.0
    assert "second lock" in (folder / "marks.txt").read_text()
    (change,) = load_document(folder).changes
    assert list(change.settings) == ["inputs.voice.chain.trim.settings.gain_db"]

    # Its files, whole and in ranges.
    status, head = fetched(server, f"{path}/tracks/came:voice", Range="bytes=0-3")
    assert (status, head) == (206, b"fLaC")
    assert "not there" in refused(server, f"{path}/tracks/came:nobody", "GET")
    # Three ways, equally loud, and one track alone.
    loud = {}
    for way in ("came", "was", "now"):
        _, wav = fetched(server, f"{path}/listen?way={way}&from_s=4&seconds=10")
        sound, _ = soundfile.read(io.BytesIO(wav), always_2d=True)
        assert len(sound) == 480_000
        loud[way] = 10 * np.log10(np.mean(sound**2))
    assert max(loud.values()) - min(loud.values()) < 6.0
    _, alone = fetched(server, f"{path}/listen?source=came:game&from_s=4&seconds=2")
    assert soundfile.info(io.BytesIO(alone)).frames == 96_000

    # A piece is a take, a loop, a replay.
    use = {"use": "take", "kind": "usual", "from_s": 2.0, "to_s": 20.0}
    server.ask(f"{path}/use", body=use)
    assert "usual" in server.ask("/api/sound-check", "GET")["takes"]
    server.ask(f"{path}/use", body={"use": "loop", "from_s": 3.0, "to_s": 9.0})
    wait_for("the loop", lambda: server.ask("/api/state", "GET")["loop"]["is_on"])
    server.ask(f"{path}/use", body={"use": "replay", "from_s": 3.0, "to_s": 9.0})
    wait_for("no loop", lambda: not server.ask("/api/state", "GET")["loop"]["is_on"])
    long = {"use": "replay", "from_s": 0.0, "to_s": 0.5}
    assert "1 to 120 s" in refused(server, f"{path}/use", body=long)

    # Handed over: a piece in another format, and mixed anew.
    for what, names in (("tracks", 7), ("mix", 2)):
        body = {"what": what, "file_format": "wav", "from_s": 5.0, "to_s": 15.0}
        server.ask(f"{path}/hand-over", body=body)
        made = wait_for(
            "files",
            lambda: (s := server.ask(f"{path}/hand-over", "GET"))["stage"] != "working" and s,
        )
        assert (made["stage"], len(made["files"])) == ("done", names), made
        _, packed = fetched(server, f"{path}/hand-over/zip")
        archive = zipfile.ZipFile(io.BytesIO(packed))
        assert archive.testzip() is None
        assert len(archive.namelist()) == names
    assert "nothing" in refused(server, f"{path}/hand-over", body={"from_s": 90.0, "to_s": 95.0})

    # Renamed, noted, deleted, brought back; a foreign folder is left alone.
    (folder.parent / "foreign").mkdir()
    (folder.parent / "foreign" / "recording.json").write_text("{}")
    renamed = server.ask(path, "PATCH", {"title": "Lantern / night", "note": "good\nvoice"})
    assert renamed["title"] == "Lantern - night"
    server.ask(path, "DELETE")
    assert server.ask("/api/recordings", "GET") == []
    assert "not there" in refused(server, path, "GET")
    server.ask(f"{path}/restore")
    (back,) = server.ask("/api/recordings", "GET")
    assert (back["title"], back["note"]) == ("Lantern - night", "good\nvoice")
    (Path(back["folder"]) / "03 Game, as it came.flac").unlink()
    (hurt,) = server.ask("/api/recordings", "GET")
    assert "Missing in its folder: Game, as it came" in hurt["said"]
    assert "cannot be read" in refused(server, f"{path}/listen?source=came:game", "GET")
    assert "Traceback" not in server.said


def test_what_cannot_be_recorded_is_refused_with_a_sentence(server: Server) -> None:
    for pattern, said in (("{hour}", "cannot be filled in"), ("...", "no name")):
        server.change("recording.pattern", pattern)
        assert said in refused(server, "/api/recordings")
    server.change("recording.tracks", [])
    assert "Choose a track" in refused(server, "/api/recordings")
    server.change("recording.tracks", None)
    server.change("recording.pattern", "{date}")
    server.change("recording.folder", "not/absolute")
    assert "no whole path" in refused(server, "/api/recordings")
    server.change("recording.folder", "")


@pytest.mark.endurance
def test_kills_cost_a_second_at_most_and_every_file_opens(tmp_path: Path) -> None:
    server = Server(tmp_path / "data")
    try:
        count = run(server, 12)
        assert count.kills == 12
        assert count.faults == []
        # A shared machine may stand still meanwhile, or have no time for who writes: one of each kind must be in time.
        assert len(count.missing_s) == 3
        assert all(min(some) <= MOST_MISSING_S for some in count.missing_s.values()), (
            count.missing_s
        )
        assert "Traceback" not in server.said, server.said[-4000:]
    finally:
        server.stop()


@pytest.mark.endurance
def test_keys_and_a_system_that_end_every_process_at_once_leave_a_whole_recording(
    tmp_path: Path,
) -> None:
    """Ctrl+C in a terminal goes to all of them, as its closing does; that once cut the recording, and another was begun."""
    server, numbers = Server(tmp_path / "data"), ending_signals()
    try:
        server.ask("/api/recordings")
        wait_for("sound", lambda: running(server))
        server.pass_time(3.0)
        _, *others = server.processes()
        for one in others:
            for number in numbers:
                one.send_signal(number)
    finally:
        server.stop(numbers[-1])
    (folder,) = (server.data_dir / "recordings").iterdir()
    kept = load_document(folder)
    assert kept.state == "whole"
    assert bool(kept.said) == any(one.source == "" for one in kept.gaps), "but if it stood still"
    assert kept.seconds > 2.0
    assert psutil.wait_procs(others, timeout=PATIENCE_S)[1] == []
    assert server.said.count("\n") <= 1, "nothing but where it is"
