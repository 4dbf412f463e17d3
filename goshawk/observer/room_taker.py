"""Learns a room for a suppressor ("stay quiet") from the sound ahead of it."""

from collections.abc import Callable

from goshawk.core.dsp.suppressor import LearnedRoom
from goshawk.core.measure.room import RoomLearner
from goshawk.core.routing import Performance
from goshawk.core.stage import Block
from goshawk.observer.wanted import Learning
from goshawk.page_messages.chain import RoomTakeState
from goshawk.timeline.seams import Seams

QUIET_AFTER_S = 1.0
"""Whoever presses the key needs so long to be quiet: the word's end, the hand, the way to the stand-in."""


class RoomTaker:
    """One room at a time. ``finished`` gets what was to be learned, and the room or why there is none; ``tell`` is called when a
    take begins or ends."""

    def __init__(
        self,
        finished: Callable[[Learning, LearnedRoom | None, str], None],
        tell: Callable[[], None],
    ) -> None:
        self._finished, self._tell = finished, tell
        self._seams = Seams()
        self._learning: Learning | None = None
        self._is_finished = False
        self._begin_anew()

    @property
    def stage_id(self) -> str:
        """The suppressor for which a room is being learned; "" if none is."""
        return self._learning.stage_id if self._learning and not self._is_finished else ""

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

    def follow(self, learning: Learning | None) -> None:
        """Learn for a suppressor, go on with it, or break it off (None)."""
        if learning == self._learning:
            return
        self._learning, self._is_finished = learning, False
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
        assert self._learning
        self._is_finished = True
        self._begin_anew()
        self._tell()
        self._finished(self._learning, take.room, take.refusal)

    def _begin_anew(self) -> None:
        self._learner, self.progress = RoomLearner(settle_s=QUIET_AFTER_S), 0.0
