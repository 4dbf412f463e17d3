"""Sound files on the server, which can be played as the microphone: kept at 48 kHz beside the database."""

import asyncio
import secrets
from pathlib import Path

from goshawk.bus import Bus
from goshawk.core.rig import Rig
from goshawk.core.sound_file_info import StoredSoundFile
from goshawk.devices.file import convert_sound_file
from goshawk.engine.client import EngineClient
from goshawk.errors import BadSoundFile, NotFound
from goshawk.store import sound_files
from goshawk.store.work_folder import private_folder, sweep
from goshawk.units import SAMPLE_RATE_HZ
from goshawk.web.events import RigHeard, StateChanged
from goshawk.web.store_in_turn import StoreInTurn


class SoundFileShelf:
    """Keeps sound files, and hands the samples of the one that is played to the engine."""

    def __init__(
        self,
        store: StoreInTurn,
        listed: list[StoredSoundFile],
        folder: Path,
        engine: EngineClient,
        bus: Bus,
    ) -> None:
        self._store, self._folder, self._engine, self._bus = store, folder, engine, bus
        self._played = ""
        self.listed = listed
        sweep(folder, (f"{one.id}.npy" for one in listed))
        bus.subscribe(RigHeard, self._follow_rig)

    def _samples(self, file_id: str) -> Path:
        return self._folder / f"{file_id}.npy"

    def check(self, rig: Rig) -> None:
        """Raises NotFound if a rig plays a file that is not there."""
        wanted = rig.devices.file.file_id
        if wanted and all(file.id != wanted for file in self.listed):
            raise NotFound("That sound file is not there any more. Choose another.")

    def _follow_rig(self, said: RigHeard) -> None:
        self.give(said.rig)

    def give(self, rig: Rig) -> None:
        """Tell the engine which file to play, when that changes."""
        wanted = rig.devices.file.file_id
        if wanted != self._played:
            self._played = wanted
            self._engine.play_file(self._samples(wanted) if wanted else None)

    def replay(self) -> None:
        """Play the chosen file from its beginning."""
        if self._played:
            self._engine.play_file(self._samples(self._played))

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
            await self._store.do(lambda db: sound_files.add_sound_file(db, file))
        except BaseException as error:
            target.unlink(missing_ok=True)
            if isinstance(error, OSError):
                raise BadSoundFile(
                    f"{name} could not be kept ({error.strerror}). Make room on the disk and try again."
                ) from None
            raise
        self.listed = [file, *self.listed]
        self._bus.publish(StateChanged())
        return file

    async def remove(self, file_id: str) -> None:
        """Forget a file and its samples. Raises NotFound."""
        await self._store.do(lambda db: sound_files.remove_sound_file(db, file_id))
        self._samples(file_id).unlink(missing_ok=True)
        self.listed = [one for one in self.listed if one.id != file_id]
        self._bus.publish(StateChanged())
