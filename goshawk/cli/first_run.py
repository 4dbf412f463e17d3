"""The first run of an installed Goshawk: its kernels are compiled once, which takes a minute, and that is said meanwhile."""

import hashlib
import subprocess
import sys
import tempfile
import time
from importlib.metadata import version
from pathlib import Path

import platformdirs
import typer

import goshawk
from goshawk.errors import EngineLost

PACKAGE = Path(goshawk.__file__).parent
LOOKS_EVERY_S = 0.5
MANY_KERNELS = 100


def _marker() -> Path:
    """One for each place where Goshawk is installed."""
    place = hashlib.sha256(str(PACKAGE).encode()).hexdigest()[:12]
    return platformdirs.user_cache_path("goshawk") / f"kernels-{place}"


def _which() -> str:
    """For what kernels were compiled: another Goshawk, Python or compiler needs others."""
    return "\n".join((goshawk.__version__, sys.version, version("numba")))


def are_compiled() -> bool:
    """Whether they were compiled before, as far as is known: they lie beside their code, or, where nobody may write there, in the
    user's cache, of which a note tells."""
    if sum(1 for _ in PACKAGE.rglob("*.nbi")) > MANY_KERNELS:
        return True
    try:
        return _marker().read_text() == _which()
    except OSError:
        return False


def note_compiled() -> None:
    """They are compiled now. Where that cannot be kept, it is looked at anew next time."""
    try:
        _marker().parent.mkdir(parents=True, exist_ok=True)
        _marker().write_text(_which())
    except OSError:
        pass


def compile_at_first() -> None:
    """Compile them, if nobody has, and say how far it is. Raises EngineLost if that fails."""
    if are_compiled():
        return
    typer.echo("The first start: compiling what makes the sound, about a minute …", err=True)
    began = time.monotonic()
    command = [sys.executable, "-m", "goshawk.cli.main", "warm-up"]
    with (
        tempfile.TemporaryFile() as said,
        subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=said) as process,
    ):
        while process.poll() is None:
            time.sleep(LOOKS_EVERY_S)
            if sys.stderr.isatty():
                count = sum(1 for _ in PACKAGE.rglob("*.nbi"))
                text = f"\r  {count} kernels, {time.monotonic() - began:.0f} s "
                typer.echo(text, err=True, nl=False)
        said.seek(0)
        lines = said.read().decode(errors="replace").strip().splitlines()
    if sys.stderr.isatty():
        typer.echo("", err=True)
    if process.returncode:
        last = lines[-1] if lines else "no reason was given"
        raise EngineLost(f"What makes the sound could not be compiled: {last}")
    note_compiled()
