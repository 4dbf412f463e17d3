"""The sound check as it stands: its takes, the one that is being recorded, and what was computed from them."""

import asyncio
import multiprocessing
import secrets
import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
import soundfile

from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.measure.take import (
    VOICES,
    Activity,
    TakeFigures,
    TakeKind,
    activity_of,
    hops_of,
    measure_take,
    mono_of,
)
from goshawk.core.routing import Performance
from goshawk.core.rules.sound_check.advice import Wish
from goshawk.core.rules.sound_check.since import changes_since
from goshawk.core.rules.sound_check.verdicts import TAKE_NAMES, judged
from goshawk.core.sound_check import Activities, Outcome
from goshawk.core.stage import Block
from goshawk.devices.take_file import read_take_file
from goshawk.errors import BadInput, BadSoundFile, GoshawkError, NotFound
from goshawk.observer.check_process import work, write_take
from goshawk.page_messages.sound_check import (
    CheckProgress,
    SoundCheckState,
    TakeProgress,
    TakeState,
)
from goshawk.store.sound_checks import KeptCheck, StoredTake
from goshawk.supervisor import Supervisor
from goshawk.timeline.seams import Seams
from goshawk.units import SAMPLE_RATE_HZ, SILENCE_DBFS

T = TypeVar("T")
COUNT_IN_S = 3.0
COUNT_IN_FRAMES = round(COUNT_IN_S * SAMPLE_RATE_HZ)
TAKE_S: dict[TakeKind, float] = {
    "room": 8.0,
    "low": 10.0,
    "usual": 10.0,
    "big": 10.0,
    "keys": 8.0,
}
PERFORMED: dict[TakeKind, Performance] = {
    "room": "silent",
    "low": "murmur",
    "usual": "talk",
    "big": "laugh",
    "keys": "type",
}
"""What the stand-in's storyteller is asked for while a take is made."""

NEEDED: tuple[TakeKind, ...] = ("room", *VOICES)
MOST_BEGINNINGS = 3
"""After a hole a take begins again by itself; a computer that loses more than this has no time for takes."""

LONGEST_NOTHING_S = 2.0
"""A microphone that gives no noise at all for longer was unplugged; a busy browser misses some tenths."""


class SoundCheck:
    """Records takes, keeps them, and has the check computed. ``keep``, ``forget`` and ``keep_check`` write to the
    store; ``tell`` shows the state in all windows; ``perform`` is called when a take begins or ends;
    ``for_rig`` gives a wish the targets of the rig."""

    def __init__(
        self,
        folder: Path,
        work_folder: Callable[[str], Path],
        takes: dict[TakeKind, StoredTake],
        kept: KeptCheck | None,
        keep: Callable[[StoredTake], Awaitable[None]],
        forget: Callable[[TakeKind], Awaitable[None]],
        tell: Callable[[], None],
        perform: Callable[[], None],
        for_rig: Callable[[Wish], Wish],
        supervisor: Supervisor,
    ) -> None:
        self._folder, self._work_folder = folder, work_folder
        self._supervisor = supervisor
        self._takes = {kind: one for kind, one in takes.items() if (folder / one.file).is_file()}
        self._activities: Activities = {}
        """Of those that were made while this process runs."""

        self.kept = kept
        self._keep, self._forget, self._tell, self._perform = keep, forget, tell, perform
        self._for_rig = for_rig
        self._recording: TakeKind | None = None
        self._round: list[TakeKind] = []
        self._pieces: list[Block] = []
        self._counted = 0
        """Frames of the count-in that have passed; those of the take are in ``_pieces``."""

        self._beginnings = 0
        self._refusals: dict[TakeKind, str] = {}
        self._measuring: TakeKind | None = None
        self._progress: CheckProgress | None = None
        self._failure = ""
        self.outcome: Outcome | None = None
        self._wish = Wish()
        self._is_accepted = False
        self._serial = 0
        self._seams = Seams()
        self._process: Any = None

    # --- state -----------------------------------------------------------------------------------

    @property
    def state(self) -> SoundCheckState:
        """What every window shows."""
        outcome = self.outcome
        return SoundCheckState(
            takes={
                kind: TakeState(
                    taken_at=one.taken_at, doubt=one.doubt, figures=one.figures, serial=one.file
                )
                for kind, one in self._takes.items()
            },
            refusals=dict(self._refusals),
            recording=self._recording,
            measuring=self._measuring,
            run=self._progress,
            failure=self._failure,
            wish=self._wish,
            outcome=outcome and outcome.model_copy(update={"chain": ()}),
            is_accepted=self._is_accepted,
            heard=self._serial,
            kept_at=self.kept.kept_at if self.kept else None,
            changes=changes_since(self.kept.figures, self.figures) if self.kept else [],
        )

    @property
    def figures(self) -> dict[TakeKind, TakeFigures]:
        """Of every take."""
        return {kind: one.figures for kind, one in self._takes.items()}

    @property
    def performance(self) -> Performance | None:
        """What the stand-in does for the take that is being made."""
        return PERFORMED[self._recording] if self._recording else None

    @property
    def progress(self) -> TakeProgress | None:
        """How far the take is that is being made."""
        if self._recording is None:
            return None
        return TakeProgress(
            kind=self._recording,
            begins_in_s=round((COUNT_IN_FRAMES - self._counted) / SAMPLE_RATE_HZ, 1),
            elapsed_s=round(self._taken_frames / SAMPLE_RATE_HZ, 1),
            wanted_s=TAKE_S[self._recording],
            beginnings=self._beginnings,
        )

    @property
    def _taken_frames(self) -> int:
        return sum(map(len, self._pieces))

    # --- takes -----------------------------------------------------------------------------------

    def start(self, kind: TakeKind) -> None:
        """Count in, then record a take. One that is being made is broken off."""
        self._pieces, self._counted, self._beginnings = [], 0, 0
        self._seams.begin_anew()
        self._recording = kind
        self._refusals.pop(kind, None)
        self._perform()
        self._tell()

    def start_round(self) -> None:
        """All that are needed, one after the other, until one will not do."""
        self._round = list(NEEDED[1:])
        self.start(NEEDED[0])

    def cancel(self) -> None:
        """Break off; what was kept stays."""
        self._round = []
        if self._recording:
            self._recording = None
            self._pieces = []
            self._perform()
            self._tell()

    def push(self, frame: int, piece: Block) -> None:
        """The voice's channels as they come, shape (frames, channels); ``frame`` is the first one's number. A take has no
        hole: behind one it begins again, without a count-in, MOST_BEGINNINGS times."""
        kind = self._recording
        if kind is None:
            return
        has_hole = not self._seams.goes_on(frame, len(piece))
        counted = min(len(piece), COUNT_IN_FRAMES - self._counted)
        self._counted += counted
        if has_hole and self._pieces:
            self._pieces = []
            self._beginnings += 1
            if self._beginnings > MOST_BEGINNINGS:
                self._refusals[kind] = (
                    "Pieces of the sound are lost again and again, as happens on a busy computer. Close what "
                    "keeps it busy, and take this again."
                )
                self.cancel()
                return
        if counted < len(piece):
            self._pieces.append(piece[counted:])
        if self._taken_frames < TAKE_S[kind] * SAMPLE_RATE_HZ:
            return
        whole = np.concatenate(self._pieces)
        self._recording, self._pieces = None, []
        self._perform()
        sound = mono_of(np.ascontiguousarray(whole, np.float32))
        self._supervisor.once("judging a take", self._judge_live(kind, sound))
        self._tell()

    async def give(self, kind: TakeKind, path: Path, name: str) -> None:
        """A file as a take. Raises BadSoundFile, or BadInput if it will not do."""

        def read() -> Block:
            return read_take_file(path, name)[0]

        sound = await asyncio.get_running_loop().run_in_executor(None, read)
        await self._judge(kind, sound, is_live=False)
        refusal = self._refusals.get(kind)
        if refusal:
            raise BadSoundFile(f"{name}: {refusal}")

    async def remove(self, kind: TakeKind) -> None:
        """Forget a take. Raises NotFound."""
        if kind not in self._takes:
            raise NotFound("That take is not there any more.")
        await self._forget(kind)
        gone = self._takes.pop(kind, None)
        self._activities.pop(kind, None)
        if gone is None:
            return
        self._spoil()
        if not self._takes:
            self._wish = Wish()  # what was adjusted was for those takes
        (self._folder / gone.file).unlink(missing_ok=True)
        self._tell()

    async def _judge_live(self, kind: TakeKind, sound: Block) -> None:
        try:
            await self._judge(kind, sound, is_live=True)
        except GoshawkError as error:
            self._refusals[kind] = str(error)
            self._round = []
            self._tell()
        if self._round and self._recording is None:
            self.start(self._round.pop(0))

    async def _judge(self, kind: TakeKind, sound: Block, *, is_live: bool) -> None:
        self._measuring = kind
        self._tell()
        others = {other: one.figures for other, one in self._takes.items() if other != kind}
        token = f"{kind}-{secrets.token_hex(6)}.wav"

        def measure() -> tuple[TakeFigures, Activity, str, str]:
            activity = activity_of(sound)
            figures = measure_take(kind, sound, activity)
            verdict = judged(figures, others)
            nothing_s = longest_nothing_s(sound)
            if is_live and not verdict.refusal and nothing_s > LONGEST_NOTHING_S:
                return (
                    figures,
                    activity,
                    (
                        f"The microphone gave nothing at all for {nothing_s:.1f} s, as if unplugged. Plug it in, and "
                        "take this again."
                    ),
                    "",
                )
            if not verdict.refusal:
                write_take(self._folder / token, sound)
            return figures, activity, verdict.refusal, verdict.doubt

        try:
            loop = asyncio.get_running_loop()
            figures, activity, refusal, doubt = await loop.run_in_executor(None, measure)
            before = self._takes.get(kind)
            if refusal:
                self._refusals[kind] = refusal
                self._round = []
                return
            if doubt and before and not before.doubt:
                self._round = []
                # What was accepted is not lost to something worse.
                self._refusals[kind] = f"{doubt} The {TAKE_NAMES[kind]} from before is kept."
                (self._folder / token).unlink(missing_ok=True)
                return
            take = StoredTake(
                kind=kind, file=token, figures=figures, doubt=doubt, taken_at=time.time()
            )
            try:
                await self._keep(take)
            except GoshawkError:
                (self._folder / token).unlink(missing_ok=True)
                raise
            self._refusals.pop(kind, None)
            self._takes[kind], self._activities[kind] = take, activity
            self._spoil()
            if all(one in self._takes for one in NEEDED) and not self._round:
                self.run(self._wish)
            if before:
                (self._folder / before.file).unlink(missing_ok=True)
        except (OSError, soundfile.LibsndfileError) as error:
            (self._folder / token).unlink(missing_ok=True)
            self._round = []
            why = getattr(error, "strerror", None) or "the disk does not take it"
            self._refusals[kind] = (
                f"The take could not be kept ({why}). Make room on the disk and take it again."
            )
        finally:
            self._measuring = None
            self._tell()

    def _spoil(self) -> None:
        """The takes are others now: what was computed is not of them."""
        self.stop_run()
        self.outcome, self._is_accepted, self._failure = None, False, ""

    # --- computing -------------------------------------------------------------------------------

    def run(self, wish: Wish) -> None:
        """Compute the check for the rig's own targets; one that is being computed is given up. Raises BadInput if a take is missing."""
        for kind in NEEDED:
            if kind not in self._takes:
                raise BadInput(f"The {TAKE_NAMES[kind]} is missing. Take it first.")
        self.stop_run()
        wish = self._for_rig(wish)
        self._wish, self._failure = wish, ""
        self._progress = CheckProgress(text="Starting", share=0.0)
        self._supervisor.once("the sound check's computation", self._run(wish))
        self._tell()

    def stop_run(self) -> None:
        """Give up what is being computed; the last outcome stays."""
        if self._process is not None:
            if self._process.pid is not None:  # One that only starts is ended when it has.
                self._process.terminate()
            self._process = None
        if self._progress:
            self._progress = None
            self._tell()

    async def _run(self, wish: Wish) -> None:
        context = multiprocessing.get_context("spawn")
        ours, theirs = context.Pipe(duplex=False)
        heard = self._work_folder("check")
        paths = {kind: self._folder / one.file for kind, one in self._takes.items()}
        serial = self._serial + 1
        process = context.Process(
            target=work,
            args=(theirs, paths, dict(self._activities), wish, heard, serial),
            daemon=True,
        )
        self._process = process
        loop = asyncio.get_running_loop()
        await loop.run_in_executor(None, process.start)
        theirs.close()
        if process is not self._process:
            process.terminate()
        try:
            while True:
                said = await loop.run_in_executor(None, ours.recv)
                if process is not self._process:
                    return
                match said:
                    case ("progress", text, share):
                        self._progress = CheckProgress(text=text, share=share)
                    case ("done", outcome):
                        self._forget_heard(serial)
                        self.outcome, self._serial, self._is_accepted = outcome, serial, False
                        self._progress = self._process = None
                    case ("failed", sentence):
                        self._failure = sentence
                        self._progress = self._process = None
                self._tell()
                if self._process is None:
                    return
        except EOFError:
            if process is self._process:
                self._failure = "The computation broke off. Start it again."
                self._progress = self._process = None
                self._tell()
        finally:
            ours.close()
            await loop.run_in_executor(None, process.join)

    def _forget_heard(self, but: int) -> None:
        for path in self._work_folder("check").glob("*.wav"):
            if not path.name.startswith(f"{but}-"):
                path.unlink()

    def accepted(self, kept: KeptCheck) -> None:
        """The chain was taken from the outcome; ``kept`` is what it was computed from."""
        self._is_accepted = True
        self.kept = kept
        self._tell()


def longest_nothing_s(sound: Block) -> float:
    """The longest run of digital silence."""
    is_nothing = hops_of(sound)[1] <= SILENCE_DBFS + 0.1
    edges = np.flatnonzero(np.diff(np.concatenate([[0], is_nothing.astype(np.int8), [0]])))
    runs = edges[1::2] - edges[::2]
    return float(runs.max(initial=0)) * HOP_FRAMES / SAMPLE_RATE_HZ
