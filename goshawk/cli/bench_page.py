"""Measures what the page costs in a browser, view by view: the renderer and GPU process, and the memory of its scripts. It uses the
browser that the stories are tested with."""

import json
import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import psutil

from goshawk.cli.bench_app import SETTLES_S, started
from goshawk.errors import BadInput

VIEWS = ("Wiring", "Sound check", "Chain", "Balance", "Record", "Watch")
SIZE: Any = {"width": 1280, "height": 800}
_FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip


def _spent(browser: psutil.Process) -> dict[str, float]:
    """Return the seconds of a core that the browser's renderer and GPU process have used so far."""
    found = {"renderer": 0.0, "gpu-process": 0.0}
    for one in browser.children(recursive=True):
        try:
            times, line = one.cpu_times(), one.cmdline()
        except psutil.NoSuchProcess:
            continue
        for kind in found:
            if f"--type={kind}" in line:
                found[kind] += times.user + times.system
    return found


def run_bench_page(
    seconds: float, views: list[str], say: Callable[[str], None]
) -> dict[str, dict[str, float]]:
    """Return, for each view, the percent of a core that the renderer and the GPU process take while it is shown, and the MB of the scripts'
    heap. Raises BadInput or EngineLost."""
    executable = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    try:
        from playwright.sync_api import sync_playwright
    except ImportError:
        raise BadInput(
            "The page is measured with Playwright. Install it: pip install playwright"
        ) from None
    if executable is None:
        raise BadInput("There is no Chromium to show the page in. Install the package chromium.")
    result: dict[str, dict[str, float]] = {}
    with (
        tempfile.TemporaryDirectory() as folder,
        started(Path(folder) / "data") as (_, port),
        sync_playwright() as play,
    ):
        browser = play.chromium.launch(executable_path=executable, args=_FLAGS)
        page = browser.new_context(viewport=SIZE).new_page()
        page.goto(f"http://127.0.0.1:{port}")
        ours = [one for one in psutil.Process().children(recursive=True) if "chrom" in one.name()]
        main = next(one for one in ours if not any("--type=" in part for part in one.cmdline()))
        session: Any = page.context.new_cdp_session(page)
        for view in views:
            page.locator("nav button", has_text=view).first.click()
            time.sleep(SETTLES_S)
            say(f"{view}, for {seconds:g} s …")
            before, then = _spent(main), time.monotonic()
            time.sleep(seconds)
            after, took_s = _spent(main), time.monotonic() - then
            heap = session.send("Runtime.getHeapUsage")["usedSize"]
            result[view] = {
                kind: round((after[kind] - before[kind]) / took_s * 100.0, 1) for kind in after
            } | {"heap_mb": round(heap / 1e6, 1)}
        browser.close()
    return result


def as_lines(result: dict[str, dict[str, float]]) -> list[str]:
    """Return one line of text for each view."""
    return [f"{view:<12} {json.dumps(figures)}" for view, figures in result.items()]
