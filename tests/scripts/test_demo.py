"""The demo's script: what is done is not asked for again, and what has to be done is shown in the browser meanwhile."""

import os
import shutil
import socket
import subprocess
import urllib.error
import urllib.request
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
    return port


ASK = """
import sys, time, urllib.request
told = ""
for _ in range(100):
    try:
        told = urllib.request.urlopen(f"http://127.0.0.1:{sys.argv[1]}/progress.json").read().decode()
    except OSError:
        pass
    if "Installing" in told:
        break
    time.sleep(0.1)
print("page", "Installing" in told)
"""
"""What the set-up does here: look whether its own step is shown."""


class Clone:
    """The script with a set-up that asks for the page while it is at work, and a Goshawk that looks whether its port is free."""

    def __init__(self, folder: Path, is_set_up: bool, ends_with: int = 0) -> None:
        self.folder, self.log = folder, folder / "log"
        for name in ("scripts/demo", "goshawk/first_page.py"):
            (folder / name).parent.mkdir(exist_ok=True)
            shutil.copy(ROOT / name, folder / name)
        (folder / "ask.py").write_text(ASK)
        self._script(
            "scripts/setup",
            f'[[ "$*" != *--is-done* ]] || exit {0 if is_set_up else 1}\n'
            'echo "begin Installing" >> "$GOSHAWK_STEPS"\n'
            f"python3 {folder}/ask.py PORT >> {self.log}\n"
            f"echo setup $* >> {self.log}\nexit {ends_with}",
        )
        bind = "import socket, sys; socket.create_server(('127.0.0.1', int(sys.argv[1]))).close()"
        self._script(
            ".venv/bin/goshawk",
            f'echo goshawk $* >> {self.log}\npython3 -c "{bind}" PORT && echo free >> {self.log}',
        )

    def _script(self, name: str, text: str) -> None:
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(f"#!/bin/bash\n{text}\n")
        path.chmod(0o755)

    def run(self, port: int, *options: str) -> tuple[int, list[str]]:
        for name in ("scripts/setup", ".venv/bin/goshawk"):
            path = self.folder / name
            path.write_text(path.read_text().replace("PORT", str(port)))
        done = subprocess.run(
            [self.folder / "scripts" / "demo", *options],
            env=dict(os.environ), capture_output=True, text=True, check=False, timeout=60,
        )  # fmt: skip
        self.said = done.stderr
        return done.returncode, self.log.read_text().splitlines() if self.log.exists() else []


def test_what_is_set_up_starts_at_once(tmp_path: Path) -> None:
    port = free_port()
    code, log = Clone(tmp_path, is_set_up=True).run(port, "--no-open", "--port", str(port))
    assert code == 0
    assert log == [f"goshawk demo --no-open --port {port}", "free"]


@pytest.mark.parametrize("spelled", ["--port {}", "--port={}"])
def test_a_set_up_is_shown_where_goshawk_will_be_and_leaves_that_place(
    tmp_path: Path, spelled: str
) -> None:
    port = free_port()
    options = spelled.format(port).split()
    clone = Clone(tmp_path, is_set_up=False)
    code, log = clone.run(port, *options)
    assert code == 0
    assert log == ["page True", "setup --uncompiled", f"goshawk demo {' '.join(options)}", "free"]
    assert f"Goshawk will be at http://127.0.0.1:{port}" in clone.said


def test_a_set_up_that_fails_starts_nothing_and_leaves_no_page_behind(tmp_path: Path) -> None:
    port = free_port()
    code, log = Clone(tmp_path, is_set_up=False, ends_with=7).run(port, "--port", str(port))
    assert code == 7
    assert log == ["page True", "setup --uncompiled"]
    with pytest.raises(urllib.error.URLError):
        urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=5.0)
