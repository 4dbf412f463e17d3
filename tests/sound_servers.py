"""A real sound server for a test, in a folder of its own; nothing outside it is touched."""

import contextlib
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

DAEMON = """default-sample-format=float32le
default-sample-rate=48000
exit-idle-time=-1
"""

WITHOUT_SHARED_MEMORY = "enable-shm=no\n"
"""With it, as desktops have it, a recorder of a monitor may hang under load. It spares the server's clients messages, so what
they cost is measured with it."""


class PrivateServer:
    """PulseAudio, headless. ``env`` is what programs need to find it."""

    def __init__(self, *, shares_memory: bool = False) -> None:
        # A socket's path may not be long.
        self.folder = Path(tempfile.mkdtemp(prefix="ghs"))
        (self.folder / "run").mkdir(mode=0o700)
        (self.folder / "home/.config/pulse").mkdir(parents=True)
        (self.folder / "home/.config/pulse/daemon.conf").write_text(
            DAEMON if shares_memory else DAEMON + WITHOUT_SHARED_MEMORY
        )
        self.socket = self.folder / "run/native"
        self.env = {
            **os.environ,
            "XDG_RUNTIME_DIR": str(self.folder / "run"),
            "HOME": str(self.folder / "home"),
            "PULSE_SERVER": f"unix:{self.socket}",
        }
        self._programs: list[subprocess.Popen[bytes]] = []
        self._process: subprocess.Popen[bytes] | None = None
        self.start()

    def start(self) -> None:
        self.socket.unlink(missing_ok=True)
        self._process = subprocess.Popen(
            [
                "pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "--use-pid-file=no",
                "-L", f"module-native-protocol-unix socket={self.socket} auth-anonymous=1",
            ],
            env=self.env, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        for _ in range(400):
            if self.socket.exists():
                return
            time.sleep(0.025)
        raise RuntimeError("the sound server does not start")

    def kill(self) -> None:
        if self._process:
            self._process.send_signal(signal.SIGKILL)
            self._process.wait()

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


RAW = ["--raw", "--format=float32le", "--rate=48000", "--channels=2", "--latency-msec=200"]


if (
    __name__ == "__main__"
):  # python -m tests.sound_servers [--shares-memory] COMMAND …: run something with one.
    shares, command = sys.argv[1:2] == ["--shares-memory"], sys.argv[1:]
    with contextlib.closing(PrivateServer(shares_memory=shares)) as private:
        private.null_sink("desk")
        sys.exit(subprocess.run(command[shares:], env=private.env, check=False).returncode)
