"""What every window shows, put together from those who own its parts."""

from goshawk import __version__
from goshawk.core.computer import input_devices, output_devices
from goshawk.core.rig import Tried
from goshawk.core.routing import FEEDS
from goshawk.core.rules.sentences import feed_sentence
from goshawk.core.target_sets import TARGET_SETS, chosen_set
from goshawk.devices.catalog import INPUT_DEVICES, OUTPUT_DEVICES, PRACTICE_UNIT
from goshawk.engine.client import EngineClient
from goshawk.page_messages.live import State, StateTried
from goshawk.web.access import Access
from goshawk.web.buffer_search import BufferSearch
from goshawk.web.cough_key import CoughKey
from goshawk.web.curves import curves_of
from goshawk.web.preset_shelf import PresetShelf
from goshawk.web.record_desk import RecordDesk
from goshawk.web.rig_desk import RigDesk
from goshawk.web.sound_desk import SoundDesk
from goshawk.web.sound_file_shelf import SoundFileShelf
from goshawk.web.what_plays import WhatPlays


class WindowState:
    """Collects the state from the services that own its parts; keeps none itself."""

    def __init__(
        self,
        desk: RigDesk,
        engine: EngineClient,
        sound: SoundDesk,
        files: SoundFileShelf,
        plays: WhatPlays,
        buffer_search: BufferSearch,
        cough_key: CoughKey,
        presets: PresetShelf,
        access: Access,
        record: RecordDesk,
    ) -> None:
        self._desk, self._engine, self._sound, self._files = desk, engine, sound, files
        self._plays, self._buffer_search, self._cough_key = plays, buffer_search, cough_key
        self._presets, self._access, self._record = presets, access, record

    def tried(self, tried: Tried) -> StateTried:
        """What is another in it while somebody drags."""
        rig = self._desk.rig
        names = {part for path in tried.values for part in path.split(".")}
        return StateTried(
            plan=self._engine.plan_number,
            values=tried.values,
            curves={stage: curve for stage, curve in curves_of(rig).items() if stage in names},
            sentences={feed: feed_sentence(rig, feed) for feed in FEEDS},
            changed_presets=self._presets.changed(rig),
            target_set=chosen_set(rig),
        )

    def make(self) -> State:
        """The state as it is now."""
        desk, rig, computer = self._desk, self._desk.rig, self._sound.computer
        return State(
            rig=rig,
            plan=self._engine.plan_number,
            can_undo=desk.can_undo,
            can_redo=desk.can_redo,
            is_saved=desk.is_saved,
            save_trouble=desk.trouble,
            devices=[*INPUT_DEVICES, *input_devices(computer, rig)],
            output_devices=[*OUTPUT_DEVICES, *output_devices(computer)],
            insert_unit=PRACTICE_UNIT,
            computer=computer,
            sound_files=self._files.listed,
            is_engine_running=self._engine.is_running,
            curves=curves_of(rig),
            sentences={feed: feed_sentence(rig, feed) for feed in FEEDS},
            buffer_search=self._buffer_search.state,
            is_coughing=self._cough_key.is_held,
            presets=self._presets.listed(),
            addresses=self._access.listed(),
            changed_presets=self._presets.changed(rig),
            loop=self._plays.loop,
            record=self._record.facts,
            target_sets=list(TARGET_SETS),
            target_set=chosen_set(rig),
            version=__version__,
        )
