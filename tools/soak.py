"""Lets Goshawk run for a while with a page's readings and sound and five changes a second; prints what grows.

    python -m tools.soak --minutes 20

Each half minute: memory of every process (PSS, so that what they share counts once), the delay to the viewers, late
blocks, and pieces lost. Memory should be flat after the second minute, and the delay what it was."""

import argparse
import json
import tempfile
import threading
import time
from contextlib import suppress
from pathlib import Path

import psutil
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect
from websockets.typing import Origin

from tests.server.running import Server

EVERY_S = 30.0
CHANGES_PER_S = 5


class Page:
    """Takes readings and sound, and changes settings."""

    def __init__(self, server: Server) -> None:
        self._place = f"ws://127.0.0.1:{server.port}/api"
        self._origin = Origin(server.url)
        self.changes = self.readings = self.sound_bytes = 0
        self._is_over = threading.Event()
        self._threads = [
            threading.Thread(target=work) for work in (self._look, self._listen, self._change)
        ]
        for thread in self._threads:
            thread.start()

    def _look(self) -> None:
        with (
            connect(f"{self._place}/live", max_size=None, origin=self._origin) as link,
            suppress(ConnectionClosed),
        ):
            link.send(json.dumps({"type": "watch_balance", "is_on": True}))
            link.send(json.dumps({"type": "watch_stage", "stage_id": "eq"}))
            while not self._is_over.is_set():
                with suppress(TimeoutError):
                    link.recv(timeout=1.0)
                    self.readings += 1

    def _listen(self) -> None:
        with (
            connect(f"{self._place}/audio", max_size=None, origin=self._origin) as link,
            suppress(ConnectionClosed),
        ):
            link.send(json.dumps({"listen": True, "hear": "viewers"}))
            while not self._is_over.is_set():
                with suppress(TimeoutError):
                    self.sound_bytes += len(link.recv(timeout=1.0))

    def _change(self) -> None:
        with (
            connect(f"{self._place}/live", max_size=None, origin=self._origin) as link,
            suppress(ConnectionClosed),
        ):
            while not self._is_over.is_set():
                value = -8.0 - self.changes % 12
                asked = {"type": "set", "path": "inputs.game.fader_db", "value": value}
                link.send(json.dumps(asked))
                self.changes += 1
                until = time.monotonic() + 1.0 / CHANGES_PER_S
                while (left := until - time.monotonic()) > 0:
                    with suppress(TimeoutError):
                        link.recv(timeout=left)

    def close(self) -> None:
        self._is_over.set()
        for thread in self._threads:
            thread.join()


def kind_of(process: psutil.Process) -> str:
    line = " ".join(process.cmdline())
    for name in ("engine", "observer", "recorder"):
        if f"goshawk.{name}.process" in line:
            return name
    return "web" if "goshawk.cli.main" in line else "helpers"


def memory_mb(server: Server) -> dict[str, float]:
    found: dict[str, float] = {}
    for process in server.processes():
        with suppress(psutil.NoSuchProcess, psutil.AccessDenied):
            name = kind_of(process)
            found[name] = found.get(name, 0.0) + process.memory_full_info().pss / 1e6
    return found


def main() -> None:
    """Run, and print a line each half minute."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=20.0)
    given = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "data")
        page = Page(server)
        began = time.monotonic()
        print("  min   web  engine  observer  MB   delay ms  late  missed  lost  changes")
        while (passed := time.monotonic() - began) < given.minutes * 60.0:
            time.sleep(min(EVERY_S, given.minutes * 60.0 - passed))
            memory, levels = memory_mb(server), server.ask("/api/levels", "GET")
            engine = levels["engine"]
            print(
                f"{(time.monotonic() - began) / 60.0:5.1f} {memory.get('web', 0):5.0f} "
                f"{memory.get('engine', 0):7.0f} {memory.get('observer', 0):9.0f}     "
                f"{levels['delay_ms']['viewers']:8.1f} {engine['late_blocks']:5d} "
                f"{engine['missed_blocks']:7d} {engine['lost_pieces']:5d} {page.changes:8d}",
                flush=True,
            )
        page.close()
        server.stop()
        print("tracebacks on stderr:", server.said.count("Traceback"))


if __name__ == "__main__":
    main()
