"""Sound files that a page sends as a request's body."""

import asyncio
import shutil
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import Request

from goshawk.errors import BadSoundFile
from goshawk.store.work_folder import WorkFolder


@asynccontextmanager
async def received_file(
    request: Request, work: WorkFolder, name: str, largest_bytes: int, too_large: str
) -> AsyncIterator[Path]:
    """The body in a file that goes afterwards. Raises BadSoundFile if it is empty, larger than allowed, or does not
    fit on the disk; ``too_large`` ends that sentence."""
    path: Path | None = None
    try:
        path = await asyncio.to_thread(lambda: work.fresh() / "given")
        size = 0
        with path.open("wb") as file:
            async for chunk in request.stream():
                size += len(chunk)
                if size > largest_bytes:
                    raise BadSoundFile(f"{name} is larger than {too_large}")
                await asyncio.to_thread(file.write, chunk)
        if not size:
            raise BadSoundFile(f"{name} is empty. Give a WAV, FLAC or OGG file.")
    except OSError as error:
        _forget(path)
        raise BadSoundFile(
            f"{name} could not be kept ({error.strerror}). Make room on the disk and try again."
        ) from None
    except BaseException:
        _forget(path)
        raise
    try:
        yield path
    finally:
        _forget(path)


def _forget(path: Path | None) -> None:
    if path:
        shutil.rmtree(path.parent, ignore_errors=True)
