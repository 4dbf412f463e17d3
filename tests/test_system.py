"""What differs by system stands in one place, and both ways between processes do the same."""

import asyncio
import os
import re
import socket
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from threading import Thread
from typing import Any

import pytest

from goshawk.system import ending, links, processes
from goshawk.system.links import FramedPackets, Packets, find, offer, packet_pair
from goshawk.system.locks import lock
from goshawk.system.peers import Peers
from goshawk.system.scheduling import is_kept_waiting
from tests.waiting import PATIENCE_S, wait_for

ROOT = Path(__file__).parents[1]
OF_ONE_SYSTEM = re.compile(
    r"SEQPACKET|AF_UNIX|pass_fds|/dev/shm|\bfcntl\b|\bsignal\.SIG|\bos\.nice\b|sched_setscheduler|\bresource\.|termios|open_unix|os\.kill"
)


def test_nothing_else_asks_which_system_it_runs_on() -> None:
    found = [
        f"{file.relative_to(ROOT)}: {line.strip()}"
        for file in (ROOT / "goshawk").rglob("*.py")
        if "system" not in file.relative_to(ROOT).parts
        for line in file.read_text().splitlines()
        if OF_ONE_SYSTEM.search(line)
    ]
    assert found == []


@pytest.fixture(params=[True, False], ids=["native", "portable"])
def pair(request: pytest.FixtureRequest) -> Iterator[tuple[Packets, Packets]]:
    ours, theirs = packet_pair(keeps_borders=request.param)
    yield ours, theirs
    ours.close()
    theirs.close()


def test_packets_keep_their_borders_and_a_slow_reader_holds_nobody_up(
    pair: tuple[Packets, Packets],
) -> None:
    ours, theirs = pair
    assert theirs.receive(1000) is None
    given = [bytes([n % 256]) * (1 + 977 * n % 60_000) for n in range(400)]
    sent, taken = [], []
    for packet in given:
        if ours.send(packet):
            sent.append(packet)
    # It does not take all, says so, and loses nothing of what it took.
    assert 0 < len(sent) < len(given)
    assert not ours.has_room
    for _ in range(len(given)):
        ours.receive(10)  # What did not go in one piece goes on.
        while packet := theirs.receive(70_000):
            taken.append(packet)
    assert taken == sent
    assert ours.has_room
    ours.close()
    with pytest.raises(EOFError):
        theirs.receive(1000)


def test_over_a_stream_a_length_that_cannot_be_ends_the_link() -> None:
    one, other = socket.socketpair()
    framed = FramedPackets(other)
    one.sendall(b"\xff\xff\xff\x7f" + b"x" * 100)
    with pytest.raises(EOFError):
        framed.receive(1000)
    one.close()
    framed.close()


def test_only_who_knows_the_secret_is_taken_for_the_child(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("GOSHAWK_PORTABLE", "1")
    link = offer(keeps_borders=True)
    assert link.handles == ()
    found: list[socket.socket] = []
    waiting = Thread(target=lambda: found.append(link.taken(lambda: True)))
    waiting.start()
    port = int(link.place.partition(":")[2])
    for guess in (b"", b"0" * 32, next(iter(link.environment.values()))[:-1].encode() + b"x"):
        with socket.create_connection(("127.0.0.1", port)) as stranger:
            stranger.sendall(guess)
            stranger.shutdown(socket.SHUT_WR)
            assert stranger.recv(1) == b""
    for name, value in link.environment.items():
        monkeypatch.setenv(name, value)
    ours = find(link.place)
    waiting.join()
    ours.sendall(b"here")
    assert found[0].recv(10) == b"here"
    ours.close()
    found[0].close()


def test_a_child_that_ends_before_it_connects_is_not_waited_for(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setenv("GOSHAWK_PORTABLE", "1")
    monkeypatch.setattr(links, "PATIENCE_S", 5.0)
    with pytest.raises(OSError, match="did not connect"):
        offer(keeps_borders=False).taken(lambda: False)


def test_a_file_is_locked_for_one_alone(tmp_path: Path) -> None:
    path = tmp_path / "ours"
    with path.open("a+") as one, path.open("a+") as other:
        assert lock(one)
        assert not lock(other)
    with path.open("a+") as again:
        assert lock(again)


LOOKS = """
import os, subprocess, sys
from goshawk.system.desktop import have_standard_streams

have_standard_streams()
away = os.stat(os.devnull)
assert all(os.path.samestat(os.fstat(number), away) for number in range(3))
assert not sys.stdout.isatty() and sys.stdin.read() == ""
print("said", file=sys.stderr, flush=True)
writes = "import sys; sys.stdout.flush(); sys.stderr.flush()"
sys.exit(subprocess.call([sys.executable, "-c", writes]))
"""


def test_a_program_whose_standard_streams_are_closed_gets_some_and_hands_them_on() -> None:
    closed = ["sh", "-c", 'exec "$@" <&- >&- 2>&-', "sh", sys.executable, "-c", LOOKS]
    assert subprocess.call(closed) == 0


class Unending:
    """A process that waits for a drive or a device that does not answer: not even killed does it end."""

    pid = 7

    def __init__(self) -> None:
        self.killed = 0

    def poll(self) -> None: ...

    def wait(self, patience_s: float | None = None) -> Any:
        if patience_s is not None:
            raise subprocess.TimeoutExpired("this", patience_s)
        return asyncio.Event().wait()

    def kill(self) -> None:
        self.killed += 1


def test_a_process_that_the_system_does_not_let_go_is_left_to_it(
    monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    monkeypatch.setattr(processes, "KILLED_S", 0.0)
    one, other = Unending(), Unending()
    asyncio.run(ending.see_end(one, 0.0))  # type: ignore[arg-type]
    asyncio.run(ending.see_end(other, 0.0, is_killed=False))  # type: ignore[arg-type]
    asyncio.run(ending.kill(other))  # type: ignore[arg-type]
    processes.kill_now(other)  # type: ignore[arg-type]
    assert (one.killed, other.killed) == (1, 2)
    assert caplog.text.count("does not end and is left behind") == 4
    sleeper = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
    asyncio.run(ending.see_end(sleeper, 0.0))
    assert sleeper.wait() < 0
    assert sleeper.stdin
    sleeper.stdin.close()


@pytest.mark.skipif(sys.platform != "linux", reason="only Linux says so")
def test_a_process_that_would_go_on_is_told_from_one_that_waits_for_something_else() -> None:
    python = [sys.executable, "-c"]
    with (
        subprocess.Popen([*python, "while True: pass"]) as busy,
        subprocess.Popen([*python, "input()"], stdin=subprocess.PIPE) as resting,
    ):
        wait_for("work", lambda: is_kept_waiting(busy.pid))
        wait_for("rest", lambda: not is_kept_waiting(resting.pid))
        busy.kill()
        resting.kill()
    assert not is_kept_waiting(busy.pid), "it is gone"


@pytest.mark.skipif(
    not hasattr(os, "getuid") or os.getuid() != 0, reason="takes another user's rights"
)
def test_another_users_connection_is_told_from_ones_own_also_when_it_was_let_go() -> None:
    """Else whoever shares the computer hears the microphone, by a request that is given up as soon as it is sent."""
    asks = "import os, socket, sys; os.setuid(int(sys.argv[2])); link = socket.socket(); link.connect(('127.0.0.1', int(sys.argv[1]))); link.sendall(b'x'); "
    with socket.create_server(("127.0.0.1", 0)) as server:
        own = server.getsockname()
        server.settimeout(PATIENCE_S)

        def is_ours(then: str, user: int) -> bool | None:
            program = subprocess.Popen(
                [sys.executable, "-c", asks + then, str(own[1]), str(user)], stdin=subprocess.PIPE
            )
            with program, server.accept()[0] as link:
                link.recv(1)
                if not then:
                    program.wait()
                found = Peers().is_ours(link.getpeername(), own)
                program.kill()
                return found

        assert is_ours("sys.stdin.read()", 0) is True
        assert is_ours("sys.stdin.read()", 65_534) is False
        assert is_ours("", 65_534) is False
    assert Peers().is_ours(("testclient", 50_000), own) is None, "no address: nothing can be told"
