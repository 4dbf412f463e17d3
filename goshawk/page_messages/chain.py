"""Messages of Chain: stages, the room, the loop, and what is shown of a stage."""

from typing import Literal

from pydantic import Field

from goshawk.core.chain_slots import StageName
from goshawk.core.graph.comparison import Heard
from goshawk.core.rendering import LONGEST_LOOP_S, SHORTEST_LOOP_S
from goshawk.page_messages.base import FromPageModel, FromServerModel


class AddStage(FromPageModel):
    """One more stage in an input's chain behind another ("" is its device), but ahead of the limiter."""

    type: Literal["add_stage"]
    input_id: str = Field(max_length=40)
    stage: StageName
    after: str = Field("", max_length=40)


class CopyStage(FromPageModel):
    """A copy of a stage, right behind it."""

    type: Literal["copy_stage"]
    stage_id: str = Field(max_length=40)


class RemoveStage(FromPageModel):
    """Take a stage away; undo brings it back."""

    type: Literal["remove_stage"]
    stage_id: str = Field(max_length=40)


class MoveStage(FromPageModel):
    """Move a stage towards the device (negative) or the listeners."""

    type: Literal["move_stage"]
    stage_id: str = Field(max_length=40)
    by: int = Field(ge=-30, le=30)


class WatchStage(FromPageModel):
    """Which stage's spectra this page shows, before and after it; "" for none. Ends by itself with the page."""

    type: Literal["watch_stage"]
    stage_id: str = Field(max_length=40)


class WatchChain(FromPageModel):
    """Which input's chain this page shows, "" for none but the main voice's: only then its levels are made. Ends by
    itself with the page."""

    type: Literal["watch_chain"]
    input_id: str = Field(max_length=40)


class MeasureInsert(FromPageModel):
    """Measure how long an insert's sound is away, and set it."""

    type: Literal["measure_insert"]
    stage_id: str = Field(max_length=40)


class LearnRoom(FromPageModel):
    """Learn the room for a suppressor ("stay quiet"), or break it off with ""."""

    type: Literal["learn_room"]
    stage_id: str = Field(max_length=40)


class ForgetRoom(FromPageModel):
    """Forget the room that a suppressor has learned; undo brings it back."""

    type: Literal["forget_room"]
    stage_id: str = Field(max_length=40)


class LoopLast(FromPageModel):
    """Loop the last seconds of the microphone in its place; nobody hears the live microphone."""

    type: Literal["loop_last"]
    seconds: float = Field(ge=SHORTEST_LOOP_S, le=LONGEST_LOOP_S)


class LoopNew(FromPageModel):
    """Take the next seconds of the microphone, then loop them."""

    type: Literal["loop_new"]
    seconds: float = Field(ge=SHORTEST_LOOP_S, le=LONGEST_LOOP_S)


class LoopStop(FromPageModel):
    """The live microphone again."""

    type: Literal["loop_stop"]


class LoopHear(FromPageModel):
    """The loop through the chain, raw, or through chain B, all equally loud."""

    type: Literal["loop_hear"]
    heard: Heard


class KeepOther(FromPageModel):
    """Keep the chain as it is now as chain B, or take a preset for it."""

    type: Literal["keep_other"]
    preset_id: str = Field("", max_length=60)


class SwapOther(FromPageModel):
    """Chain B becomes the chain, and the chain becomes B; undo takes it back."""

    type: Literal["swap_other"]


class LoopState(FromServerModel):
    """The loop that plays in place of the microphone, or is being taken."""

    is_on: bool = False
    is_recording: bool = False
    duration_s: float = 0.0
    heard: Heard = "chain"
    has_other: bool = False
    other_name: str = ""
    gains_db: dict[Heard, float] = Field(default_factory=dict)
    """What makes raw and chain B as loud as the chain; empty until it is measured."""


class PresetInfo(FromServerModel):
    """A preset as it is listed."""

    id: str
    name: str
    description: str
    is_own: bool
    """Saved here; else it is a starting point, which cannot be changed."""


class Effort(FromServerModel):
    """How hard a compressor works, by its curve on what has come in lately: off usual speech, and off the loudest
    moment, in dB."""

    usual_db: float
    loudest_db: float


class GateWork(FromServerModel):
    """What a gate did over the last ten seconds: first syllables it cut (their places among the hops of
    the window, from its end), and openings of less than 80 ms, counted a minute."""

    losses_ago_ms: list[int]
    chatter_per_minute: float


class LimiterWork(FromServerModel):
    """How much of speech a limiter touched in the last ten seconds, in percent, and its deepest reduction."""

    share_percent: float
    deepest_db: float


class RoomTakeState(FromServerModel):
    """A room that is being learned."""

    stage_id: str
    progress: float


class Spectra(FromServerModel):
    """Levels in bands of a sixth of an octave before and after one stage, in dBFS, 15 times a second."""

    type: Literal["spectra"] = "spectra"
    stage_id: str
    before_db: list[float]
    after_db: list[float]
