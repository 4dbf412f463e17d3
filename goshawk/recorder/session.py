"""One recording under way, without the process around it: what is heard is given to the writing, plans and marks are placed
in time, and how it goes is said."""

import logging
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

from goshawk.core.recording.document import (
    LONGEST_MARK_NAME,
    Mark,
    Recording,
    changes_between,
)
from goshawk.core.rig import Rig
from goshawk.recorder import messages
from goshawk.recorder.listening import Listening
from goshawk.recorder.part import MakeFile
from goshawk.recorder.wanted import Recorded, WantedMark
from goshawk.recorder.writing import Writing
from goshawk.store.recordings.track_file import TrackFile
from goshawk.timeline.memory import Memory
from goshawk.units import SAMPLE_RATE_HZ

log = logging.getLogger(__name__)

Say = Callable[[messages.FromRecorder], None]

TURNS_WITHOUT_SOUND = 30
"""After so many turns without a new frame, an end that is waited for is taken as come: the audio process is gone."""

MOST_PLANS = 4096
PIECES_AT_ONCE = 8


class Session:
    """Begins when all tracks are there. ``say`` takes messages for the web process, and may be called from a thread."""

    def __init__(
        self,
        memory: Memory,
        recorded: Recorded,
        say: Say,
        make: MakeFile = TrackFile,
        *,
        waits: bool = False,
    ) -> None:
        self._document = Recording.model_validate_json(recorded.document)
        self._recorded, self._say, self._make, self._waits = recorded, say, make, waits
        self.listening = Listening(memory, self._document.tracks, recorded.first_frame)
        self.writing: Writing | None = None
        self._rig = self._document.rig
        self._rigs: dict[int, Rig] = {}
        self._told = 0
        self._taken: list[tuple[int, int]] = []
        self._marks: dict[int, WantedMark] = {}
        """Those that are written down, or on their way."""
        self._turns_without = 0
        self._last_now = self.listening.now
        self.is_ending = False

    # --- what is said to it -----------------------------------------------------------------------

    def heard(self, message: messages.RigOfPlan) -> None:
        """The rig of a plan, if it is another than before; that it is heard, the shared memory says."""
        self._told = max(self._told, message.plan)
        if message.rig and len(self._rigs) < MOST_PLANS:
            self._rigs[message.plan] = Rig.model_validate_json(message.rig)

    def follow(self, recorded: Recorded) -> None:
        """Another document of what is wanted of this recording: its marks, and where it ends."""
        self._recorded = recorded
        self._follow_marks()
        if recorded.end_frame is not None and not self.is_ending:
            self.is_ending = True
            start = self.listening.start
            self.listening.end_at(0 if start is None else max(0, recorded.end_frame - start))

    def _follow_marks(self) -> None:
        if self.writing is None:
            return
        first = self._recorded.first_frame if self._document.continues else None
        wanted = {
            one.id: one for one in self._recorded.marks if first is None or one.frame >= first
        }
        start = self.listening.start or 0
        for number in self._marks.keys() - wanted.keys():
            self.writing.note(number)
        for number, one in wanted.items():
            if self._marks.get(number) != one:
                by = "goshawk" if one.by == "goshawk" else "you"
                name = one.name[:LONGEST_MARK_NAME]
                frame = max(0, one.frame - start)
                self.writing.note(Mark(id=number, frame=frame, name=name, by=by))
        self._marks = wanted

    def end(self) -> None:
        """Nothing from this moment on."""
        self.is_ending = True
        self.listening.end_now()

    # --- turns ------------------------------------------------------------------------------------

    @property
    def is_at_end(self) -> bool:
        """Whether all that was wanted is given to the writing, or nothing can be written."""
        if self.writing and (self.writing.is_lost or self.writing.is_full):
            return True
        return self.listening.is_at_end or (self.is_ending and self.listening.start is None)

    def turn(self) -> bool:
        """Take what is there; whether it was much."""
        self._taken += self.listening.plans()
        count = 0
        for _ in range(PIECES_AT_ONCE):
            piece = self.listening.hear()
            if piece is None:
                break
            self._writing().give(piece)
            count += 1
        if self.listening.start is not None:
            self._note_plans()
        if self.is_ending and count == 0:
            self._give_rest()
        return count == PIECES_AT_ONCE

    def _writing(self) -> Writing:
        if self.writing is None:
            assert self.listening.start is not None
            ago_s = (self.listening.now - self.listening.start) / SAMPLE_RATE_HZ
            begins = datetime.now(UTC) - timedelta(seconds=ago_s)
            self._rig = self._rig_at_start()
            self._document = self._document.model_copy(
                update={"started_utc": begins, "rig": self._rig}
            )
            if self._recorded.frames:
                self.listening.end_at(self._recorded.frames)
            self.writing = Writing(
                self._document,
                Path(self._recorded.folder),
                Path(self._recorded.rescue_folder),
                self._recorded.pattern,
                lambda text, level: self._say(messages.Told(text, level)),
                self._make,
                waits=self._waits,
            )
            self.writing.start()
            self._follow_marks()
        return self.writing

    def _rig_at_start(self) -> Rig:
        start = self.listening.start or 0
        taken = [number for number, frame in self._taken if frame <= start]
        self._taken = [one for one in self._taken if one[1] > start]
        told = [one for one in self._rigs if taken and one <= max(taken)]
        rig = self._rigs[max(told)] if told else self._rig
        for one in told:
            del self._rigs[one]
        return rig

    def _note_plans(self) -> None:
        """Write down the rigs that are heard by now: each is told before its plan can be heard, unless it is the same."""
        assert self.listening.start is not None
        while self._taken:
            number, frame = self._taken[0]
            told = [one for one in self._rigs if one <= number]
            if not told and self._told < number:
                break  # What it changes is still on its way.
            self._taken.pop(0)
            if told:
                rig = self._rigs[max(told)]
                for one in told:
                    del self._rigs[one]
                change = changes_between(self._rig, rig, max(0, frame - self.listening.start))
                self._rig = rig
                if change and self.writing:
                    self.writing.note(change)

    def _give_rest(self) -> None:
        now = self.listening.now
        self._turns_without = 0 if now != self._last_now else self._turns_without + 1
        self._last_now = now
        if self._turns_without >= TURNS_WITHOUT_SOUND:
            piece = self.listening.rest()
            if piece:
                self._writing().give(piece)

    def status(self) -> messages.Status | None:
        """How it goes; None before it has begun."""
        writing = self.writing
        part = writing.part if writing else None
        if writing is None or part is None:
            return None
        return messages.Status(
            id=part.document.id,
            title=part.document.title,
            folder=str(part.path),
            first_frame=(self.listening.start or 0) + part.start,
            frames=max(0, self.listening.written - part.start),
            size_bytes=writing.past_bytes + part.size_bytes,
            left_s=writing.left_s,
            peaks=writing.take_peaks(),
            highest=[round(one, 5) for one in writing.highest.tolist()],
            lost_frames=writing.lost_frames,
            clipped=writing.clipped.tolist(),
            is_late=writing.is_late,
        )

    def close(self) -> messages.Finished:
        """Write all that is left, and say what became of it."""
        writing = self.writing
        if writing is None:
            return messages.Finished(
                "", "", "Nothing was recorded: the audio process does not run."
            )
        writing.end()
        part = writing.part
        if part is None:
            return messages.Finished("", "", "Nothing could be recorded.")
        return messages.Finished(part.document.id, str(part.path), part.document.said)
