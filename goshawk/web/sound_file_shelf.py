"""Sound files on the server, which can be played as the microphone: kept at 48 kHz beside the database."""

import asyncio
import secrets
import sqlite3
from collections.abc import Awaitable, Callable
from pathlib import Path

from goshawk.core.rig import Rig
from goshawk.core.sound_file_info import StoredSoundFile
from goshawk.devices.file import convert_sound_file
from goshawk.errors import BadSoundFile, NotFound
from goshawk.store import sound_files
from goshawk.store.work_folder import private_folder, sweep
from goshawk.units import SAMPLE_RATE_HZ


class SoundFileShelf:
    """Keeps sound files. ``play`` hands the samples of one to the engine, or None."""

    def __init__(
        self,
        db: sqlite3.Connection,
        folder: Path,
        play: Callable[[Path | None], None],
        in_store: Callable[[Callable[[], None]], Awaitable[None]],
    ) -> None:
        self._db, self._folder, self._play, self._in_store = db, folder, play, in_store
        self._played = ""
        self.listed = sound_files.list_sound_files(db)
        sweep(folder, (f"{one.id}.npy" for one in self.listed))

    def _samples(self, file_id: str) -> Path:
        return self._folder / f"{file_id}.npy"

    def check(self, rig: Rig) -> None:
        """Raises NotFound if a rig plays a file that is not there."""
        wanted = rig.devices.file.file_id
        if wanted and all(file.id != wanted for file in self.listed):
            raise NotFound("That sound file is not there any more. Choose another.")

    def give(self, rig: Rig) -> None:
        """Tell the engine which file to play, when that changes."""
        wanted = rig.devices.file.file_id
        if wanted != self._played:
            self._played = wanted
            self._play(self._samples(wanted) if wanted else None)

    def replay(self) -> None:
        """Play the chosen file from its beginning."""
        if self._played:
            self._play(self._samples(self._played))

    async def add(self, uploaded: Path, name: str) -> StoredSoundFile:
        """Check a file, bring it to 48 kHz and keep it. Raises BadSoundFile."""
        file_id = secrets.token_hex(8)
        target = self._samples(file_id)

        def prepare() -> StoredSoundFile:
            private_folder(self._folder)
            rate_hz, channels, frames = convert_sound_file(uploaded, name, target)
            return StoredSoundFile(
                id=file_id,
                name=name,
                rate_hz=rate_hz,
                channels=channels,
                duration_s=round(frames / SAMPLE_RATE_HZ, 3),
            )

        try:
            file = await asyncio.to_thread(prepare)
            await self._in_store(lambda: sound_files.add_sound_file(self._db, file))
        except BaseException as error:
            target.unlink(missing_ok=True)
            if isinstance(error, OSError):
                raise BadSoundFile(
                    f"{name} could not be kept ({error.strerror}). Make room on the disk and try again."
                ) from None
            raise
        self.listed = [file, *self.listed]
        return file

    async def remove(self, file_id: str) -> None:
        """Forget a file and its samples. Raises NotFound."""
        await self._in_store(lambda: sound_files.remove_sound_file(self._db, file_id))
        self._samples(file_id).unlink(missing_ok=True)
        self.listed = [one for one in self.listed if one.id != file_id]
