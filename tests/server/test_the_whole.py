"""The whole application, attacked: kills, a busy machine, a full disk, everything its interface can be sent."""

import json
import os
import signal
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import psutil
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import ClientConnection, connect
from websockets.typing import Origin

from goshawk.store.database import database_path, open_database
from goshawk.store.rigs import load_active_rig
from goshawk.timeline.memory import FRAMES, LOGGED, Memory
from tests.server.running import Server
from tests.waiting import PATIENCE_S, wait_for
from tools.kill_and_look import gone, kill_engine, kill_observer, kill_web, memory_left

YARDSTICK = "for one in range(10_000_000): pass; one + one"
"""What a Python process does in about a second, or in three while every core is busy twice over: so long a page may take
to load and answer then, and the program to end. It is longer by as much as the machine is slower."""

TRIES = 4
"""A shared machine may itself stand still meanwhile: one of so many must be in time."""


@pytest.mark.endurance
def test_kills_lose_nothing_and_leave_nothing(tmp_path: Path) -> None:
    server = Server(tmp_path / "data")
    try:
        counts = [
            kill_web(server, 3, seed=5),
            kill_engine(server, 2, seed=5),
            kill_observer(server, 2, seed=5),
        ]
        assert [count.kills for count in counts] == [3, 2, 2]
        assert min(count.changes for count in counts) > 20
        assert [count.lost + count.left_behind for count in counts] == [[], [], []]
        last = server.processes()
    finally:
        server.stop()
    assert gone(last) == []
    assert memory_left(server) == []
    assert "Traceback" not in server.said


@contextmanager
def every_core_busy() -> Iterator[None]:
    """Four processes that spin, on two cores."""
    spin = [sys.executable, "-c", "while True: pass"]
    spinning = [subprocess.Popen(spin) for _ in range(2 * (psutil.cpu_count() or 2))]
    try:
        yield
    finally:
        for one in spinning:
            one.kill()
            one.wait()


def took(work: Callable[[], object]) -> float:
    """How long it took, in seconds."""
    began = time.monotonic()
    work()
    return time.monotonic() - began


def is_soon(work: Callable[[], object], before_each: Callable[[], object] = lambda: None) -> bool:
    """Whether work takes no longer than the yardstick that is laid beside it: at one of some tries."""
    for _ in range(TRIES):
        before_each()
        if took(work) <= took(
            lambda: subprocess.run([sys.executable, "-c", YARDSTICK], check=True)
        ):
            return True
    return False


def load_page(server: Server) -> None:
    """What a browser asks for first, and a change that is acknowledged."""
    for path in ("/", "/api/schema", "/api/state", "/api/levels"):
        with urllib.request.urlopen(f"{server.url}{path}", timeout=PATIENCE_S) as reply:
            assert reply.status == 200
            reply.read()
    server.change("inputs.game.fader_db", -9.0)


@pytest.mark.endurance
def test_on_a_busy_machine_the_page_loads_and_the_program_ends(tmp_path: Path) -> None:
    """It once neither served a page nor obeyed Ctrl+C for minutes."""
    server = Server(tmp_path / "data")
    with connect_to(server, "live") as link, every_core_busy():
        link.recv(timeout=PATIENCE_S)
        time.sleep(2.0)
        (shared,) = Path("/dev/shm").glob(f"goshawk-{server.pid}-*")
        memory = Memory.open(shared.name)
        frames, readings = int(memory.head[FRAMES]), int(memory.head[LOGGED])
        assert is_soon(lambda: load_page(server))
        assert int(memory.head[FRAMES]) > frames, "the sound goes on"
        assert int(memory.head[LOGGED]) > readings
        processes: list[psutil.Process] = []

        def is_there() -> None:
            if server.has_ended:
                server.start()
            processes.extend(server.processes())

        for ending in (signal.SIGINT, signal.SIGTERM):
            assert is_soon(partial(server.stop, ending), before_each=is_there)
        assert gone(processes) == []
    assert "Traceback" not in server.said


def test_two_servers_on_one_folder_are_refused_with_the_first_ones_address(server: Server) -> None:
    command = [sys.executable, "-m", "goshawk.cli.main", "demo", "--port", "8699", "--data-dir"]
    done = subprocess.run(
        [*command, server.data_dir], capture_output=True, text=True, check=False, timeout=PATIENCE_S
    )
    assert done.returncode == 2
    assert f"process {server.pid}, at {server.url}" in done.stderr
    assert "Traceback" not in done.stderr
    assert server.change("name", "Still mine")["rig"]["name"] == "Still mine"


def test_a_player_opens_a_stream_by_its_address(server: Server) -> None:
    """FFmpeg is the player. Its token taken back, it comes to the end of the file."""
    made = server.ask("/api/addresses", body={"name": "Player"})
    address = f"{server.url}/api/feeds/viewers/stream.wav?token={made['token']}"
    raw = ["-f", "f32le", "-"]
    heard = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", address, "-t", "2", *raw],
        capture_output=True,
        timeout=PATIENCE_S,
    )
    assert heard.returncode == 0, heard.stderr
    sound = np.frombuffer(heard.stdout, "<f4").reshape(-1, 2)
    assert len(sound) == 2 * 48_000
    assert 0.001 < np.abs(sound).max() <= 1.0
    with subprocess.Popen(
        ["ffmpeg", "-v", "error", "-i", address, *raw], stdout=subprocess.PIPE
    ) as player:
        assert player.stdout
        assert len(player.stdout.read(48_000 * 8)) == 48_000 * 8
        listed = server.ask("/api/state", "GET")["addresses"]
        assert [(one["name"], one["hearing"]) for one in listed] == [("Player", 1)]
        server.ask(f"/api/addresses/{made['id']}", "DELETE")
        player.stdout.read()
        assert player.wait(PATIENCE_S) == 0
    assert server.ask("/api/state", "GET")["addresses"] == []


def test_who_runs_no_kernel_is_spared_the_compiler(server: Server) -> None:
    """The web process and the recorder; it takes as much memory as the rest of it, and half a second of each start."""
    server.ask("/api/recordings")
    wait_for("a recorder", lambda: server.ask("/api/recordings/current", "GET")["seconds"] > 0.1)
    ours = {" ".join(one.cmdline()): one.memory_maps() for one in server.processes()}
    has_compiler = {
        name: any("llvmlite" in mapped.path for line, maps in ours.items() if name in line for mapped in maps)
        for name in ("goshawk.cli.main", "engine.process", "observer.process", "recorder.process")
    }  # fmt: skip
    server.ask("/api/recordings/current/stop")
    assert list(has_compiler.values()) == [False, True, True, False]


def test_an_engine_that_stands_still_hears_the_mute_when_it_goes_on(server: Server) -> None:
    """Stopped for seconds under a flood from a browser's microphone, as a busy machine stops it."""
    engine = next(
        one for one in server.processes() if "goshawk.engine.process" in " ".join(one.cmdline())
    )
    with connect_to(server, "audio") as audio:
        audio.send(json.dumps({"microphone": {"rate_hz": 192_000, "channels": 2}}))
        engine.suspend()
        for _ in range(120):
            audio.send(bytes(65_536))
        state = server.change("inputs.voice.is_muted", True)
        engine.resume()
    assert state["rig"]["inputs"][0]["is_muted"]

    def reach() -> str:
        levels = server.ask("/api/levels", "GET")
        return str(levels and levels["reach"]["viewers"])

    wait_for("the mute", lambda: reach() == "closed")
    server.change("inputs.voice.is_muted", False)


def connect_to(server: Server, name: str) -> ClientConnection:
    return connect(
        f"ws://127.0.0.1:{server.port}/api/{name}", max_size=None, origin=Origin(server.url)
    )


# --- everything that can be sent ------------------------------------------------------------------


@pytest.mark.endurance
def test_no_request_of_any_shape_breaks_the_server(server: Server, tmp_path: Path) -> None:
    """schemathesis over every route of the interface document, with the real engine behind."""
    line = [Path(sys.executable).parent / "schemathesis", "run", f"{server.url}/openapi.json"]
    options = ["--max-examples", "8", "--checks", "not_a_server_error", "--phases", "fuzzing"]
    options += ["--no-color", "--generation-database", "none", "--request-timeout", "30"]
    options += ["--header", f"Origin: {server.url}"]
    options += ["--exclude-path", "/api/sound-check/run", "--workers", "2"]
    # A stream has no end, and it finds the token that opens one.
    options += ["--exclude-path-regex", r"/stream\."]
    done = subprocess.run(
        [*line, *options], capture_output=True, text=True, check=False, cwd=tmp_path, timeout=300
    )
    assert done.returncode == 0, done.stdout[-4000:] + done.stderr[-2000:]
    assert "Traceback" not in server.said
    assert server.ask("/api/state", "GET")["is_engine_running"]


def page_messages() -> st.SearchStrategy[Any]:
    """Messages of the live link: well-formed ones with figures at and beyond their borders, and torn ones."""
    document = json.loads((Path(__file__).parents[2] / "docs" / "openapi.json").read_text())
    schemas = document["components"]["schemas"]
    names = [one["$ref"].rpartition("/")[2] for one in schemas["FromPage"]["oneOf"]]
    number = st.one_of(
        st.floats(allow_nan=False), st.integers(-50, 50), st.sampled_from((0, 1, 5, 1e308, -1e308))
    )
    word = st.sampled_from(
        ("voice", "game", "gate", "eq", "suppressor", "trim", "other", "raw", "chain", "now",
         "before", "", "attic", "unplug", "replug", "delivers", "start_talk", "viewers", "sing")
    )  # fmt: skip
    path = st.sampled_from(
        ("inputs.game.fader_db", "inputs.voice.is_muted", "inputs.voice.chain.gate.settings.range_db", "name",
         "block_frames", "inputs.voice.device", "chain", "feeds.viewers.delay_ms", "inputs..", ".",
         "targets.voice_peaks_dbfs", "inputs.voice.chain.eq.settings.bell_1.gain_db", "is_on_break", "version")
    )  # fmt: skip
    value = st.one_of(number, st.booleans(), word, st.text(max_size=8), st.none())

    def field(name: str, schema: dict[str, Any]) -> st.SearchStrategy[Any]:
        if "const" in schema:
            return st.just(schema["const"])
        if name == "path":
            return st.one_of(path, st.text(max_size=12))
        if name == "changes":
            return st.dictionaries(path, value, max_size=3)
        if "enum" in schema:
            return st.sampled_from([*schema["enum"], "nothing"])
        kind = schema.get("type")
        if kind == "boolean":
            return st.booleans()
        if kind in ("number", "integer"):
            return number
        return st.one_of(word, value)

    def of(name: str) -> st.SearchStrategy[Any]:
        properties = schemas[name]["properties"]
        return st.fixed_dictionaries({key: field(key, one) for key, one in properties.items()})

    whole = st.one_of([of(name) for name in names])
    torn = st.one_of(st.text(max_size=40), st.lists(number, max_size=3), st.none())
    return st.one_of(whole, whole, whole, torn)


@pytest.mark.endurance
@settings(max_examples=14, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(st.lists(page_messages(), min_size=8, max_size=24))
def test_no_message_of_any_shape_ends_a_link_or_a_task(server: Server, sent: list[Any]) -> None:
    with connect_to(server, "live") as link:
        for message in sent:
            link.send(message if isinstance(message, str) else json.dumps(message))
        link.send(json.dumps({"type": "be_shown", "is_on": True}))
        link.send(json.dumps({"type": "find_buffer", "is_on": False}))
        link.send(json.dumps({"type": "loop_stop"}))
        link.send(json.dumps({"type": "replay_stop"}))
        for _ in range(2000):
            if json.loads(link.recv(timeout=PATIENCE_S))["type"] == "readings":
                break
    assert "Traceback" not in server.said
    assert "broke off" not in server.said


@pytest.mark.endurance
@settings(max_examples=12, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.lists(
        st.one_of(
            st.binary(max_size=200),
            st.binary(min_size=64, max_size=64).map(lambda b: b * 64),
            st.sampled_from(
                (
                    '{"listen": true, "hear": "viewers"}',
                    '{"listen": true, "hear": "band:eq:bell_9"}',
                    '{"listen": true, "hear": "removed:gate"}',
                    '{"listen": true, "hear": "input:nothing"}',
                    '{"microphone": {"rate_hz": 8000, "channels": 1}}',
                    '{"microphone": {"rate_hz": 192000, "channels": 2}}',
                    '{"microphone": {"rate_hz": 7999, "channels": 3}}',
                    "[]",
                    "x" * 5000,
                )
            ),
        ),
        max_size=30,
    )
)
def test_no_sound_of_any_shape_ends_the_sound_link(server: Server, sent: list[Any]) -> None:
    with connect_to(server, "audio") as link, suppress(ConnectionClosed):
        for message in sent:
            link.send(message)
        link.send('{"listen": true, "hear": "you"}')
        for _ in range(400):
            if isinstance(link.recv(timeout=PATIENCE_S), bytes):
                break
    assert "Traceback" not in server.said


def test_after_all_that_everything_is_there(server: Server) -> None:
    """No task has died: figures come, a change is saved, and the folder opens."""
    first = server.ask("/api/levels", "GET")
    wait_for("figures", lambda: server.ask("/api/levels", "GET") not in (None, first))

    def is_kept() -> bool:
        """A step that a page asked for may still have waited for the disk."""
        server.change("name", "After all")
        time.sleep(0.3)
        return bool(server.ask("/api/state", "GET")["rig"]["name"] == "After all")

    wait_for("the name", is_kept)
    database = open_database(database_path(server.data_dir)).connection
    assert load_active_rig(database).rig.name == "After all"
    database.close()
    assert "never awaited" not in server.said


def test_the_demo_opens_the_browser_once_it_answers_and_only_if_asked(tmp_path: Path) -> None:
    opened = tmp_path / "opened"
    browser = tmp_path / "browser.sh"
    browser.write_text(f'#!/bin/sh\nprintf %s "$1" >> {opened}\n')
    browser.chmod(0o700)
    env = {**os.environ, "DISPLAY": ":9", "BROWSER": f"{browser} %s"}
    env["http_proxy"] = "http://127.0.0.1:9"  # For addresses elsewhere.
    server = Server(tmp_path / "data", env)
    server.stop()
    assert not opened.exists()
    server = Server(tmp_path / "data", env, opens=True)
    try:
        wait_for("a browser", opened.exists)
        assert opened.read_text() == server.url
    finally:
        server.stop()


HIDES_LIBPULSE = """
import ctypes

load = ctypes.CDLL.__init__


def hide(self, name, *more, **named):
    if "pulse" in str(name):
        raise OSError(f"{name}: cannot open shared object file")
    load(self, name, *more, **named)


ctypes.CDLL.__init__ = hide
"""
"""From every Python of the program, as where the library is not installed."""


def test_a_computer_without_a_sound_servers_library_plays_all_the_same(tmp_path: Path) -> None:
    hiding = tmp_path / "hiding"
    hiding.mkdir()
    (hiding / "sitecustomize.py").write_text(HIDES_LIBPULSE)
    server = Server(tmp_path / "data", {**os.environ, "PYTHONPATH": str(hiding)})
    try:
        state = server.ask("/api/outputs", body={"source": "viewers", "device": "server:desk"})
        assert "no library of a sound server" in state["computer"]["server_trouble"]
        output = state["rig"]["outputs"][-1]["id"]
        said = wait_for(
            "a sentence", lambda: server.levels()["outputs"].get(output, {}).get("said", "")
        )
        assert "no library of a sound server" in said
    finally:
        server.stop()
    assert "Traceback" not in server.said
