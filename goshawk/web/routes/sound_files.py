"""Sound files that can be played as the microphone."""

import tempfile
from pathlib import Path

from fastapi import APIRouter, Query, Request

from goshawk.errors import BadSoundFile
from goshawk.store.sound_files import StoredSoundFile
from goshawk.web.dependencies import StudioDep

router = APIRouter(prefix="/api/sound-files", tags=["sound files"])

LARGEST_BYTES = 1_400_000_000
"""Thirty minutes of two channels of 32-bit samples at 96 kHz."""


@router.post("", status_code=201)
async def add_sound_file(
    request: Request, studio: StudioDep, name: str = Query(min_length=1, max_length=200)
) -> StoredSoundFile:
    """Give a WAV, FLAC or OGG file as the request's body. It is checked and kept at 48 kHz."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "given"
        size = 0
        with path.open("wb") as file:
            async for chunk in request.stream():
                size += len(chunk)
                if size > LARGEST_BYTES:
                    raise BadSoundFile(f"{name} is larger than 1.4 GB. Cut it, and give a part.")
                file.write(chunk)
        if not size:
            raise BadSoundFile(f"{name} is empty. Give a WAV, FLAC or OGG file.")
        return await studio.add_file(path, name)


@router.delete("/{file_id}", status_code=204)
async def remove_sound_file(file_id: str, studio: StudioDep) -> None:
    """Forget a file and its samples."""
    await studio.remove_file(file_id)


@router.post("/replay", status_code=204)
async def replay(studio: StudioDep) -> None:
    """Play the chosen file from its beginning."""
    studio.replay_file()
