"""Kills recorder, audio process and web process at random moments of a recording, and looks what is left of it.

    python -m tools.kill_recordings --kills 200

After each kill every file opens, all tracks are equally long and hold the same frames, and at most a second is missing (more where the
machine has no time for who writes). Prints counts."""

import argparse
import os
import random
import signal
import tempfile
import time
from collections import deque
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import psutil
import soundfile

from goshawk.core.recording.document import Recording
from goshawk.store.recordings.folder import load_document
from goshawk.store.recordings.mending import mend
from tests.server.running import Server
from tests.waiting import PATIENCE_S, wait_for

MOST_MISSING_S = 1.0
POLL_S, POLLS = 0.05, 8
"""Longer than from one status of the recorder to the next."""

SHORTEST_S, LONGEST_S = 0.6, 2.5


@dataclass
class Count:
    """What a run of kills found."""

    kills: int = 0
    missing_s: dict[str, list[float]] = field(default_factory=dict)
    """Of each recording that was cut, by what was killed."""
    longest_gap_s: float = 0.0
    faults: list[str] = field(default_factory=list)

    def say(self) -> None:
        missing = [one for some in self.missing_s.values() for one in some]
        too_much = sum(one > MOST_MISSING_S for one in missing)
        print(
            f"{self.kills} kills: at most {max(missing, default=0.0):.2f} s missing, {too_much} times more than "
            f"{MOST_MISSING_S:.0f} s, gaps while an audio process starts up to {self.longest_gap_s:.1f} s, {len(self.faults)} faults",
            flush=True,
        )
        for one in self.faults:
            print(f"  {one}")


def running(server: Server) -> Any:
    """The state of a recording that has sound."""
    state = server.ask("/api/recordings/current", "GET")
    return state if state["stage"] == "running" and state["seconds"] > 0.3 else None


def child(server: Server, module: str) -> psutil.Process:
    """One of the server's processes."""
    for one in psutil.Process(server.pid).children():
        with suppress(psutil.Error):
            if module in one.cmdline():
                return one
    raise AssertionError(f"{module} does not run")


def pass_by(server: Server, seconds: float) -> float:
    """Let so much time pass; where the recording stands behind the computer's clock: began then, and whatever an audio process
    that is short of time has not made since is not missing from the recording."""
    until = time.monotonic() + seconds
    lately: deque[float] = deque(maxlen=POLLS)
    while time.monotonic() < until:
        now = time.time()
        lately.append(now - server.ask("/api/recordings/current", "GET")["seconds"])
        time.sleep(POLL_S)
    return min(lately)


def look_at(folder: Path, should_s: float, killed: str, count: Count) -> Recording:
    """Whether a recording is as it should be; by how much it is shorter than it ``should`` be."""
    document = load_document(folder)
    lengths = set()
    for track in document.tracks:
        sound, rate = soundfile.read(folder / track.file, dtype="int32", always_2d=True)
        lengths.add(len(sound))
        for gap in (one for one in document.gaps if one.source == ""):
            piece = sound[gap.frame : gap.frame + gap.frames]
            if np.any(piece):
                count.faults.append(f"{folder.name}: {track.name} sounds within a gap")
        if rate != 48_000:
            count.faults.append(f"{folder.name}: {rate} Hz")
    if lengths != {document.frames}:
        count.faults.append(f"{folder.name}: {lengths}, should be {document.frames}")
    count.missing_s.setdefault(killed, []).append(should_s - document.seconds)
    return document


def kill_recorder(server: Server, wait_s: float, count: Count) -> None:
    """It goes on in another folder, and what is there is mended."""
    before = wait_for("sound", lambda: running(server))
    began = pass_by(server, wait_s)
    should_s = time.time() - began
    child(server, "goshawk.recorder.process").kill()
    count.kills += 1
    wait_for("the next folder", lambda: (s := running(server)) and s["id"] != before["id"])
    look_at(Path(before["folder"]), should_s, "recorder", count)


def stop_recorder(server: Server, wait_s: float, count: Count) -> None:
    """It hangs: it is noticed, replaced, and the next part begins where this one ended, with a gap that says why."""
    before = wait_for("sound", lambda: running(server))
    pass_by(server, wait_s)
    child(server, "goshawk.recorder.process").suspend()
    count.kills += 1
    after = wait_for(
        "the next folder", lambda: (s := running(server)) and s["id"] != before["id"] and s
    )
    ended = load_document(Path(before["folder"]))
    if after["first_frame"] != before["first_frame"] + ended.frames:
        count.faults.append(f"{before['title']}: the next part does not begin where it ended")
    wait_for("its gap", lambda: load_document(Path(after["folder"])).gaps)
    gap = load_document(Path(after["folder"])).gaps[0]
    if (gap.frame, gap.why) != (0, "recorder"):
        count.faults.append(f"{after['title']}: its first gap is {gap}")


def kill_engine(server: Server, wait_s: float, count: Count) -> None:
    """There is a gap; the recording goes on."""
    wait_for("sound", lambda: running(server))
    time.sleep(wait_s)
    child(server, "goshawk.engine.process").kill()
    count.kills += 1
    until = running(server)["seconds"] + 2.0
    wait_for("sound again", lambda: (s := running(server)) and s["seconds"] > until)


def kill_web(server: Server, wait_s: float, count: Count) -> None:
    """The recorder closes what it has; at the next start it is there."""
    before = wait_for("sound", lambda: running(server))
    began = pass_by(server, wait_s)
    recorder = child(server, "goshawk.recorder.process")
    should_s = time.time() - began
    server.kill()
    count.kills += 1
    recorder.wait(PATIENCE_S)
    folder = Path(before["folder"])
    mend(folder)
    document = look_at(folder, should_s, "web process", count)
    count.longest_gap_s = max(
        [count.longest_gap_s, *(one.frames / 48_000 for one in document.gaps if not one.source)]
    )
    server.start()


def kill_all_at_once(server: Server, wait_s: float, count: Count) -> None:
    """As a power cut: nobody tidies up."""
    before = wait_for("sound", lambda: running(server))
    began = pass_by(server, wait_s)
    should_s = time.time() - began
    for one in reversed(server.processes()):
        with suppress(psutil.Error):
            os.kill(one.pid, signal.SIGKILL)
    server.kill()
    count.kills += 1
    server.start()
    wait_for(
        "mending",
        lambda: any(
            one["id"] == before["id"] and one["state"] == "mended"
            for one in server.ask("/api/recordings", "GET")
        ),
    )
    look_at(Path(before["folder"]), should_s, "all", count)


def run(server: Server, kills: int, seed: int = 1) -> Count:
    """So many kills, of one process after the other."""
    count, rng = Count(), random.Random(seed)
    kinds = [kill_recorder, kill_engine, stop_recorder, kill_engine, kill_web, kill_all_at_once]
    while count.kills < kills:
        kind = kinds[count.kills % len(kinds)]
        if server.ask("/api/recordings/current", "GET")["stage"] == "off":
            server.ask("/api/recordings")
        kind(server, rng.uniform(SHORTEST_S, LONGEST_S), count)
        if count.kills % 25 == 0:
            count.say()
    return count


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kills", type=int, default=200)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "data")
        try:
            run(server, asked.kills).say()
        finally:
            server.stop()


if __name__ == "__main__":
    main()
