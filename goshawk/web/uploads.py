"""Sound files that a page sends as a request's body."""

import tempfile
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import Request

from goshawk.errors import BadSoundFile


@asynccontextmanager
async def received_file(
    request: Request, name: str, largest_bytes: int, too_large: str
) -> AsyncIterator[Path]:
    """The body in a file that goes afterwards. Raises BadSoundFile if it is empty, or larger than allowed;
    ``too_large`` ends that sentence."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "given"
        size = 0
        with path.open("wb") as file:
            async for chunk in request.stream():
                size += len(chunk)
                if size > largest_bytes:
                    raise BadSoundFile(f"{name} is larger than {too_large}")
                file.write(chunk)
        if not size:
            raise BadSoundFile(f"{name} is empty. Give a WAV, FLAC or OGG file.")
        yield path
