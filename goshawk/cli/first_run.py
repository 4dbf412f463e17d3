"""Compiles the kernels at a start that finds them missing, and shows the progress in the terminal and in the browser."""

import subprocess
import sys
import tempfile
import time
import webbrowser
from contextlib import suppress

import typer

from goshawk.errors import EngineLost
from goshawk.first_page import FirstPage, Progress
from goshawk.kernel_note import are_compiled
from goshawk.system.desktop import has_screen

ABOUT_SO_MANY = 175
"""How many kernels there are: the share that is shown is of these."""

STEP = "Compiling the sound processing for this computer"


def compile_at_first(port: int, *, opens: bool = False) -> bool:
    """Compile the kernels if they are missing. Show the progress in the terminal and on the port; ``opens``: also open a browser there.
    Returns whether one was opened. Raises EngineLost if a kernel cannot be compiled."""
    if are_compiled():
        return False
    progress = Progress()
    progress.begin(STEP)
    page = None
    with suppress(OSError):
        page = FirstPage(port, progress)
        if opens and has_screen():
            webbrowser.open(f"http://127.0.0.1:{port}")
    try:
        _compile(progress)
    finally:
        if page:
            page.close()
    return page is not None and opens


def _compile(progress: Progress) -> None:
    typer.echo(f"{STEP} …", err=True)
    began = time.monotonic()
    command = [sys.executable, "-m", "goshawk.cli.main", "warm-up"]
    is_terminal = sys.stderr.isatty()
    with (
        tempfile.TemporaryFile() as said,
        subprocess.Popen(command, stdout=subprocess.PIPE, stderr=said, text=True) as process,
    ):
        assert process.stdout is not None
        for line in process.stdout:
            share = min(1.0, int(line) / ABOUT_SO_MANY)
            progress.share = share
            if is_terminal:
                took_s = time.monotonic() - began
                left = f", about {took_s * (1 / share - 1):.0f} s left" if share > 0.2 else ""
                typer.echo(f"\r  {share:.0%} after {took_s:.0f} s{left}      ", err=True, nl=False)
        process.wait()
        said.seek(0)
        lines = said.read().decode(errors="replace").strip().splitlines()
    if is_terminal:
        typer.echo("", err=True)
    if process.returncode:
        last = lines[-1] if lines else "no reason was given"
        raise EngineLost(f"The sound processing could not be compiled: {last}")
