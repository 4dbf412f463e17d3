"""The messages of the live link (``/api/live``), typed for both ends: they are part of the OpenAPI
document, and the browser's types come from it."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from goshawk.core.chain_slots import StageName
from goshawk.core.graph.comparison import Heard
from goshawk.core.masking import Improvement, Sight
from goshawk.core.measure.levels import StationLevels
from goshawk.core.measure.take import TakeFigures, TakeKind
from goshawk.core.mix import MixFigures
from goshawk.core.observed.balance_meter import BalanceSecond, InputWindow, Whole
from goshawk.core.observed.monitor import Reach
from goshawk.core.observed.row_keeper import KEPT_S
from goshawk.core.rig import Rig, SettingValue
from goshawk.core.rules.balance import Standing
from goshawk.core.rules.buffer import MOST_SHARE, BufferAdvice, BufferTrial
from goshawk.core.rules.finding import Finding
from goshawk.core.rules.gain import GainAdvice, GainMinute
from goshawk.core.rules.sound_check.advice import Wish
from goshawk.core.rules.sound_check.since import Change
from goshawk.core.sound_check import Outcome
from goshawk.core.takes import LONGEST_LOOP_S, SHORTEST_LOOP_S
from goshawk.core.target_sets import TargetSet
from goshawk.core.wiring import FeedName, Role
from goshawk.store.sound_files import StoredSoundFile


class _FromPage(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class TrySetting(_FromPage):
    """Hear a value while it is being dragged; it is not saved."""

    type: Literal["try"]
    path: str = Field(max_length=200)
    value: float | bool | str


class SetSetting(_FromPage):
    """Change and save a setting; answered by the new state.

    A nudge is one of a run of small steps, as a held key makes: it joins the one before it, so that
    undo takes the run back at once."""

    type: Literal["set"]
    path: str = Field(max_length=200)
    value: float | bool | str
    is_nudge: bool = False


class SetTogether(_FromPage):
    """Change and save several settings as one step, as the mend of a finding does."""

    type: Literal["set_together"]
    changes: dict[str, SettingValue] = Field(min_length=1, max_length=50)


class TryTogether(_FromPage):
    """Hear several values while a point is being dragged; they are not saved."""

    type: Literal["try_together"]
    changes: dict[str, float | bool | str] = Field(min_length=1, max_length=50)


class AddInput(_FromPage):
    """One more input, heard by nobody yet."""

    type: Literal["add_input"]
    role: Role


class RemoveInput(_FromPage):
    """Take an input away; undo brings it back."""

    type: Literal["remove_input"]
    input_id: str = Field(max_length=40)


class MoveInput(_FromPage):
    """Move an input up (negative) or down in the list."""

    type: Literal["move_input"]
    input_id: str = Field(max_length=40)
    by: int = Field(ge=-20, le=20)


class AddStage(_FromPage):
    """One more stage in an input's chain behind another ("" is its device), but ahead of the limiter."""

    type: Literal["add_stage"]
    input_id: str = Field(max_length=40)
    stage: StageName
    after: str = Field("", max_length=40)


class CopyStage(_FromPage):
    """A copy of a stage, right behind it."""

    type: Literal["copy_stage"]
    stage_id: str = Field(max_length=40)


class RemoveStage(_FromPage):
    """Take a stage away; undo brings it back."""

    type: Literal["remove_stage"]
    stage_id: str = Field(max_length=40)


class MoveStage(_FromPage):
    """Move a stage towards the device (negative) or the listeners."""

    type: Literal["move_stage"]
    stage_id: str = Field(max_length=40)
    by: int = Field(ge=-30, le=30)


class Dismiss(_FromPage):
    """Put a finding aside until it gets worse."""

    type: Literal["dismiss"]
    key: str = Field(max_length=120)


class ShowAll(_FromPage):
    """Show the findings again that were put aside."""

    type: Literal["show_all"]


class Cough(_FromPage):
    """Silence the voices for everyone while a key is held. Ends by itself with the page."""

    type: Literal["cough"]
    is_on: bool


class WatchDevices(_FromPage):
    """Whether this page shows the levels of all devices. Ends by itself with the page."""

    type: Literal["watch_devices"]
    is_on: bool


class MeasureDelay(_FromPage):
    """Send a click through; the measured delays come with the levels, some two seconds later."""

    type: Literal["measure_delay"]


class FindBuffer(_FromPage):
    """Start the search for the smallest buffer that holds, or break it off."""

    type: Literal["find_buffer"]
    is_on: bool


class MeasureGain(_FromPage):
    """Start the guided minute for the microphone's gain, or break it off."""

    type: Literal["measure_gain"]
    is_on: bool


class Fault(_FromPage):
    """Make something go wrong with a stand-in device; without a value the fault's default counts."""

    type: Literal["fault"]
    device: str = Field(max_length=40)
    fault: str = Field(max_length=40)
    value: float | None = None


class WatchStage(_FromPage):
    """Which stage's spectra this page shows, before and after it; "" for none. Ends by itself with the page."""

    type: Literal["watch_stage"]
    stage_id: str = Field(max_length=40)


class WatchChain(_FromPage):
    """Which input's chain this page shows, "" for none but the main voice's: only then its levels are made. Ends by
    itself with the page."""

    type: Literal["watch_chain"]
    input_id: str = Field(max_length=40)


class LearnRoom(_FromPage):
    """Learn the room for a suppressor ("stay quiet"), or break it off with ""."""

    type: Literal["learn_room"]
    stage_id: str = Field(max_length=40)


class ForgetRoom(_FromPage):
    """Forget the room that a suppressor has learned; undo brings it back."""

    type: Literal["forget_room"]
    stage_id: str = Field(max_length=40)


class LoopLast(_FromPage):
    """Loop the last seconds of the microphone in its place; nobody hears the live microphone."""

    type: Literal["loop_last"]
    seconds: float = Field(ge=SHORTEST_LOOP_S, le=LONGEST_LOOP_S)


class LoopNew(_FromPage):
    """Take the next seconds of the microphone, then loop them."""

    type: Literal["loop_new"]
    seconds: float = Field(ge=SHORTEST_LOOP_S, le=LONGEST_LOOP_S)


class LoopStop(_FromPage):
    """The live microphone again."""

    type: Literal["loop_stop"]


class LoopHear(_FromPage):
    """The loop through the chain, raw, or through chain B, all equally loud."""

    type: Literal["loop_hear"]
    heard: Heard


class KeepOther(_FromPage):
    """Keep the chain as it is now as chain B, or take a preset for it."""

    type: Literal["keep_other"]
    preset_id: str = Field("", max_length=60)


class SwapOther(_FromPage):
    """Chain B becomes the chain, and the chain becomes B; undo takes it back."""

    type: Literal["swap_other"]


class WatchBalance(_FromPage):
    """Whether this page shows the balance: only then is it tried what would help. Ends by itself with the page."""

    type: Literal["watch_balance"]
    is_on: bool


class BringToTarget(_FromPage):
    """Set the trim of one input, or of all (""), so that it stands at its target; undo takes it back."""

    type: Literal["bring_to_target"]
    input_id: str = Field("", max_length=40)


class SuggestDucker(_FromPage):
    """Set an input's ducker from what was measured, and switch it on; undo takes it back."""

    type: Literal["suggest_ducker"]
    input_id: str = Field(max_length=40)


class ChooseTargets(_FromPage):
    """Take the clearances of a set of targets."""

    type: Literal["choose_targets"]
    set_id: str = Field(max_length=40)


class CountAnew(_FromPage):
    """Begin the loudness of the whole anew."""

    type: Literal["count_anew"]


class ReplayLast(_FromPage):
    """Replay the last seconds of all inputs in place of the devices, to you alone, as viewers would hear them."""

    type: Literal["replay_last"]
    seconds: float = Field(ge=SHORTEST_LOOP_S, le=KEPT_S)


class ReplayStop(_FromPage):
    """The devices again."""

    type: Literal["replay_stop"]


ReplayHeard = Literal["now", "before"]


class ReplayHear(_FromPage):
    """The replay under the balance of now, or of when it was begun, equally loud."""

    type: Literal["replay_hear"]
    heard: ReplayHeard


class Undo(_FromPage):
    """One step back."""

    type: Literal["undo"]


class Redo(_FromPage):
    """One step forward again."""

    type: Literal["redo"]


FromPage = Annotated[
    TrySetting
    | SetSetting
    | SetTogether
    | TryTogether
    | AddInput
    | RemoveInput
    | MoveInput
    | AddStage
    | CopyStage
    | RemoveStage
    | MoveStage
    | Dismiss
    | ShowAll
    | Cough
    | WatchDevices
    | MeasureDelay
    | FindBuffer
    | MeasureGain
    | Fault
    | WatchStage
    | WatchChain
    | LearnRoom
    | ForgetRoom
    | LoopLast
    | LoopNew
    | LoopStop
    | LoopHear
    | KeepOther
    | SwapOther
    | WatchBalance
    | BringToTarget
    | SuggestDucker
    | ChooseTargets
    | CountAnew
    | ReplayLast
    | ReplayStop
    | ReplayHear
    | Undo
    | Redo,
    Field(discriminator="type"),
]


class _FromServer(BaseModel):
    model_config = ConfigDict(json_schema_serialization_defaults_required=True)


class BufferSearchState(_FromServer):
    """The search for the smallest buffer that holds."""

    is_running: bool = False
    was_cancelled: bool = False
    sizes: list[int] = []
    trials: list[BufferTrial] = []
    trying: int | None = None
    most_share: float = MOST_SHARE
    progress: float = 0.0
    advice: BufferAdvice | None = None


class LoopState(_FromServer):
    """The loop that plays in place of the microphone, or is being taken."""

    is_on: bool = False
    is_recording: bool = False
    duration_s: float = 0.0
    heard: Heard = "chain"
    has_other: bool = False
    other_name: str = ""
    gains_db: dict[Heard, float] = {}
    """What makes raw and chain B as loud as the chain; empty until it is measured."""


class PresetInfo(_FromServer):
    """A preset as it is listed."""

    id: str
    name: str
    description: str
    is_own: bool
    """Saved here; else it is a starting point, which cannot be changed."""


class State(_FromServer):
    """Everything that is set, as all windows show it."""

    type: Literal["state"] = "state"
    plan: int
    """The number under which the engine is told of this state: it is heard once the readings name it, or a later one."""
    rig: Rig
    can_undo: bool
    can_redo: bool
    is_saved: bool
    save_trouble: str
    """Why what is set is not saved; "" if it is, or soon will be."""
    sound_files: list[StoredSoundFile]
    is_engine_running: bool
    curves: dict[str, list[float]]
    """Of each compressor by its id: output in dBFS for inputs of CURVE_INPUTS_DBFS; of each filter: gain in dB at CURVE_POINTS frequencies from 20 Hz to 20 kHz, evenly spaced in octaves."""
    sentences: dict[FeedName, str]
    """What each listener hears, in words."""
    buffer_search: BufferSearchState
    is_coughing: bool
    presets: list[PresetInfo]
    changed_presets: list[str]
    """The inputs (by id) whose chain differs from the preset that it came from."""
    loop: LoopState
    target_sets: list[TargetSet]
    target_set: str
    """The set whose clearances the rig has; "" if they are its own."""
    version: str


class Readings(_FromServer):
    """The newest moments of every station, 30 times a second."""

    type: Literal["readings"] = "readings"
    plan: int
    """The number of the plan under which they were made."""
    first_moment: int
    activity: list[int]
    rms_dbfs: dict[str, list[float]]
    peak_dbfs: dict[str, list[float]]
    stages: dict[str, dict[str, Any]]
    ceilings: dict[FeedName, dict[str, Any]]
    inputs: dict[str, float]
    """Each input's highest peak ahead of its fader, in dBFS."""
    activities: dict[str, list[int]]
    """Of every other voice, by the input's id, as ``activity`` is of the main voice."""


class History(_FromServer):
    """The last ten seconds, sent once to a page that opens."""

    type: Literal["history"] = "history"
    activity: list[int]
    activities: dict[str, list[int]]
    rms_dbfs: dict[str, list[float]]
    peak_dbfs: dict[str, list[float]]


CURVE_INPUTS_DBFS = range(-60, 1)
CURVE_POINTS = 241


class EngineHealth(_FromServer):
    """How the audio process does."""

    load_percent: float
    late_blocks: int
    missed_blocks: int
    late_in_last_minute: int
    block_frames: int
    is_realtime: bool
    restarts: int
    lost_pieces: int
    """Readings and pieces of sound that the audio process could not hand on, or that came too late to be read."""


class DeviceStatus(_FromServer):
    """How an input device does. Rates as it says them; ``counted_rate_hz`` if it delivers another."""

    state: str
    channels: int
    rate_hz: int
    clock_ppm: int
    fill_ms: float
    dropouts: int
    overruns: int
    counted_rate_hz: float | None
    peaks_dbfs: list[float]
    recent_dropouts: int
    processing: list[str] = []
    age_ms: float = 0.0
    position_s: float | None = None
    duration_s: float | None = None


class EncoderStatus(_FromServer):
    """What the broadcast encoder gets: its highest peak lately, gaps so far, and if it is silence."""

    peak_dbfs: float
    gaps: int
    is_silent: bool


class LedgerEntry(_FromServer):
    """One part of the delay from the microphone to a listener; stages by their id."""

    name: str
    ms: float


class Effort(_FromServer):
    """How hard a compressor works, by its curve on what has come in lately: off usual speech, and off the loudest
    moment, in dB."""

    usual_db: float
    loudest_db: float


class GateWork(_FromServer):
    """What a gate did over the last ten seconds: first syllables it cut (their places among the moments of
    the window, from its end), and openings of less than 80 ms, counted a minute."""

    losses_ago_ms: list[int]
    chatter_per_minute: float


class LimiterWork(_FromServer):
    """How much of speech a limiter touched in the last ten seconds, in percent, and its deepest reduction."""

    share_percent: float
    deepest_db: float


class RoomTakeState(_FromServer):
    """A room that is being learned."""

    stage_id: str
    progress: float


class TakeProgress(_FromServer):
    """A take of the sound check that is being made."""

    kind: TakeKind
    begins_in_s: float
    elapsed_s: float
    wanted_s: float


class TakeState(_FromServer):
    """A take that is kept. ``doubt`` is what is wrong with it, if anything; ``serial`` differs with every take."""

    taken_at: float
    doubt: str
    figures: TakeFigures
    serial: str


class CheckProgress(_FromServer):
    """How far the computation is, from 0 to 1."""

    text: str
    share: float


class SoundCheckState(_FromServer):
    """The sound check: takes, what is wrong with those that were refused, what was computed from them (its chain is
    left out), and what has changed since the check that is in use. ``heard`` names the sounds to listen to."""

    type: Literal["sound_check"] = "sound_check"
    takes: dict[TakeKind, TakeState]
    refusals: dict[TakeKind, str]
    recording: TakeKind | None
    measuring: TakeKind | None
    run: CheckProgress | None
    failure: str
    wish: Wish
    outcome: Outcome | None
    is_accepted: bool
    heard: int
    kept_at: float | None
    changes: list[Change]


class BalanceLevels(_FromServer):
    """How the inputs stand in the Viewers feed over 3, 10 and 30 s, the whole, and what holds add to
    the trims."""

    windows: dict[int, dict[str, InputWindow]] = {}
    whole: Whole | None = None
    held_db: dict[str, float] = {}


class IndexPoint(_FromServer):
    """The intelligibility index at a second of the history."""

    number: int
    sii: float


class ReplayState(_FromServer):
    """Recorded inputs that are replayed, and the balance of before and of now on them, in figures."""

    is_on: bool = False
    heard: ReplayHeard = "now"
    duration_s: float = 0.0
    is_measuring: bool = False
    before: MixFigures | None = None
    now: MixFigures | None = None


class BalanceState(_FromServer):
    """Whether the words are followed over the last 3 and 10 s, what would help (None while it is not tried), the last ten minutes by
    seconds, and the replay."""

    type: Literal["balance"] = "balance"
    sights: dict[int, Sight]
    improvements: list[Improvement] | None
    seconds: list[BalanceSecond]
    indices: list[IndexPoint]
    replay: ReplayState


class Spectra(_FromServer):
    """Levels in bands of a sixth of an octave before and after one stage, in dBFS, 15 times a second."""

    type: Literal["spectra"] = "spectra"
    stage_id: str
    before_db: list[float]
    after_db: list[float]


class Levels(_FromServer):
    """Figures over the last ten seconds, ten times a second."""

    type: Literal["levels"] = "levels"
    stations: dict[str, StationLevels]
    peaks_dbfs: dict[str, float | None]
    clearance_db: dict[str, float | None]
    momentary_lufs: float | None
    short_term_lufs: float | None
    true_peak_dbtp: float
    feed_peaks_dbfs: dict[FeedName, float]
    stage_latency_ms: dict[str, float]
    stage_cost_percent: dict[str, float]
    """Of a block's time, on the mean."""
    efforts: dict[str, Effort]
    gate_work: dict[str, GateWork]
    limiter_work: dict[str, LimiterWork]
    room_take: RoomTakeState | None
    take: TakeProgress | None
    is_speech: bool
    reach: dict[FeedName, Reach]
    bad_samples: dict[str, int]
    standings: dict[str, Standing]
    balance: BalanceLevels
    findings: list[Finding]
    findings_aside: int
    gain: GainAdvice
    gain_minute: GainMinute
    devices: dict[str, DeviceStatus]
    encoder: EncoderStatus
    ledgers: dict[FeedName, list[LedgerEntry]]
    delay_ms: dict[FeedName, float]
    measured_delay_ms: dict[FeedName, float | None] | None
    engine: EngineHealth


class Notice(_FromServer):
    """A sentence for the user. ``level`` says whether it is news or trouble."""

    type: Literal["notice"] = "notice"
    level: Literal["news", "trouble"]
    text: str


class Refusal(_FromServer):
    """A message was refused; nothing has changed. ``state`` follows, so that the page shows truth."""

    type: Literal["refused"] = "refused"
    code: str
    text: str
    field: str = ""


FROM_SERVER: tuple[type[BaseModel], ...] = (
    State,
    Readings,
    History,
    Levels,
    Spectra,
    SoundCheckState,
    BalanceState,
    Notice,
    Refusal,
)
