"""Sound files that can be played as the microphone."""

from typing import Annotated

from fastapi import APIRouter, Query, Request

from goshawk.core.settings import PLAIN_TEXT
from goshawk.core.sound_file_info import StoredSoundFile
from goshawk.web.dependencies import ApplicationDep
from goshawk.web.uploads import received_file

router = APIRouter(prefix="/api/sound-files", tags=["sound files"])

LARGEST_BYTES = 1_400_000_000
"""Thirty minutes of two channels of 32-bit samples at 96 kHz."""


@router.post("", status_code=201)
async def add_sound_file(
    request: Request,
    application: ApplicationDep,
    name: Annotated[str, Query(min_length=1, max_length=200), PLAIN_TEXT],
) -> StoredSoundFile:
    """Give a WAV, FLAC or OGG file as the request's body. It is checked and kept at 48 kHz."""
    async with received_file(
        request, application.work, name, LARGEST_BYTES, "1.4 GB. Cut it, and give a part."
    ) as path:
        return await application.files.add(path, name)


@router.delete("/{file_id}", status_code=204)
async def remove_sound_file(file_id: str, application: ApplicationDep) -> None:
    """Forget a file and its samples."""
    await application.changes.remove_file(file_id)


@router.post("/replay", status_code=204)
async def replay(application: ApplicationDep) -> None:
    """Play the chosen file from its beginning."""
    application.files.replay()
