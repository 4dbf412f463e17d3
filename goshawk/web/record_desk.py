"""Recording, as pages and programs ask for it: started, marked, ended; what is told of it; what is kept of it."""

import asyncio
import shutil
import tempfile
import time
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from goshawk.bus import Bus
from goshawk.core.graph.stations import came, recorded_as
from goshawk.core.recording.document import Figures, Mark, Recording, Track
from goshawk.core.recording.names import folder_name, with_files
from goshawk.core.recording.tracks import chosen_tracks, input_of, offered_tracks
from goshawk.drives import named, on_drive
from goshawk.engine.client import EngineClient, Planned
from goshawk.errors import BadInput, BadSetting, DriveSilent, GoshawkError, NotFound, StoreUnusable
from goshawk.observer import requests
from goshawk.observer.client import ObserverClient
from goshawk.page_messages.recording import RecordFacts, RecordingState, TrackStatus
from goshawk.recorder import messages
from goshawk.recorder.client import RecorderClient
from goshawk.recorder.wanted import Recorded, RecorderWanted, WantedMark
from goshawk.recorder.writing import SAFE_REST_BYTES
from goshawk.store import recording_folders
from goshawk.store.recordings.exporting import span_of
from goshawk.store.recordings.mending import mend, mend_all
from goshawk.store.recordings.names import new_id
from goshawk.store.recordings.reading import read_piece
from goshawk.store.recordings.shelf import Shelf
from goshawk.store.recordings.track_file import TrackFile
from goshawk.store.work_folder import WorkFolder
from goshawk.supervisor import Supervisor
from goshawk.units import SAMPLE_RATE_HZ, linear_to_db
from goshawk.web.auto_marks import AutoMarks
from goshawk.web.events import MarksChanged, Notified, RecordingShown, StateChanged
from goshawk.web.hand_over import HandOverDesk
from goshawk.web.heard_again import HeardAgain
from goshawk.web.kept_recordings import KeptRecordings
from goshawk.web.newest_figures import NewestFigures
from goshawk.web.notices import Notices
from goshawk.web.points import Points
from goshawk.web.rig_desk import RigDesk
from goshawk.web.store_in_turn import StoreInTurn

LOOKS_EVERY_S = 1.0
STARTS_S = 8.0
"""A recorder that has begun nothing for so long may wait for its drive, which is tried then."""

TAKES_S = 2.0

MENDS_AGAIN_S = 8.0
MENDS_S = 600.0
"""Hours of a recording may have to be read."""

ENDS_S = 1.5

MOST_RESTARTS = 5
LONGEST_TAKE_S = 60
BYTES_A_FRAME = {"flac": 1.8, "wav": 3.0, "opus": 0.2}
"""Of one channel, about."""


class RecordDesk:
    """One recording at a time."""

    def __init__(
        self,
        store: StoreInTurn,
        past_folders: list[str],
        own_folder: Path,
        default_folder: Path,
        desk: RigDesk,
        engine: EngineClient,
        observer: ObserverClient,
        points: Points,
        figures: NewestFigures,
        work: WorkFolder,
        supervisor: Supervisor,
        bus: Bus,
        notices: Notices,
    ) -> None:
        self._store, self._supervisor = store, supervisor
        self._work, self.heard_again = work, HeardAgain(work, observer)
        self.hand_over = HandOverDesk(work, desk, supervisor, bus)
        self._own, self._default = own_folder, default_folder
        self._desk, self._engine, self._observer = desk, engine, observer
        self._points, self._figures = points, figures
        self._bus, self._notices = bus, notices
        self._past_folders = [Path(one) for one in past_folders]
        self.kept = KeptRecordings(Shelf(self.folders), supervisor, bus)
        self._client: RecorderClient | None = None
        self._recorded: Recorded | None = None
        """What is wanted of the recorder; None: nothing, or that it waits, ready."""
        self._document: Recording | None = None
        self._marks: dict[int, WantedMark] = {}
        self._mark_count = self._run = 0
        self._first_frame = 0
        """Where on the timeline the part begins that is being written."""
        self._is_ready_wanted = False
        self._restarts = 0
        self._auto = AutoMarks(self._put_auto_mark)
        self._free: tuple[float, str, float | None] = (-1e9, "", None)
        self.state = RecordingState()
        bus.subscribe(Planned, self._follow_plan)

    # --- where ------------------------------------------------------------------------------------

    def folders(self) -> list[Path]:
        """Every folder in which recordings may lie."""
        return list(dict.fromkeys([self.folder, self._default, self._own, *self._past_folders]))

    @property
    def folder(self) -> Path:
        """Where the next recording lies."""
        chosen = self._desk.rig.recording.folder
        return Path(chosen).expanduser() if chosen else self._default

    @property
    def facts(self) -> RecordFacts:
        """What stands around recordings."""
        rig = self._desk.rig
        preview, trouble = "", ""
        try:
            preview = folder_name(rig.recording.pattern, rig.name, datetime.now().astimezone())
        except BadSetting as error:
            trouble = str(error)
        if rig.recording.folder and not self.folder.is_absolute():
            trouble = f"{rig.recording.folder} is no whole path. Begin it with / or ~."
        return RecordFacts(
            folder=str(self.folder),
            default_folder=str(self._default),
            preview=preview,
            preview_trouble=trouble,
            free_s=self._free[2],
            offered=offered_tracks(rig),
            chosen=[one.source for one in chosen_tracks(rig)],
            changes=self.kept.changes,
            silent=self.kept.silent,
        )

    async def look_on(self) -> None:
        """For ever: how long the disk would take what is chosen, and whether recordings came or went."""
        while True:
            await asyncio.sleep(LOOKS_EVERY_S)
            rig, folder = self._desk.rig, self.folder
            channels = sum(one.channels for one in chosen_tracks(rig))
            key = f"{folder}|{rig.recording.format}|{channels}"
            now = time.monotonic()
            if key != self._free[1] or now - self._free[0] > 30.0:
                per_s = BYTES_A_FRAME[rig.recording.format] * channels * SAMPLE_RATE_HZ
                free = await self._free_of(folder)
                room = None if free is None else max(0.0, free - SAFE_REST_BYTES) / max(1.0, per_s)
                is_other = room is None or self._free[2] is None or key != self._free[1]
                self._free = (now, key, room)
                if is_other:
                    self._bus.publish(StateChanged())
            self._mark_what_happens()

    async def _free_of(self, folder: Path) -> int | None:
        try:
            return await on_drive(lambda: _free_bytes(folder), named(folder))
        except DriveSilent:
            return None

    async def mend_left(self) -> None:
        """Mend what was left running, now and when its recorder has had time to end."""
        for wait_s in (0.0, MENDS_AGAIN_S):
            await asyncio.sleep(wait_s)
            await asyncio.gather(*(self._mend_in(folder) for folder in self.folders()))
        await self.kept.purge(MENDS_S)

    async def _mend_in(self, folder: Path) -> None:
        with suppress(DriveSilent):  # It is mended at the next start.
            what = named(folder)
            for sentence in await on_drive(lambda: mend_all(folder), what, MENDS_S):
                self._notices.news(sentence)
                self.kept.list_changed()

    # --- recording --------------------------------------------------------------------------------

    async def start(self) -> RecordingState:
        """Record from now on. Raises BadInput."""
        if self._recorded is not None:
            raise BadInput("It is recording already. Stop it first, or put a mark.")
        rig, first_frame = self._desk.rig, self._engine.frame_now
        tracks = chosen_tracks(rig)
        if not tracks:
            raise BadInput("There is nothing to record. Choose a track first.")
        if trouble := self.facts.preview_trouble:
            raise BadInput(trouble)
        free = await on_drive(lambda: _free_bytes(self.folder), named(self.folder))
        if free is not None and free < 2 * SAFE_REST_BYTES:
            raise BadInput(
                f"The disk of {self.folder} is full. Make room, or choose another folder."
            )
        if self._recorded is not None:
            raise BadInput("It is recording already. Stop it first, or put a mark.")
        self._marks = {}
        self._run += 1
        self._first_frame = first_frame
        self._restarts = 0
        self._auto = AutoMarks(self._put_auto_mark)
        self._recorded = self._begin(tracks, "", first_frame)
        self._set(RecordingState(stage="starting"))
        self._start()
        self._supervisor.once("remembering the folder", self._remember(self.folder))
        return self.state

    def be_ready(self, is_wanted: bool) -> None:
        """Whether a recorder is to wait, ready, since somebody may begin to record: a process takes seconds to start on a busy
        machine. The sound of what would be recorded is offered meanwhile, so that the memory holds it."""
        self._is_ready_wanted = is_wanted
        if self._recorded is not None:
            return
        if is_wanted and self._client is None:
            self._client = self._recorder()
            self._client.start()
        elif not is_wanted and self._client is not None:
            self._supervisor.once("ending what waits", self._client.give_up())
            self._client = None
        tracks = chosen_tracks(self._desk.rig) if is_wanted else []
        self._points.record([recorded_as(one.source) for one in tracks])

    def _start(self) -> None:
        """Have a recorder do what is wanted now: the one that waits, or another one."""
        assert self._recorded is not None
        if self._client is None:
            self._client = self._recorder()
            self._client.start()
        else:
            self._client.changed()
        self._supervisor.once("recording", self._until_finished(self._client))
        self._supervisor.once("starting to record", self._see_begun(self._client, self._recorded))

    async def _see_begun(self, client: RecorderClient, begun: Recorded) -> None:
        """A drive may say how much room it has, and yet take nothing: then it goes on in the program's own folder."""
        while True:
            await asyncio.sleep(STARTS_S)
            if self._client is not client or self.state.id or self.state.stage == "ending":
                return
            if await self._is_silent(Path(begun.folder)):
                break  # Else it is the computer that is slow.
        said = f"The folder {begun.folder} does not answer. Look at its drive."
        if begun.folder == begun.rescue_folder:
            self._notices.trouble(f"{said} Nothing is recorded as long as it does not.")
        else:
            self._notices.trouble(f"{said} It is recorded in {begun.rescue_folder} from now on.")
            self._client = None
            await client.give_up()
            if self._recorded is not None:
                self._recorded = replace(self._recorded, folder=begun.rescue_folder)
                self._start()

    async def _is_silent(self, folder: Path) -> bool:
        try:
            with suppress(OSError):  # That is an answer.
                await on_drive(lambda: _take_a_little(folder), named(folder), TAKES_S)
        except DriveSilent:
            return True
        return False

    def _recorder(self) -> RecorderClient:
        return RecorderClient(
            self._engine.memory.name,
            self._wanted,
            self._on_said,
            self._on_lost,
        )

    def _wanted(self, number: int) -> RecorderWanted:
        """The document that the recorder follows."""
        return RecorderWanted(number=number, recorded=self._recorded)

    async def _remember(self, folder: Path) -> None:
        self._past_folders = [folder, *(one for one in self._past_folders if one != folder)]
        try:
            await self._store.do(lambda db: recording_folders.remember_folder(db, str(folder)))
        except StoreUnusable as error:
            self._notices.trouble(str(error))

    def _begin(self, tracks: list[Track], continues: str, first_frame: int | None) -> Recorded:
        rig = self._engine.rig
        self._document = Recording(
            id=new_id(),
            title="",
            started_utc=datetime.now(UTC),
            file_format=rig.recording.format,
            tracks=with_files(tracks, rig.recording.format),
            rig=rig,
            continues=continues,
        )
        self._points.record([recorded_as(one.source) for one in tracks])
        return Recorded(
            document=self._document.model_dump_json().encode(),
            folder=str(self.folder),
            rescue_folder=str(self._own),
            pattern=rig.recording.pattern,
            rig_name=rig.name,
            first_frame=first_frame,
            marks=tuple(self._marks.values()),
        )

    def _want(self, **changes: Any) -> None:
        """Another document for the recorder, in a few fields."""
        if self._recorded is not None and self._client is not None:
            self._recorded = replace(self._recorded, **changes)
            self._client.changed()

    def _follow_plan(self, planned: Planned) -> None:
        """What is heard is to be another; the recorder is told before that happens."""
        rig = planned.rig
        if self._client and self._recorded:
            self._client.tell(
                messages.RigOfPlan(planned.number, rig.model_dump_json().encode() if rig else b"")
            )
            if rig and self._document:
                inputs = {
                    input_of(one.source): one.name.removesuffix(", as it came")
                    for one in self._document.tracks
                    if input_of(one.source)
                }
                for name in self._auto.look_at_rig(rig, inputs):
                    self._notices.news(f"{name} was removed: its tracks are silent from here on.")

    async def _until_finished(self, client: RecorderClient) -> None:
        await client.finished.wait()
        if self._client is client:
            self._client = self._recorded = None
            self._set(RecordingState())
            self.kept.list_changed()
            self.be_ready(self._is_ready_wanted)

    async def stop(self) -> RecordingState:
        """Record no more. Raises BadInput if nothing is recorded."""
        client = self._client
        if client is None or self._recorded is None:
            raise BadInput("Nothing is being recorded.")
        self._set(self.state.model_copy(update={"stage": "ending"}))
        client.is_ending = True
        self._want(end_frame=self._engine.frame_now)
        if not self.state.id:
            self._supervisor.once("ending what has not begun", self._see_ended(client))
        return self.state

    async def _see_ended(self, client: RecorderClient) -> None:
        await asyncio.sleep(STARTS_S)
        if self._client is client and not self.state.id:
            self._notices.trouble("Nothing was recorded: it had not begun when it was stopped.")
            await client.give_up()

    async def close(self) -> None:
        """The program ends: the recorder ends by itself, to the last frame, and is not waited for longer than a moment."""
        if self._client and self._recorded:
            self._client.is_ending = True
            self._want(end_frame=self._engine.frame_now)
            with suppress(TimeoutError):
                async with asyncio.timeout(ENDS_S):
                    await self._client.finished.wait()
        elif self._client:
            await self._client.give_up()

    async def mark(self, name: str = "") -> Mark:
        """A mark at this moment. Raises BadInput if nothing is recorded."""
        if self._recorded is None:
            raise BadInput("Nothing is being recorded, so there is nothing to mark.")
        wanted = self._put(WantedMark(self._next_number(), self._engine.frame_now, name))
        return self._shown_mark(wanted)

    def name_mark(self, number: int, name: str | None) -> None:
        """Another name for a mark; None takes it away. Raises NotFound."""
        mark = self._marks.get(number)
        if self._recorded is None or mark is None:
            raise NotFound("That mark is not there any more.")
        if name is None:
            del self._marks[number]
            self._follow_marks()
        else:
            self._put(replace(mark, name=name))

    def _put_auto_mark(self, name: str, ago_s: float) -> None:
        if self._recorded is not None:
            frame = self._engine.frame_now - round(ago_s * SAMPLE_RATE_HZ)
            self._put(WantedMark(self._next_number(), frame, name, "goshawk"))

    def number_marks_from(self, number: int) -> None:
        """Marks get higher numbers than this: a broadcast that is gone on with has some already."""
        self._mark_count = max(self._mark_count, number)

    def _next_number(self) -> int:
        """Numbers of marks are never given twice: a broadcast may have several recordings."""
        self._mark_count += 1
        return self._mark_count

    def _put(self, mark: WantedMark) -> WantedMark:
        self._marks[mark.id] = mark
        self._follow_marks()
        return mark

    def _follow_marks(self) -> None:
        self._want(marks=tuple(self._marks.values()))
        mine = tuple(one for one in self._marks.values() if one.by == "you")
        self._bus.publish(MarksChanged(self._run, mine))
        self._show_marks()

    def _shown_mark(self, mark: WantedMark) -> Mark:
        """A mark as the part shows it that is being written."""
        by = "goshawk" if mark.by == "goshawk" else "you"
        return Mark(id=mark.id, frame=max(0, mark.frame - self._first_frame), name=mark.name, by=by)

    def _show_marks(self) -> None:
        self._set(self.state.model_copy(update={"marks": self._shown_marks()}))

    def _shown_marks(self) -> list[Mark]:
        """Those of the part that is being written."""
        continued = bool(self._document and self._document.continues)
        there = [
            one for one in self._marks.values() if not continued or one.frame >= self._first_frame
        ]
        return [self._shown_mark(one) for one in sorted(there, key=lambda one: one.frame)]

    # --- what the recorder says -------------------------------------------------------------------

    def _on_said(self, said: messages.FromRecorder) -> None:
        match said:
            case messages.Status():
                self._follow_status(said)
            case messages.Told(text, level):
                self._bus.publish(Notified(text, level))
            case messages.Finished(recording_id, folder, text):
                if text:
                    self._notices.trouble(text)
                if recording_id:
                    self._supervisor.once(
                        "measuring the recording", self._measure(recording_id, folder)
                    )

    def _follow_status(self, said: messages.Status) -> None:
        document = self._document
        if document is None:
            return
        seconds = said.frames / SAMPLE_RATE_HZ
        is_ending = self.state.stage == "ending"
        tracks = [
            TrackStatus(
                source=track.source,
                name=track.name,
                role=track.role,
                peak_dbfs=round(linear_to_db(said.peaks[n]), 1),
                highest_dbfs=round(linear_to_db(said.highest[n]), 1),
                clipped=said.clipped[n],
            )
            for n, track in enumerate(document.tracks)
        ]
        is_first = said.id != self.state.id
        self._first_frame = said.first_frame
        self._set(
            RecordingState(
                stage="ending" if is_ending else "running",
                id=said.id,
                title=said.title,
                folder=said.folder,
                seconds=round(seconds, 2),
                size_bytes=said.size_bytes,
                left_s=round(said.left_s),
                tracks=tracks,
                first_frame=said.first_frame,
                marks=self._shown_marks(),
                lost_s=round(said.lost_frames / SAMPLE_RATE_HZ, 2),
                is_late=said.is_late,
            )
        )
        self._auto.look_at_tracks(said, [one.name for one in document.tracks], seconds)
        if is_first:
            self.kept.list_changed()

    def _mark_what_happens(self) -> None:
        """Once a second: what the figures say goes into the marks."""
        levels = self._figures.levels if self.state.stage == "running" else None
        if levels is None:
            return
        rig = self._desk.rig
        self._auto.look_at_levels(levels, rig, self.state.seconds)

    # --- what is kept -----------------------------------------------------------------------------

    def refuse_running(self, recording_id: str) -> None:
        """Raises BadInput for the recording that is still under way."""
        if self._recorded is not None and recording_id == self.state.id:
            raise BadInput("That is still being recorded. Stop it first.")

    async def heard_piece(
        self, recording_id: str, way: str, source: str, from_s: float, seconds: float
    ) -> Path:
        """A piece as a WAV file, which goes when a few others were asked for. Raises GoshawkError."""
        folder = await self.kept.at(recording_id, lambda shelf: shelf.find(recording_id))
        first, frames = round(from_s * SAMPLE_RATE_HZ), round(seconds * SAMPLE_RATE_HZ)
        return await self.heard_again.piece(
            lambda target: requests.HearRecording(str(folder), way, source, first, frames, target)
        )

    async def use(
        self, recording_id: str, what: str, kind: str | None, from_s: float, to_s: float
    ) -> None:
        """A piece as a take, a loop or the replay. Raises GoshawkError."""
        folder, document = await self.kept.load(recording_id)
        first, end = span_of(document, from_s, to_s)
        if what == "loop":
            await self._observer.ask(requests.LoopRecording(str(folder), first, end))
        elif what == "replay":
            await self._observer.ask(requests.ReplayRecording(str(folder), first, end))
        elif kind is None:
            raise BadInput("Say for which take of the sound check the piece is meant.")
        else:
            await self._use_as_take(folder, document, kind, first, end)

    async def _use_as_take(
        self, folder: Path, document: Recording, kind: str, first: int, end: int
    ) -> None:
        if end - first > LONGEST_TAKE_S * SAMPLE_RATE_HZ:
            raise BadInput(f"A take has {LONGEST_TAKE_S} s at most. Choose a shorter piece.")
        track = document.track(came(document.rig.chained))
        if track is None:
            raise BadInput("The voice as it came was not recorded here. Choose another recording.")
        path = self._work.fresh() / "take.wav"
        try:
            await on_drive(lambda: _cut_take(folder, track, first, end, path), named(folder.parent))
            name = f"{folder.name}, {first / SAMPLE_RATE_HZ:.0f} s"
            await self._observer.ask(requests.GiveTake(kind, str(path), name))
        finally:
            await asyncio.to_thread(shutil.rmtree, path.parent, True)

    async def _on_lost(self) -> bool:
        """The recorder was killed, or hung: what is there is mended, and another one goes on in another folder, where this one ended on
        the timeline."""
        before = self._document
        if self._recorded is None:
            return True  # It only waited.
        broken = Path(self.state.folder) if self.state.folder else None
        said, first_frame = "", self._recorded.first_frame
        if broken:
            try:
                mended = await on_drive(lambda: mend(broken), named(broken.parent))
                said = mended.said if mended else ""
                if mended and mended.state == "mended":
                    first_frame = self._first_frame + mended.frames
            except (GoshawkError, OSError) as error:
                said, first_frame = str(error), self._engine.frame_now
        self._restarts += 1
        if self._restarts > MOST_RESTARTS or before is None or self._recorded is None:
            self._notices.trouble(f"The recording broke off, and could not be begun again. {said}")
            return False
        self._notices.trouble(f"The recording broke off and goes on in another folder. {said}")
        ends = self._recorded.end_frame
        self._recorded = replace(
            self._begin(list(before.tracks), self.state.id, first_frame), end_frame=ends
        )
        self._first_frame = first_frame or 0
        self._show_marks()
        self.kept.list_changed()
        return True

    async def _measure(self, recording_id: str, folder: str) -> None:
        try:
            packed = await self._observer.ask(requests.MeasureRecording(folder))
            found = Figures.model_validate_json(packed)
            await self.kept.at(
                recording_id, lambda shelf: shelf.change(recording_id, figures=found)
            )
        except (GoshawkError, OSError) as error:
            self._notices.trouble(f"The figures of the recording could not be made. {error}")
        self.kept.list_changed()

    def _set(self, state: RecordingState) -> None:
        self.state = state
        self._bus.publish(RecordingShown(state))


def _cut_take(folder: Path, track: Track, first: int, end: int, path: Path) -> None:
    file = TrackFile(path, track.channels, "wav")
    file.write(read_piece(folder, track, first, end - first))
    file.close()


def _free_bytes(folder: Path) -> int | None:
    """What the disk has of which a folder is, or would be, a part; None if that cannot be told."""
    try:
        return shutil.disk_usage(_there(folder)).free
    except OSError:
        return None


def _take_a_little(folder: Path) -> None:
    with tempfile.TemporaryFile(dir=_there(folder)):
        pass


def _there(folder: Path) -> Path:
    """The folder, or the nearest one around it that is there. Raises OSError."""
    for place in (folder, *folder.parents):
        if place.is_dir():
            return place
    raise FileNotFoundError(str(folder))
