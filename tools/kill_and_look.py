"""Kills and stops (SIGSTOP) the web process, the audio process and the observer over and over while settings are changed, and looks what
was lost.

    python -m tools.kill_and_look --web 200 --engine 50 --observer 50

After each: every change that was acknowledged is there, no process and no file is left behind, every question has ended, and the lamps
were right within a second. Prints counts."""

import argparse
import os
import random
import signal
import tempfile
import threading
import time
from contextlib import suppress
from dataclasses import dataclass, field
from http.client import HTTPException
from pathlib import Path
from typing import Any

import psutil

from tests.server.running import Server
from tests.waiting import PATIENCE_S, wait_for

PATHS = ("inputs.game.fader_db", "inputs.music.fader_db", "inputs.copilot.fader_db")


@dataclass
class Count:
    """What a run of kills found."""

    kills: int = 0
    changes: int = 0
    lost: list[str] = field(default_factory=list)
    left_behind: list[str] = field(default_factory=list)
    slowest_lamp_s: float = 0.0
    slowest_answer_s: float = 0.0

    def say(self, name: str) -> None:
        print(
            f"{name}: {self.kills} kills, {self.changes} acknowledged changes, "
            f"{len(self.lost)} lost, {len(self.left_behind)} left behind, lamps right after {self.slowest_lamp_s:.1f} s at most, "
            f"questions ended after {self.slowest_answer_s:.1f} s at most",
            flush=True,
        )


SAID_EVERY = 25

MOST_CHANGES = 80
"""Are acknowledged before a kill: it comes at any moment, on a fast machine and on a slow one."""


class Changer:
    """Changes settings as fast as they are acknowledged, and remembers what was."""

    def __init__(self, server: Server, seed: int) -> None:
        self._server, self._random = server, random.Random(seed)
        self.acknowledged: dict[str, Any] = {}
        self.asked: dict[str, Any] = {}
        self.count = 0
        self._is_over = threading.Event()
        self._thread = threading.Thread(target=self._run)
        self._thread.start()

    def _run(self) -> None:
        while not self._is_over.is_set():
            path = self._random.choice((*PATHS, "inputs.voice.is_muted"))
            value: Any = -float(self._random.randint(0, 60))
            if path.endswith("is_muted"):
                value = self._random.random() < 0.5
            self.asked[path] = value
            try:
                self._server.change(path, value, timeout=PATIENCE_S)
            except (OSError, ValueError, HTTPException):
                return
            self.acknowledged[path] = value
            self.count += 1

    def wait_for(self, changes: int) -> None:
        """Until so many more were acknowledged, or none is any more."""
        until = self.count + changes
        while self.count < until and self._thread.is_alive():
            time.sleep(0.001)

    def stop(self) -> None:
        self._is_over.set()
        self._thread.join()


def value_at(state: Any, path: str) -> Any:
    _, name, setting = path.split(".")
    return next(one for one in state["rig"]["inputs"] if one["id"] == name)[setting]


def compare(count: Count, changer: Changer, state: Any) -> None:
    """What was acknowledged is there; what was only asked for may be."""
    count.changes += changer.count
    for path, value in changer.acknowledged.items():
        found = value_at(state, path)
        if found not in (value, changer.asked.get(path, value)):
            count.lost.append(f"{path}: {value} was acknowledged, {found} is there")


def gone(processes: list[psutil.Process]) -> list[str]:
    _, alive = psutil.wait_procs(processes, timeout=PATIENCE_S)
    return [f"process {one.pid} {' '.join(one.cmdline()[:4])}" for one in alive if one.is_running()]


def kill_web(server: Server, kills: int, seed: int = 0) -> Count:
    """Kill the web process at any moment; the next start finds everything."""
    count, source = Count(), random.Random(seed)
    for number in range(kills):
        changer = Changer(server, seed + number)
        changer.wait_for(source.randint(1, MOST_CHANGES))
        if source.random() < 0.3:
            with suppress(OSError):
                server.ask("/api/sound-check/takes/room", timeout=2.0)
        others = server.processes()[1:]
        server.kill()
        changer.stop()
        count.kills += 1
        with suppress(psutil.NoSuchProcess):
            count.left_behind += gone(others)
        server.start()
        compare(count, changer, server.ask("/api/state", "GET"))
        left = [str(path) for path in (server.data_dir / "work").glob("**/*") if path.is_file()]
        count.left_behind += [*left, *memory_left(server)]
        if count.kills % SAID_EVERY == 0:
            count.say("web process, so far")
    return count


def memory_left(server: Server) -> list[str]:
    """Shared memory that was made by one of the server's processes and outlived it; others' may be just being tidied up."""
    kept = (path for pid in server.pids for path in Path("/dev/shm").glob(f"goshawk-{pid}-*"))
    return [
        f"shared memory {path}"
        for path in kept
        if server.has_ended or f"-{server.pid}-" not in path.name
    ]


def child_of(server: Server, name: str) -> psutil.Process:
    while True:
        for one in server.processes()[1:]:
            with suppress(psutil.NoSuchProcess):
                if f"goshawk.{name}.process" in " ".join(one.cmdline()):
                    return one
        time.sleep(0.05)


def levels_of(server: Server, part: str) -> Any:
    """A part of the newest levels; of none, an empty one."""
    return (server.ask("/api/levels", "GET") or {}).get(part, {})


def look_at_lamp(server: Server, token: str, count: Count) -> None:
    """Mute and unmute: how long the lamp takes to say so. That it does not know is no wrong answer, but none either."""
    for is_muted in (True, False):
        server.change("inputs.voice.is_muted", is_muted)
        began = time.monotonic()
        wait_for(
            "the lamp",
            lambda shut=is_muted: (reach_of(server, token) == "closed") == shut,
        )
        count.slowest_lamp_s = max(count.slowest_lamp_s, time.monotonic() - began)


def reach_of(server: Server, token: str) -> str:
    return str(server.ask(f"/api/watch?token={token}", "GET")["reach"]["viewers"])


def look_at_question(server: Server, count: Count) -> None:
    """A question to the observer ends, with an answer or an error."""
    began = time.monotonic()
    server.refused("/api/sound-check", "GET")
    count.slowest_answer_s = max(count.slowest_answer_s, time.monotonic() - began)


def kill_observer(server: Server, kills: int, seed: int = 0) -> Count:
    """Kill the observer at any moment: the sound goes on, and figures come back."""
    count, source = Count(), random.Random(seed)
    token = server.ask("/api/addresses", body={"name": "lamp"})["token"]
    for number in range(kills):
        changer = Changer(server, 2000 + seed + number)
        changer.wait_for(source.randint(1, MOST_CHANGES))
        victim, engine = child_of(server, "observer"), child_of(server, "engine").pid
        (victim.suspend if source.random() < 0.5 else victim.kill)()
        time.sleep(0.1)
        changer.stop()
        count.kills += 1
        look_at_lamp(server, token, count)
        look_at_question(server, count)
        changer.acknowledged["inputs.voice.is_muted"] = False
        wait_for(
            "the observer",
            lambda lost=victim.pid: (
                child_of(server, "observer").pid != lost and server.ask("/api/levels", "GET")
            ),
        )
        if child_of(server, "engine").pid != engine:
            count.lost.append("the audio process went with it")
        compare(count, changer, server.ask("/api/state", "GET"))
        count.left_behind += gone([victim])
        if count.kills % SAID_EVERY == 0:
            count.say("observer, so far")
    return count


def kill_engine(server: Server, kills: int, seed: int = 0) -> Count:
    """Kill the audio process at any moment; the next one plays the plan, and a mute stays shut."""
    count, source = Count(), random.Random(seed)
    for number in range(kills):
        changer = Changer(server, 1000 + seed + number)
        changer.wait_for(source.randint(1, MOST_CHANGES))
        victim = child_of(server, "engine")
        restarts = levels_of(server, "engine").get("restarts", 0)
        os.kill(victim.pid, signal.SIGSTOP if source.random() < 0.3 else signal.SIGKILL)
        time.sleep(0.1)
        changer.stop()
        server.change("inputs.voice.is_muted", True)
        count.kills += 1
        wait_for(
            "the audio process",
            lambda most=restarts: levels_of(server, "engine").get("restarts", 0) > most,
        )
        changer.acknowledged["inputs.voice.is_muted"] = True
        compare(count, changer, server.ask("/api/state", "GET"))
        wait_for("the mute", lambda: levels_of(server, "reach").get("viewers") == "closed")
        count.left_behind += gone([victim])
        if count.kills % SAID_EVERY == 0:
            count.say("audio process, so far")
    return count


def main() -> None:
    """Run all and print what they found."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--web", type=int, default=200)
    parser.add_argument("--engine", type=int, default=50)
    parser.add_argument("--observer", type=int, default=50)
    given = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "data")
        try:
            look(server, given.web, given.engine, given.observer)
        finally:
            server.kill()


def look(server: Server, web: int, engine: int, observer: int) -> None:
    """All runs, and what is left after the end."""
    for name, run, kills in (
        ("web process", kill_web, web),
        ("audio process", kill_engine, engine),
        ("observer", kill_observer, observer),
    ):
        count = run(server, kills)
        count.say(name)
        for line in (*count.lost, *count.left_behind):
            print("  ", line)
    last = server.processes()
    server.stop()
    print("after the end:", [*gone(last), *memory_left(server)] or "nothing is left")
    print("tracebacks on stderr:", server.said.count("Traceback"))
    for part in server.said.split("Traceback")[1:]:
        print("Traceback", "\n".join(part.splitlines()[:40]))


if __name__ == "__main__":
    main()
