"""The application in a process of its own, as the demo script starts it."""

import io
import json
import os
import signal
import socket
import sqlite3
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any

import psutil
from websockets.sync.client import connect
from websockets.typing import Origin

from goshawk.core.watch.report import Evening
from goshawk.store.evenings.database import evenings_path
from goshawk.store.evenings.evenings import listed, read
from goshawk.timeline.memory import TEST_CLOCK
from tests.waiting import PATIENCE_S


class Server:
    """A demo on a folder; what it says on stderr is kept in ``said``."""

    def __init__(
        self,
        data_dir: Path,
        env: dict[str, str] | None = None,
        *,
        opens: bool = False,
        python: str = sys.executable,
        cwd: Path | None = None,
        patience_s: float = PATIENCE_S,
    ) -> None:
        self._env, self._python, self._patience_s = env or dict(os.environ), python, patience_s
        self._cwd = cwd  # Python looks there first for what it is to run
        self._opens = "--open" if opens else "--no-open"
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        self.data_dir = data_dir
        self._log = data_dir.parent / f"{data_dir.name}-{self.port}.log"
        self.pids: list[int] = []
        self.start()

    def start(self) -> None:
        command = [self._python, "-m", "goshawk.cli.main", "demo", self._opens]
        with self._log.open("ab") as log:
            self._process = subprocess.Popen(
                [*command, "--port", str(self.port), "--data-dir", str(self.data_dir)],
                stdout=subprocess.DEVNULL,
                stderr=log,
                cwd=self._cwd,
                env={**self._env, TEST_CLOCK: "on"},
            )
        self.pids.append(self.pid)
        self.levels()

    def levels(self) -> dict[str, Any]:
        """The newest levels, as soon as there are any: not while it starts, or its audio process does."""
        for _ in range(round(20 * self._patience_s)):
            if self._process.poll() is not None:
                break
            with suppress(OSError, urllib.error.HTTPError):
                levels: dict[str, Any] | None = self.ask("/api/levels", "GET")
                if levels is not None:
                    return levels
            time.sleep(0.05)
        raise AssertionError(f"no sound flows: {self.said}")

    @property
    def said(self) -> str:
        """Everything it said on stderr."""
        return self._log.read_text()

    @property
    def pid(self) -> int:
        return self._process.pid

    @property
    def has_ended(self) -> bool:
        return self._process.poll() is not None

    def processes(self) -> list[psutil.Process]:
        """Its own and all that it started."""
        own = psutil.Process(self.pid)
        return [own, *own.children(recursive=True)]

    def kill(self) -> None:
        """As a crash of the machine would: no chance to tidy up."""
        self._process.kill()
        self._process.wait()

    def stop(self, with_signal: int = signal.SIGTERM, patience_s: float = PATIENCE_S) -> None:
        self._process.send_signal(with_signal)
        self._process.wait(patience_s)

    def ask(
        self, path: str, method: str = "POST", body: Any = None, timeout: float = PATIENCE_S
    ) -> Any:
        """The answer to a request."""
        data = b"" if body is None and method == "POST" else None
        if body is not None:
            data = json.dumps(body).encode()
        request = urllib.request.Request(
            f"{self.url}{path}",
            data,
            {"Content-Type": "application/json", "Origin": self.url},
            method=method,
        )
        try:
            with urllib.request.urlopen(request, timeout=timeout) as reply:
                return json.loads(reply.read() or b"null")
        except urllib.error.HTTPError as error:
            with error:
                said = error.read()
            again = urllib.error.HTTPError(
                error.url, error.code, error.reason, error.headers, io.BytesIO(said)
            )
            again.add_note(said.decode(errors="replace"))
            raise again from None

    def refused(self, path: str, method: str = "POST", body: Any = None) -> int:
        """The status under which a request is refused; 0 if it is done."""
        try:
            self.ask(path, method, body)
        except urllib.error.HTTPError as error:
            error.close()
            return error.code
        return 0

    def change(self, path: str, value: Any, timeout: float = PATIENCE_S) -> Any:
        """Set one setting; the state when it is acknowledged."""
        return self.ask("/api/rig", "PATCH", {"path": path, "value": value}, timeout)

    def measure_delay(self) -> None:
        """Send a click through, as the page's button does."""
        with connect(f"ws://127.0.0.1:{self.port}/api/live", origin=Origin(self.url)) as link:
            link.send(json.dumps({"type": "measure_delay"}))
            time.sleep(0.2)

    def pass_time(self, seconds: float) -> None:
        """Let so much sound pass, as fast as the machine allows."""
        self.ask(f"/api/test-clock?seconds={seconds}", timeout=PATIENCE_S)

    @contextmanager
    def hurried(self) -> Iterator[None]:
        """While this lasts, sound passes as fast as the machine allows."""
        is_over = threading.Event()

        def hurry() -> None:
            # One long call: between two, a busy machine's pauses would be gaps in the sound.
            while not is_over.is_set():
                with suppress(OSError):  # the server may be killed meanwhile
                    self.pass_time(600.0)

        thread = threading.Thread(target=hurry)
        thread.start()
        try:
            yield
        finally:
            is_over.set()
            with suppress(OSError):
                self.pass_time(0.01)
            thread.join()

    def evening_on_disk(self) -> Evening | None:
        """The newest evening as a start after a crash would find it."""
        path = evenings_path(self.data_dir)
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as database:
            database.row_factory = sqlite3.Row
            kept = listed(database)
            return read(database, kept[0].id)[0] if kept else None

    def empty_rig(self) -> None:
        """As it is on a computer with devices of its own: no input has one yet, and nothing leaves."""
        rig = self.ask("/api/state", "GET")["rig"]
        for one in rig["inputs"]:
            self.change(f"inputs.{one['id']}.device", "")
        for one in rig["outputs"]:
            self.ask(f"/api/outputs/{one['id']}", "DELETE")

    def begin_anew(self) -> None:
        """Take back whatever an earlier story changed."""
        self.ask("/api/test-clock/back", timeout=PATIENCE_S)
        for name, one in self.levels()["devices"].items():
            if one.get("state") == "unplugged":
                self.ask(f"/api/devices/{name}/faults", body={"fault": "heal"})
        self.refused("/api/watch/end")  # where somebody is on air, it is done
        for one in self.ask("/api/evenings", "GET"):
            self.ask(f"/api/evenings/{one['id']}", "DELETE")
        if self.ask("/api/recordings/current", "GET")["stage"] != "off":
            self.ask("/api/recordings/current/stop")
        for one in self.ask("/api/recordings", "GET"):
            self.refused(
                f"/api/recordings/{one['id']}", "DELETE"
            )  # it may be on its way to the end
        self.ask("/api/sound-check/recording", "DELETE")
        for kind in self.ask("/api/sound-check", "GET")["takes"]:
            self.ask(f"/api/sound-check/takes/{kind}", "DELETE")
        for preset in self.ask("/api/state", "GET")["presets"]:
            if preset["is_own"]:
                self.ask(f"/api/presets/{preset['id']}", "DELETE")
