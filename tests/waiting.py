"""Waiting for what another process does: as long as a slow machine may need, and no longer than it takes."""

import asyncio
import time
from collections.abc import Callable
from contextlib import suppress
from typing import TypeVar

PATIENCE_S = 180.0
SHOWN_MS = round(1000 * PATIENCE_S)
"""As browsers count it."""

LOOKS_EVERY_S = 0.05

Found = TypeVar("Found")


def wait_for(what: str, look: Callable[[], Found], patience_s: float = PATIENCE_S) -> Found:
    """What ``look`` gives once it is something; a server that does not answer is looked at again. Raises AssertionError when
    that takes too long."""
    until = time.monotonic() + patience_s
    while time.monotonic() < until:
        with suppress(OSError):
            found = look()
            if found:
                return found
        time.sleep(LOOKS_EVERY_S)
    raise AssertionError(f"waited in vain for {what}")


async def until(is_so: Callable[[], object]) -> None:
    """The same for what happens in this event loop."""
    end = time.monotonic() + PATIENCE_S
    while not is_so():
        assert time.monotonic() < end, "it did not come about"
        await asyncio.sleep(LOOKS_EVERY_S)
