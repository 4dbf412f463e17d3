"""What the whole application costs: it is started as a user starts it, on a folder of its own, and each of its processes
is watched for a while."""

import json
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path
from typing import Any

import psutil
from websockets.exceptions import WebSocketException
from websockets.sync.client import connect
from websockets.typing import Origin

from goshawk.devices.sound_server.control import SoundServer
from goshawk.errors import EngineLost

SETTLES_S = 5.0
"""The first seconds load and compile what later ones do not."""

LONGEST_START_S = 180.0
ROUNDS = 4
OUTPUTS_SETTLE_S = 3.0


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
    return port


def _levels(port: int) -> dict[str, Any] | None:
    with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/levels", timeout=5.0) as reply:
        found: dict[str, Any] | None = json.loads(reply.read())
    return found


@contextmanager
def started(folder: Path) -> Iterator[tuple[psutil.Process, int]]:
    """The application with its demo rig, playing. Raises EngineLost if it does not begin to."""
    port = _free_port()
    command = [sys.executable, "-m", "goshawk.cli.main", "demo", "--no-open", "--port", str(port)]
    with subprocess.Popen(
        [*command, "--data-dir", str(folder)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    ) as process:
        try:
            until = time.monotonic() + LONGEST_START_S
            while True:
                with suppress(OSError, ValueError):
                    if _levels(port):
                        break
                if time.monotonic() > until or process.poll() is not None:
                    raise EngineLost("Goshawk did not start. Try `goshawk demo` to see why.")
                time.sleep(0.1)
            yield psutil.Process(process.pid), port
        finally:
            process.terminate()


def _watch(port: int, is_over: threading.Event) -> None:
    """As a page on Balance does, listening: every message and the sound are taken."""

    def take(name: str, *first: dict[str, Any]) -> None:
        with (
            suppress(OSError, WebSocketException, TimeoutError),
            connect(
                f"ws://127.0.0.1:{port}/api/{name}",
                max_size=None,
                origin=Origin(f"http://127.0.0.1:{port}"),
            ) as link,
        ):
            for message in first:
                link.send(json.dumps(message))
            while not is_over.is_set():
                link.recv(timeout=5.0)

    sound = threading.Thread(target=take, args=("audio", {"listen": True, "hear": "you"}))
    sound.start()
    take("live", {"type": "watch_balance", "is_on": True})
    sound.join()


def _role(process: psutil.Process, main: psutil.Process) -> str:
    if process.pid == main.pid:
        return "web"
    line = " ".join(process.cmdline())
    kinds = (
        name for name in ("engine", "observer", "recorder") if f"goshawk.{name}.process" in line
    )
    return next(kinds, "helpers")


def _look(main: psutil.Process) -> dict[str, tuple[float, int]]:
    """Seconds of a core so far and resident bytes of each kind of process."""
    found: dict[str, tuple[float, int]] = {}
    for one in (main, *main.children(recursive=True)):
        with suppress(psutil.NoSuchProcess):
            times, role = one.cpu_times(), _role(one, main)
            spent, size = found.get(role, (0.0, 0))
            found[role] = (spent + times.user + times.system, size + one.memory_info().rss)
    return found


def _together_mb(main: psutil.Process) -> int | None:
    """Memory of all processes in MB, each page that several share counted once; None where the system does not say."""
    total = 0
    for one in (main, *main.children(recursive=True)):
        with suppress(psutil.NoSuchProcess):
            total += getattr(one.memory_full_info(), "pss", 0)
    return round(total / 1e6) or None


def _default_device() -> str:
    """The sound server's, to be played to. Raises NoSoundServer."""
    server = SoundServer()
    try:
        return f"server:{server.default_name(plays=True)}"
    finally:
        server.close()


@contextmanager
def _outputs(port: int, count: int) -> Iterator[None]:
    """So many real outputs of Viewers beside the stand-ins, to the sound server's default device."""
    device = _default_device()
    before = {one["id"] for one in _state(port)["outputs"]}
    for _ in range(count):
        _ask(port, "POST", "outputs", {"source": "viewers", "device": device})
    yield
    for one in _state(port)["outputs"]:
        if one["id"] not in before:
            _ask(port, "DELETE", f"outputs/{one['id']}")


def _cost_of_an_output(main: psutil.Process, port: int, count: int, seconds: float) -> float:
    """Percent of a core that each takes in the audio process: what it spends with so many more than without, in turn, since
    what a computer gives changes by more than that within a minute. The median of a few rounds."""

    def spent_percent() -> float:
        time.sleep(OUTPUTS_SETTLE_S)
        before, then = _look(main)["engine"][0], time.monotonic()
        time.sleep(seconds / ROUNDS)
        return (_look(main)["engine"][0] - before) / (time.monotonic() - then) * 100.0

    rounds = []
    for _ in range(ROUNDS):
        without = spent_percent()
        with _outputs(port, count):
            rounds.append((spent_percent() - without) / count)
    return statistics.median(rounds)


def _state(port: int) -> dict[str, Any]:
    with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/state", timeout=10.0) as reply:
        rig: dict[str, Any] = json.loads(reply.read())["rig"]
    return rig


STEREO_TRACKS = ("game", "music", "call")


def _record(port: int) -> None:
    """Eight stereo tracks: three inputs before and behind their chains, and two feeds."""
    tracks = [f"{point}:{name}" for name in STEREO_TRACKS for point in ("came", "input")]
    _ask(port, "PATCH", "rig", {"path": "recording.tracks", "value": [*tracks, "viewers", "you"]})
    _ask(port, "POST", "recordings", {})


def _ask(port: int, method: str, path: str, body: dict[str, Any] | None = None) -> None:
    urllib.request.urlopen(
        urllib.request.Request(
            f"http://127.0.0.1:{port}/api/{path}",
            json.dumps(body).encode() if body is not None else None,
            {"Content-Type": "application/json", "Origin": f"http://127.0.0.1:{port}"},
            method=method,
        ),
        timeout=10.0,
    ).close()


def run_bench_app(
    seconds: float,
    has_page: bool,
    say: Callable[[str], None],
    outputs: int = 0,
    *,
    records: bool = False,
    is_on_air: bool = False,
) -> dict[str, Any]:
    """Each kind of process's share of one core in percent and its resident memory in MB, and the blocks that came late
    meanwhile; with what each of so many real ``outputs`` adds, or while eight stereo tracks are recorded, or on air.
    Raises EngineLost or NoSoundServer."""
    with ExitStack() as stack:
        folder = Path(stack.enter_context(tempfile.TemporaryDirectory()))
        say("starting …")
        began = time.monotonic()
        main, port = stack.enter_context(started(folder / "data"))
        start_s = time.monotonic() - began
        if records:
            _record(port)
        if is_on_air:
            _ask(port, "PATCH", "rig", {"path": "watch.records", "value": False})
            _ask(port, "POST", "watch/begin", {})
        is_over = threading.Event()
        if has_page:
            page = threading.Thread(target=_watch, args=(port, is_over))
            page.start()
            stack.callback(page.join)
            stack.callback(is_over.set)
        time.sleep(SETTLES_S)
        say(f"watching for {seconds:g} s …")
        before, late_before = _look(main), _levels(port)
        then = time.monotonic()
        time.sleep(seconds)
        after, late_after = _look(main), _levels(port)
        together_mb = _together_mb(main)
        took_s = time.monotonic() - then
        if outputs:
            say(f"{ROUNDS} rounds with and without {outputs} more outputs …")
            an_output = _cost_of_an_output(main, port, outputs, seconds)
    if late_before is None or late_after is None:
        raise EngineLost("The audio process was lost meanwhile. Try again.")
    return {
        "start_s": round(start_s, 1),
        "seconds": round(took_s, 1),
        "has_page": has_page,
        "outputs": outputs,
        "an_output_percent": round(an_output, 2) if outputs else None,
        "records": records,
        "is_on_air": is_on_air,
        "core_percent": {
            role: round((spent - before.get(role, (0.0, 0))[0]) / took_s * 100.0, 1)
            for role, (spent, _) in after.items()
        },
        "resident_mb": {role: round(size / 1e6) for role, (_, size) in after.items()},
        "together_mb": together_mb,
        "late_blocks": late_after["engine"]["late_blocks"] - late_before["engine"]["late_blocks"],
        "missed_blocks": late_after["engine"]["missed_blocks"]
        - late_before["engine"]["missed_blocks"],
    }
