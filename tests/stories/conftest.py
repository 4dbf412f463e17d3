"""A running Goshawk and a browser with a known sound as its microphone."""

import json
import os
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Browser, Page, expect, sync_playwright

from goshawk.engine.messages import TEST_CLOCK

CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
expect.set_options(timeout=20_000)  # a busy machine is slow, which is no fault


class Server:
    """The application in a process of its own, as the demo script starts it."""

    def __init__(self, data_dir: Path) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        self._data_dir = data_dir
        self.start()

    def start(self) -> None:
        command = [sys.executable, "-m", "goshawk.cli.main", "demo", "--port", str(self.port)]
        self._process = subprocess.Popen(
            [*command, "--data-dir", str(self._data_dir)],
            stdout=subprocess.DEVNULL,
            env={**os.environ, TEST_CLOCK: "on"},
        )
        for _ in range(600):
            try:
                with urllib.request.urlopen(f"{self.url}/api/levels", timeout=1) as reply:
                    if reply.read() != b"null":
                        return
            except OSError:
                pass
            time.sleep(0.05)
        raise AssertionError("the server did not start")

    def pass_time(self, seconds: float) -> None:
        """Let so much sound pass, as fast as the machine allows."""
        request = urllib.request.Request(
            f"{self.url}/api/test-clock?seconds={seconds}", b"", method="POST"
        )
        urllib.request.urlopen(request, timeout=120).close()

    @contextmanager
    def hurried(self) -> Iterator[None]:
        """While this lasts, sound passes as fast as the machine allows."""
        is_over = threading.Event()

        def hurry() -> None:
            while not is_over.is_set():
                with suppress(OSError):  # the server may be killed meanwhile
                    self.pass_time(1.0)

        thread = threading.Thread(target=hurry)
        thread.start()
        try:
            yield
        finally:
            is_over.set()
            thread.join()

    def kill(self) -> None:
        """As a crash of the machine would: no chance to tidy up."""
        self._process.kill()
        self._process.wait()

    def stop(self) -> None:
        self._process.terminate()
        self._process.wait(10)

    def ask(self, path: str, method: str = "POST") -> Any:
        """The answer to a request without a body."""
        body = b"" if method == "POST" else None
        request = urllib.request.Request(f"{self.url}{path}", body, method=method)
        with urllib.request.urlopen(request) as reply:
            return json.loads(reply.read() or b"null")

    def begin_anew(self) -> None:
        """Take back whatever an earlier story changed."""
        while self.ask("/api/rig/undo")["can_undo"]:
            pass
        self.ask("/api/sound-check/recording", "DELETE")
        for kind in self.ask("/api/sound-check", "GET")["takes"]:
            self.ask(f"/api/sound-check/takes/{kind}", "DELETE")
        for preset in self.ask("/api/state", "GET")["presets"]:
            if preset["is_own"]:
                self.ask(f"/api/presets/{preset['id']}", "DELETE")


@pytest.fixture(scope="session")
def running(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    server = Server(tmp_path_factory.mktemp("stories") / "data")
    yield server
    server.stop()


@pytest.fixture
def server(running: Server) -> Server:
    """One server for all stories: starting it takes longer than most of them."""
    running.begin_anew()
    return running


@pytest.fixture(scope="session")
def spoken_tone(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A 1 kHz tone at -20 dBFS peak, at the rate that the fake device has."""
    path = tmp_path_factory.mktemp("microphone") / "tone.wav"
    t = np.arange(44_100 * 10) / 44_100
    soundfile.write(path, 0.1 * np.sin(2 * np.pi * 1000 * t), 44_100, subtype="PCM_16")
    return path


@pytest.fixture(scope="session")
def browser(spoken_tone: Path) -> Iterator[Browser]:
    os.environ["PULSE_SERVER"] = "/nonexistent"
    fake = [
        "--use-fake-ui-for-media-stream",
        "--use-fake-device-for-media-stream",
        f"--use-file-for-fake-audio-capture={spoken_tone}",
    ]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=[*FLAGS, *fake])
        yield browser
        browser.close()


def open_page(browser: Browser, server: Server) -> Page:
    # Pictures at display rate would take a whole processor, which has more to do here.
    page = browser.new_page(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
    page.set_default_timeout(20_000)
    page.goto(server.url)
    page.get_by_text("Level path").wait_for()
    return page


@pytest.fixture
def page(browser: Browser, server: Server) -> Iterator[Page]:
    page = open_page(browser, server)
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    yield page
    page.close()
    assert errors == []
