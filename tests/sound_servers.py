"""A real sound server for a test, in a folder of its own; nothing outside it is touched."""

import contextlib
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

DAEMON = """default-sample-format=float32le
default-sample-rate=48000
exit-idle-time=-1
"""

WITHOUT_SHARED_MEMORY = "enable-shm=no\n"
"""With it, as desktops have it, a recorder of a monitor may hang under load. It spares the server's clients messages, so what
they cost is measured with it."""


SERVERS = ("PulseAudio", "PipeWire")


class PrivateServer:
    """PulseAudio or PipeWire, headless. ``env`` is what programs need to find it."""

    def __init__(self, kind: str = "PulseAudio", *, shares_memory: bool = False) -> None:
        self.kind = kind
        # A socket's path may not be long.
        self.folder = Path(tempfile.mkdtemp(prefix="ghs"))
        (self.folder / "run").mkdir(mode=0o700)
        (self.folder / "home/.config/pulse").mkdir(parents=True)
        (self.folder / "home/.config/pulse/daemon.conf").write_text(
            DAEMON if shares_memory else DAEMON + WITHOUT_SHARED_MEMORY
        )
        self.socket = self.folder / ("run/pulse/native" if kind == "PipeWire" else "run/native")
        self.env = {
            **os.environ,
            "XDG_RUNTIME_DIR": str(self.folder / "run"),
            "HOME": str(self.folder / "home"),
            "PULSE_SERVER": f"unix:{self.socket}",
        }
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "DBUS_SESSION_BUS_ADDRESS"):
            self.env.pop(name, None)
        self._programs: list[subprocess.Popen[bytes]] = []
        self._server: list[subprocess.Popen[bytes]] = []
        self.start()

    def start(self) -> None:
        self.socket.unlink(missing_ok=True)
        if self.kind == "PipeWire":
            bus = f"unix:path={self.folder}/run/bus"
            self.env["DBUS_SESSION_BUS_ADDRESS"] = bus
            self._begin_part("dbus-daemon", "--session", "--nofork", f"--address={bus}")
            wait_until((self.folder / "run/bus").exists)
            self._begin_part("pipewire")
            wait_until((self.folder / "run/pipewire-0").exists)
            self._begin_part("wireplumber")
            self._begin_part("pipewire-pulse")
        else:
            self._begin_part(
                "pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "--use-pid-file=no",
                "-L", f"module-native-protocol-unix socket={self.socket} auth-anonymous=1",
            )  # fmt: skip
        wait_until(self._answers)

    def _begin_part(self, *command: str) -> None:
        quiet = subprocess.DEVNULL
        self._server.append(
            subprocess.Popen(command, env=self.env, stdin=quiet, stdout=quiet, stderr=quiet)
        )

    def _answers(self) -> bool:
        if not self.socket.exists():
            return False
        asked = subprocess.run(["pactl", "info"], env=self.env, capture_output=True, check=False)
        return asked.returncode == 0

    def kill(self) -> None:
        """All parts of it, at once."""
        for part in self._server:
            part.send_signal(signal.SIGKILL)
        for part in self._server:
            part.wait()
        self._server.clear()
        for left in ("bus", "pipewire-0", "pipewire-0.lock"):
            (self.folder / "run" / left).unlink(missing_ok=True)

    def close(self) -> None:
        for program in self._programs:
            program.kill()
            program.wait()
        self.kill()
        shutil.rmtree(self.folder, ignore_errors=True)

    def run(self, *command: str, **given: Any) -> str:
        """A program of the system's, to its end."""
        done = subprocess.run(
            command, env=self.env, capture_output=True, text=True, timeout=30, check=True, **given
        )
        return done.stdout

    def begin(self, *command: str, **given: Any) -> subprocess.Popen[bytes]:
        """A program of the system's that goes on; it is ended with the server."""
        quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, **given}
        program = subprocess.Popen(command, env=self.env, stdin=subprocess.DEVNULL, **quiet)
        self._programs.append(program)
        return program

    def null_sink(self, name: str) -> str:
        """A device of the computer's, played into and taken from; returns its module's number."""
        return self.run(
            "pactl", "load-module", "module-null-sink", f"sink_name={name}", "format=float32le",
            "rate=48000", "channels=2", "norewinds=1",
        ).strip()  # fmt: skip

    def play(self, sound: Path, device: str = "", name: str = "Lanternlock player") -> Any:
        """A program that plays raw float32 of two channels."""
        where = [f"--device={device}"] if device else []
        return self.begin("pacat", *RAW, *where, f"--client-name={name}", str(sound))

    def record(self, to: Path, device: str = "", name: str = "Night broadcast") -> Any:
        """A program that records."""
        where = [f"--device={device}"] if device else []
        with to.open("wb") as file:
            return self.begin(
                "pacat", "--record", *RAW, *where, f"--client-name={name}", stdout=file
            )  # fmt: skip


def wait_until(is_so: Callable[[], bool]) -> None:
    """Raises RuntimeError after ten seconds."""
    for _ in range(400):
        if is_so():
            return
        time.sleep(0.025)
    raise RuntimeError("the sound server does not start")


RAW = ["--raw", "--format=float32le", "--rate=48000", "--channels=2", "--latency-msec=200"]


# python -m tests.sound_servers [--pipewire] [--shares-memory] COMMAND …: run something with one.
if __name__ == "__main__":
    command = sys.argv[1:]
    options = {one for one in command if one in ("--pipewire", "--shares-memory")}
    command = [one for one in command if one not in options]
    private = PrivateServer(
        "PipeWire" if "--pipewire" in options else "PulseAudio",
        shares_memory="--shares-memory" in options,
    )
    with contextlib.closing(private):
        private.null_sink("desk")
        sys.exit(subprocess.run(command, env=private.env, check=False).returncode)
