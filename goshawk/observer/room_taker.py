"""Learns a room for a suppressor ("stay quiet") from the sound ahead of it."""

from collections.abc import Callable

from goshawk.core.dsp.suppressor import LearnedRoom
from goshawk.core.measure.room import RoomLearner
from goshawk.core.routing import Performance
from goshawk.core.stage import Block
from goshawk.page_messages.chain import RoomTakeState
from goshawk.timeline.seams import Seams

QUIET_AFTER_S = 1.0
"""Whoever presses the key needs so long to be quiet: the word's end, the hand, the way to the stand-in."""


class RoomTaker:
    """One room at a time. ``learned`` gets the suppressor's id and its room, ``refused`` a sentence, ``tell`` is called
    when a take begins or ends."""

    def __init__(
        self,
        learned: Callable[[str, LearnedRoom], None],
        refused: Callable[[str], None],
        tell: Callable[[], None],
    ) -> None:
        self._learned, self._refused, self._tell = learned, refused, tell
        self._seams = Seams()
        self.stage_id = ""
        self._begin_anew()

    @property
    def performance(self) -> Performance | None:
        """What the stand-in does meanwhile: as a user does, who is told to stay quiet."""
        return "silent" if self.stage_id else None

    @property
    def state(self) -> RoomTakeState | None:
        """How far it is; None if no room is being learned."""
        if not self.stage_id:
            return None
        return RoomTakeState(stage_id=self.stage_id, progress=round(self.progress, 2))

    def start(self, stage_id: str) -> None:
        """Learn for a suppressor, or break it off ("")."""
        self.stage_id = stage_id
        self._begin_anew()
        self._seams.begin_anew()
        self._tell()

    def push(self, frame: int, sound: Block) -> None:
        """The sound ahead of the suppressor, shape (frames, 2). A room with a hole in it is not this room."""
        if not self._seams.goes_on(frame, len(sound)):
            self._begin_anew()
        take = self._learner.push(sound.mean(axis=1))
        self.progress = take.progress
        if take.progress < 1.0:
            return
        stage_id = self.stage_id
        self.start("")
        if take.room is None:
            self._refused(take.refusal)
        else:
            self._learned(stage_id, take.room)

    def _begin_anew(self) -> None:
        self._learner, self.progress = RoomLearner(settle_s=QUIET_AFTER_S), 0.0
