"""Messages of Balance: levels, targets, holds, what would help, the replay."""

from typing import Literal

from pydantic import Field

from goshawk.core.masking.index import Sight
from goshawk.core.masking.what_helps import Improvement
from goshawk.core.mix import MixFigures
from goshawk.core.observed.balance_meter import BalanceSecond, InputWindow, Whole
from goshawk.core.observed.row_keeper import KEPT_S
from goshawk.core.rendering import SHORTEST_LOOP_S
from goshawk.page_messages.base import FromPageModel, FromServerModel


class WatchBalance(FromPageModel):
    """Whether this page shows the balance: only then is it tried what would help. Ends by itself with the page."""

    type: Literal["watch_balance"]
    is_on: bool


class BringToTarget(FromPageModel):
    """Set the trim of one input, or of all (""), so that it stands at its target; undo takes it back."""

    type: Literal["bring_to_target"]
    input_id: str = Field("", max_length=40)


class SuggestDucker(FromPageModel):
    """Set an input's ducker from what was measured, and switch it on; undo takes it back."""

    type: Literal["suggest_ducker"]
    input_id: str = Field(max_length=40)


class ChooseTargets(FromPageModel):
    """Take the clearances of a set of targets."""

    type: Literal["choose_targets"]
    set_id: str = Field(max_length=40)


class CountAnew(FromPageModel):
    """Begin the loudness of the whole anew."""

    type: Literal["count_anew"]


class ReplayLast(FromPageModel):
    """Replay the last seconds of all inputs in place of the devices, to you alone, as viewers would hear them."""

    type: Literal["replay_last"]
    seconds: float = Field(ge=SHORTEST_LOOP_S, le=KEPT_S)


class ReplayStop(FromPageModel):
    """The devices again."""

    type: Literal["replay_stop"]


ReplayHeard = Literal["now", "before"]


class ReplayHear(FromPageModel):
    """The replay under the balance of now, or of when it was begun, equally loud."""

    type: Literal["replay_hear"]
    heard: ReplayHeard


class BalanceLevels(FromServerModel):
    """How the inputs stand in the Viewers feed over 3, 10 and 30 s, the whole, and what holds add to
    the trims."""

    windows: dict[int, dict[str, InputWindow]] = Field(default_factory=dict)
    whole: Whole | None = None
    held_db: dict[str, float] = Field(default_factory=dict)


class IndexPoint(FromServerModel):
    """The intelligibility index at a second of the history."""

    number: int
    sii: float


class ReplayState(FromServerModel):
    """Recorded inputs that are replayed, and the balance of before and of now on them, in figures."""

    is_on: bool = False
    heard: ReplayHeard = "now"
    duration_s: float = 0.0
    is_measuring: bool = False
    before: MixFigures | None = None
    now: MixFigures | None = None


class BalanceState(FromServerModel):
    """Whether the words are followed over the last 3 and 10 s, what would help (None while it is not tried) and on how many
    seconds that was tried, the last ten minutes by seconds, and the replay."""

    type: Literal["balance"] = "balance"
    sights: dict[int, Sight]
    improvements: list[Improvement] | None
    tried_s: int
    seconds: list[BalanceSecond]
    indices: list[IndexPoint]
    replay: ReplayState
