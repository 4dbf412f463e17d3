"""Late blocks of a live engine, without load and with it, in one run: two windows that take every
reading and the sound, and requests in a loop."""

import asyncio
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import uvicorn

from goshawk.errors import EngineLost
from goshawk.web.app import create_app
from goshawk.web.application import Application
from goshawk.web.points import Listener

WINDOWS = 2


async def _until_ready(application: Application) -> None:
    for _ in range(600):
        if application.engine.is_running and application.figures.levels:
            return
        await asyncio.sleep(0.1)
    raise EngineLost("The audio process did not start within a minute. Try again.")


async def _window(application: Application) -> None:
    """A page: takes all messages and the sound."""
    page, listener = application.visits.open(), Listener()
    application.points.listen(listener, "viewers")

    async def take_sound() -> None:
        while True:
            await listener.sound.get()

    sound = asyncio.create_task(take_sound())
    try:
        while True:
            await page.next()
    finally:
        sound.cancel()
        application.points.listen(listener, None)
        application.visits.close(page)


async def _requests(port: int, count: list[int]) -> None:
    """Ask for the state over and over, on a connection that stays open."""
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    request = f"GET /api/state HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\r\n".encode()
    while True:
        writer.write(request)
        head = await reader.readuntil(b"\r\n\r\n")
        length = next(
            int(line.split(b":")[1])
            for line in head.split(b"\r\n")
            if line.lower().startswith(b"content-length")
        )
        await reader.readexactly(length)
        count[0] += 1


async def _measure(application: Application, seconds: float) -> dict[str, Any]:
    def now() -> tuple[int, int]:
        assert application.figures.levels
        return (
            application.figures.levels.engine.late_blocks,
            application.figures.levels.engine.missed_blocks,
        )

    late, missed = now()
    await asyncio.sleep(seconds)
    late_after, missed_after = now()
    assert application.figures.levels
    blocks = round(seconds * 48_000 / application.desk.rig.block_frames)
    return {
        "blocks": blocks,
        "late_blocks": late_after - late,
        "missed_blocks": missed_after - missed,
        "load_percent": application.figures.levels.engine.load_percent,
        "is_realtime": application.figures.levels.engine.is_realtime,
    }


async def _run(seconds: float, say: Callable[[str], None], data_dir: Path) -> dict[str, Any]:
    app = create_app(data_dir)
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=0, log_level="warning"))
    serving = asyncio.create_task(server.serve())
    while not server.started:
        await asyncio.sleep(0.05)
    port = server.servers[0].sockets[0].getsockname()[1]
    application: Application = app.state.application
    await _until_ready(application)
    await asyncio.sleep(2.0)
    say(f"{seconds:g} s without load …")
    results = {"unloaded": await _measure(application, seconds)}
    say(f"{seconds:g} s with {WINDOWS} windows and requests in a loop …")
    count = [0]
    load = [asyncio.create_task(_window(application)) for _ in range(WINDOWS)]
    load.append(asyncio.create_task(_requests(port, count)))
    results["loaded"] = await _measure(application, seconds)
    results["loaded"]["requests"] = count[0]
    for task in load:
        task.cancel()
    server.should_exit = True
    await serving
    return results


def run_bench_load(seconds: float, say: Callable[[str], None]) -> dict[str, Any]:
    """Late and missed blocks of both runs, each of ``seconds``."""
    with tempfile.TemporaryDirectory() as folder:
        return asyncio.run(_run(seconds, say, Path(folder)))
