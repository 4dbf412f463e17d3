"""The engine as the other parts see it: start it, give it rigs and sound, hear its readings.

If the audio process dies it is started again with the rig and file it had, and the user is told.
"""

import asyncio
import contextlib
import json
import logging
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from goshawk.core.chain_slots import Chain
from goshawk.core.graph.comparison import Heard
from goshawk.core.rig import Rig
from goshawk.engine import messages

log = logging.getLogger(__name__)

SILENT_S = 3.0
"""An engine that said nothing for this long is taken for hung, and replaced."""

START_S = 60.0
"""A first start compiles every kernel."""


class EngineClient:
    """Starts, feeds and watches over the audio process. Handlers are called in the event loop."""

    def __init__(
        self,
        rig: Rig,
        on_readings: Callable[[dict[str, Any]], None],
        on_sound: Callable[[str, bytes], None],
        on_notice: Callable[[str], None],
        on_rows: Callable[[dict[str, Any]], None] = lambda rows: None,
    ) -> None:
        self._rig = rig
        self._file: Path | None = None
        self._points: list[str] = []
        self._is_coughing = False
        self._is_watching = False
        self._loop: Path | None = None
        self._comparison: dict[str, Any] = {"heard": "chain", "gain_db": 0.0, "other": None}
        self._on_readings = on_readings
        self._on_sound = on_sound
        self._on_rows = on_rows
        self._on_notice = on_notice
        self._replay: tuple[Path | None, list[str]] = (None, [])
        self._replay_gain_db = 0.0
        self._held_db: dict[str, float] = {}
        self._process: subprocess.Popen[str] | None = None
        self._end: socket.socket | None = None
        self._is_ready = False
        self._heard_at = 0.0
        self._watch: asyncio.Task[None] | None = None
        self._is_stopping = False
        self.restarts = 0

    @property
    def is_running(self) -> bool:
        """Whether sound flows now."""
        return self._is_ready

    @property
    def pid(self) -> int | None:
        """The audio process's number."""
        return self._process.pid if self._process else None

    async def start(self) -> None:
        """Start the process; returns at once, ``is_running`` tells when it plays."""
        self._launch()
        self._watch = asyncio.create_task(self._watch_over())

    async def stop(self) -> None:
        """End the process."""
        self._is_stopping = True
        if self._watch:
            self._watch.cancel()
        if self._end:
            with contextlib.suppress(OSError):
                messages.send(self._end, messages.QUIT)
        self._put_away()

    def apply(self, rig: Rig) -> None:
        """Give the engine a rig; it takes it at the next block."""
        self._rig = rig
        self._send(messages.RIG, rig.model_dump_json().encode())

    def play_file(self, path: Path | None) -> None:
        """Play prepared samples as the microphone."""
        self._file = path
        self._send(messages.SOURCE_FILE, json.dumps(str(path) if path else None).encode())

    def push_microphone(self, rate_hz: int, channels: int, samples: bytes) -> None:
        """The browser's microphone: interleaved float32."""
        self._send(messages.MICROPHONE, messages.pack_microphone(rate_hz, channels, samples))

    def stop_microphone(self) -> None:
        """The browser's microphone was closed."""
        self._send(messages.MICROPHONE_STOPPED)

    def set_points(self, points: list[str]) -> None:
        """At which points pages listen: a feed's name, or ``input:`` and an input's id."""
        self._points = points
        self._send(messages.POINTS, json.dumps(points).encode())

    def cough(self, is_on: bool) -> None:
        """Silence the voices while a key is held."""
        self._is_coughing = is_on
        self._command("cough", is_on=is_on)

    def watch_devices(self, is_on: bool) -> None:
        """Run the devices that no input uses too, so that their levels are seen."""
        self._is_watching = is_on
        self._command("watch_devices", is_on=is_on)

    def loop(self, path: Path | None) -> None:
        """Play a piece of raw microphone (a .npy file) in its place, to you alone; None: no more."""
        self._loop = path
        self._command("loop", path=str(path) if path else None)

    def compare(self, heard: Heard, gain_db: float, other: Chain | None) -> None:
        """While a loop plays: hear it through the chain, raw, or through another chain."""
        documents = None if other is None else [slot.model_dump(mode="json") for slot in other]
        self._comparison = {"heard": heard, "gain_db": gain_db, "other": documents}
        self._command("compare", **self._comparison)

    def replay(self, path: Path | None, names: list[str]) -> None:
        """Play recorded inputs (an .npy file and the inputs' ids) in place of all devices, to you alone."""
        self._replay = (path, names)
        self._command("replay", path=str(path) if path else None, names=names)

    def replay_gain(self, gain_db: float) -> None:
        """How loudly you hear the replay."""
        self._replay_gain_db = gain_db
        self._command("replay_gain", gain_db=gain_db)

    def hold(self, held_db: dict[str, float]) -> None:
        """What holds add to the trims, in dB by the input's id."""
        self._held_db = held_db
        self._command("hold", held_db=held_db)

    def click(self) -> None:
        """Send a click through; the delays come with the readings."""
        self._command("click")

    def fault(self, device: str, fault: str, value: float | None) -> None:
        """Make something go wrong with a stand-in. The names were checked before."""
        self._command("fault", device=device, fault=fault, value=value)

    def _command(self, name: str, **given: Any) -> None:
        self._send(messages.COMMAND, json.dumps({"name": name, **given}).encode())

    def _send(self, kind: bytes, body: bytes = b"") -> None:
        if self._end and self._is_ready:
            with contextlib.suppress(OSError):
                messages.send(self._end, kind, body)

    def _launch(self) -> None:
        ours, theirs = messages.make_pair()
        self._end = ours
        self._is_ready = False
        self._heard_at = time.monotonic()
        self._process = subprocess.Popen(
            [sys.executable, "-m", "goshawk.engine.process", str(theirs.fileno())],
            stdin=subprocess.PIPE,
            pass_fds=[theirs.fileno()],
            text=True,
        )
        theirs.close()
        assert self._process.stdin
        self._process.stdin.write(self._rig.model_dump_json())
        self._process.stdin.close()
        asyncio.get_running_loop().add_reader(ours, self._read)

    def _read(self) -> None:
        """Take everything that waits."""
        assert self._end
        try:
            while message := messages.receive(self._end):
                self._heard_at = time.monotonic()
                kind, body = message
                match kind:
                    case messages.READINGS:
                        self._on_readings(messages.unpack_readings(body))
                    case messages.ROWS:
                        self._on_rows(messages.unpack_readings(body))
                    case messages.SOUND:
                        self._on_sound(*messages.unpack_sound(body))
                    case messages.NOTICE:
                        self._on_notice(body.decode())
                    case messages.READY:
                        self._greet()
        except EOFError:
            asyncio.get_running_loop().remove_reader(self._end)
            self._is_ready = False

    def _greet(self) -> None:
        """The engine plays: give it what may have changed while it started."""
        self._is_ready = True
        self.apply(self._rig)
        self.play_file(self._file)
        self.set_points(self._points)
        self.cough(self._is_coughing)
        self.watch_devices(self._is_watching)
        if self._held_db:
            self.hold(self._held_db)
        if self._replay[0]:
            self.replay(*self._replay)
            self.replay_gain(self._replay_gain_db)
        if self._loop:
            self.loop(self._loop)
            self._command("compare", **self._comparison)

    async def _watch_over(self) -> None:
        while not self._is_stopping:
            await asyncio.sleep(0.1)
            assert self._process
            patience = SILENT_S if self._is_ready else START_S
            is_hung = time.monotonic() - self._heard_at > patience
            if self._process.poll() is None and not is_hung:
                continue
            log.warning(
                "audio process lost (exit code %s), starting it again", self._process.returncode
            )
            self._put_away()
            self._on_notice("The audio process stopped. It was started again with your settings.")
            self.restarts += 1
            await asyncio.sleep(min(5.0, 0.2 * self.restarts))
            self._launch()

    def _put_away(self) -> None:
        if self._end:
            with contextlib.suppress(ValueError, OSError):
                asyncio.get_running_loop().remove_reader(self._end)
            self._end.close()
            self._end = None
        self._is_ready = False
        process = self._process
        if process and process.poll() is None:
            try:
                process.wait(0.5)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
