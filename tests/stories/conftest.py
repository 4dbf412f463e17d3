"""A running Goshawk and a browser with a known sound as its microphone."""

import shutil
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Browser, Error, Page, Playwright, expect, sync_playwright

from tests.server.running import Server
from tests.waiting import SHOWN_MS

CHROMIUM = "/usr/bin/chromium"
"""For stories in which the browser's own devices take part."""
WITHOUT_WINDOWS = shutil.which("chromium-headless-shell") or CHROMIUM
"""The same browser, also from Debian, which opens a page in half the processor's time: used where it is there."""

FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
expect.set_options(timeout=SHOWN_MS)


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
def playwright() -> Iterator[Playwright]:
    with sync_playwright() as playwright:
        yield playwright


@pytest.fixture(scope="session")
def browser(playwright: Playwright) -> Iterator[Browser]:
    browser = playwright.chromium.launch(executable_path=WITHOUT_WINDOWS, args=FLAGS)
    yield browser
    browser.close()


@pytest.fixture
def speaking_browser(playwright: Playwright, spoken_tone: Path) -> Iterator[Browser]:
    """One whose microphone gives the spoken tone."""
    fake = [
        "--use-fake-ui-for-media-stream",
        "--use-fake-device-for-media-stream",
        f"--use-file-for-fake-audio-capture={spoken_tone}",
    ]
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=[*FLAGS, *fake])
    yield browser
    browser.close()


def open_page(browser: Browser, server: Server) -> Page:
    """A window of the one browser, which keeps scripts and fonts from story to story, but nothing that was chosen."""
    if not browser.contexts:
        # Pictures at display rate would take a whole processor, which has more to do here.
        browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
    page = browser.contexts[0].new_page()
    page.set_default_timeout(SHOWN_MS)
    page.goto(server.url)
    page.get_by_text("Level path").wait_for()
    return page


@contextmanager
def opened(browser: Browser, server: Server) -> Iterator[Page]:
    """A page in which nothing may go wrong."""
    page = open_page(browser, server)
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    yield page
    with suppress(Error):  # a story may have closed it
        page.evaluate("localStorage.clear()")
    page.close()
    assert errors == []


@pytest.fixture
def page(browser: Browser, server: Server) -> Iterator[Page]:
    with opened(browser, server) as page:
        yield page


@pytest.fixture
def speaking_page(speaking_browser: Browser, server: Server) -> Iterator[Page]:
    with opened(speaking_browser, server) as page:
        yield page
