"""A process of its own for what would hold up the web: in a thread, every kernel would wait for the web to let go
of Python."""

import asyncio
import multiprocessing
import os
import threading
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import ParamSpec, TypeVar

from goshawk.errors import HelperLost

P = ParamSpec("P")
T = TypeVar("T")
NICENESS = 10


def stay_behind() -> None:
    """Called in a helper as it starts: the sound on air goes before its work, and it ends with the web process,
    however that ends."""
    if hasattr(os, "nice"):
        os.nice(NICENESS)
    parent = multiprocessing.parent_process()
    if parent:
        threading.Thread(target=_end_with, args=(parent,), daemon=True).start()


def _end_with(parent: multiprocessing.process.BaseProcess) -> None:
    parent.join()
    os._exit(0)


class Helper:
    """Does one piece of work at a time; started when it is first needed."""

    def __init__(self) -> None:
        self._pool: ProcessPoolExecutor | None = None

    async def run(self, work: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
        """What ``work``, a function of a module, gives for ``args``. Raises HelperLost, and what ``work`` raises."""
        assert not kwargs, "an executor hands on no keywords"
        self._pool = self._pool or ProcessPoolExecutor(
            1, multiprocessing.get_context("spawn"), initializer=stay_behind
        )
        try:
            return await asyncio.get_running_loop().run_in_executor(self._pool, work, *args)
        except BrokenProcessPool:
            self.close()
            raise HelperLost from None

    def close(self) -> None:
        """Start nothing more; what it does now is broken off: the end of the program must not wait for it."""
        pool, self._pool = self._pool, None
        if pool is None:
            return
        # Python joins a pool's thread at its end, and that waits for the work: so the work ends here.
        processes = list((getattr(pool, "_processes", None) or {}).values())
        pool.shutdown(wait=False, cancel_futures=True)
        for process in processes:
            process.kill()
