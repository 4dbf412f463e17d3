"""Work on a drive of the user's choice, which may not answer for minutes or ever: a network drive whose other end is gone, a disk
that starts up. Each place has threads of its own, so that neither other places nor settings, figures and streams wait behind it."""

import asyncio
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import Any, TypeVar

from goshawk.errors import DriveSilent

ANSWERS_S = 20.0
"""A disk that has stood still starts up in ten."""

LOOKS_AGAIN_S = 0.5
MOST_AT_ONCE, MOST_WAITING, MOST_PLACES = 4, 32, 8

T = TypeVar("T")
_threads: dict[str, ThreadPoolExecutor] = {}
_under_way: dict[Future[Any], str] = {}
_silent: dict[Future[Any], str] = {}


async def on_drive(work: Callable[[], T], what: str, patience_s: float | None = ANSWERS_S) -> T:
    """What ``work`` gives. ``what`` is what it is done on, as a sentence begins: while that has not answered for ``patience_s``
    (None: it may take its time), nothing else is begun on it. Raises DriveSilent, and what the work raises; work that was begun
    goes to its end, whoever has given up waiting."""
    if _is_silent(what) or len(_under_way) >= MOST_WAITING:
        raise no_answer_of(what)
    job = _threads_of(what).submit(work)
    _under_way[job] = what
    future = asyncio.wrap_future(job)
    future.add_done_callback(lambda done: done.cancelled() or done.exception())
    try:
        async with asyncio.timeout(patience_s):
            return await asyncio.shield(future)
    except TimeoutError:
        if job.done():  # The drive's own.
            raise
        if not job.cancel():  # It has begun.
            _silent[job] = what
        raise no_answer_of(what) from None


def named(folder: Path) -> str:
    """A folder as what work is done on: each is a place of its own."""
    return f"The folder {folder}"


def _threads_of(what: str) -> ThreadPoolExecutor:
    """Those of this place; the place that was not asked for longest gives its own back when they have done what they were given."""
    threads = _threads.pop(what, None) or ThreadPoolExecutor(MOST_AT_ONCE, "drive")
    _threads[what] = threads
    if len(_threads) > MOST_PLACES:
        _threads.pop(next(iter(_threads))).shutdown(wait=False)
    return threads


async def answers_again(what: str) -> None:
    """Wait until it has answered, and never so little that whoever asks again asks without end."""
    await asyncio.sleep(LOOKS_AGAIN_S)
    while _is_silent(what):
        await asyncio.sleep(LOOKS_AGAIN_S)


def _is_silent(what: str) -> bool:
    for jobs in (_under_way, _silent):
        for job in [one for one in jobs if one.done()]:
            del jobs[job]
    return what in _silent.values()


def no_answer_of(what: str) -> DriveSilent:
    """What is said of it."""
    return DriveSilent(f"{what} does not answer. Look at its drive, or choose another folder.")
