"""Sound on its way to the audio process: a file of samples, whole or not there."""

import asyncio
from collections.abc import Callable
from pathlib import Path

import numpy as np

from goshawk.core.stage import Block
from goshawk.errors import BadInput


class KeptSound:
    """One sound at a time, as a .npy file in ``folder``. A newer one takes its place; what is called off before it was
    written is never there."""

    def __init__(self, folder: Callable[[], Path]) -> None:
        self._folder = folder
        self._count = 0
        self.path: Path | None = None

    async def keep(self, make: Callable[[], Block]) -> Block | None:
        """Make a sound and write it, beside everything else; None if it was called off, or another was begun,
        meanwhile. Raises BadInput if the disk does not take it: then nothing lies there."""
        self._count += 1
        count, path = self._count, self._folder() / f"{self._count}.npy"

        def work() -> Block:
            sound = make()
            _write(path, sound)
            return sound

        sound = await asyncio.to_thread(work)
        if count != self._count:
            path.unlink(missing_ok=True)
            return None
        self.forget()
        self.path = path
        return sound

    def call_off(self) -> None:
        """What is being made is not wanted any more."""
        self._count += 1

    def forget(self) -> None:
        """Take the file away."""
        if self.path:
            self.path.unlink(missing_ok=True)
            self.path = None


def _write(path: Path, sound: Block) -> None:
    try:
        np.save(path, sound)
    except OSError as error:
        path.unlink(missing_ok=True)
        raise BadInput(
            f"The sound could not be kept ({error.strerror}). Make room on the disk and try again."
        ) from None
