"""A chain as it is set: an ordered list of places, each with a stage's settings."""

from collections.abc import Collection
from typing import Annotated, Any, Literal, get_args

from pydantic import Field, field_validator

from goshawk.core.dsp.compressor import CompressorSettings
from goshawk.core.dsp.de_esser import DeEsserSettings
from goshawk.core.dsp.ducker import DuckerSettings
from goshawk.core.dsp.equaliser import BellBand, EqualiserSettings
from goshawk.core.dsp.gate import GateSettings
from goshawk.core.dsp.high_pass import HighPassSettings
from goshawk.core.dsp.insert import InsertSettings
from goshawk.core.dsp.leveller import LevellerSettings
from goshawk.core.dsp.limiter import LimiterSettings
from goshawk.core.dsp.suppressor import SuppressorSettings
from goshawk.core.dsp.three_band import ThreeBandSettings
from goshawk.core.dsp.trim import TrimSettings
from goshawk.core.settings import Id, Settings, choice

MOST_STAGES = 30
MOST_INSERTS = 2


class _Slot(Settings):
    """A place in a chain."""

    id: Id
    is_bypassed: bool = choice(False, "Bypass", "Lets the sound pass this stage untouched.")


class TrimSlot(_Slot):
    """The trim's place."""

    stage: Literal["trim"] = "trim"
    settings: TrimSettings = TrimSettings()


class HighPassSlot(_Slot):
    """The high-pass's place."""

    stage: Literal["high_pass"] = "high_pass"
    settings: HighPassSettings = HighPassSettings()


class SuppressorSlot(_Slot):
    """The suppressor's place."""

    stage: Literal["suppressor"] = "suppressor"
    settings: SuppressorSettings = SuppressorSettings()

    @field_validator("settings", mode="before")
    @classmethod
    def _sounds_as_it_was(cls, given: Any) -> Any:
        """What was saved before voices were known goes by the room alone."""
        if isinstance(given, dict) and given and "knows_voices_percent" not in given:
            return {**given, "knows_voices_percent": 0.0}
        return given


class EqSlot(_Slot):
    """The EQ's place."""

    stage: Literal["eq"] = "eq"
    settings: EqualiserSettings = EqualiserSettings()


class GateSlot(_Slot):
    """The gate's place."""

    stage: Literal["gate"] = "gate"
    settings: GateSettings = GateSettings()


class DeEsserSlot(_Slot):
    """The de-esser's place."""

    stage: Literal["de_esser"] = "de_esser"
    settings: DeEsserSettings = DeEsserSettings()


class CompressorSlot(_Slot):
    """The compressor's place."""

    stage: Literal["compressor"] = "compressor"
    settings: CompressorSettings = CompressorSettings()


class ThreeBandSlot(_Slot):
    """The three-band compressor's place."""

    stage: Literal["three_band"] = "three_band"
    settings: ThreeBandSettings = ThreeBandSettings()


class LevellerSlot(_Slot):
    """The leveller's place."""

    stage: Literal["leveller"] = "leveller"
    settings: LevellerSettings = LevellerSettings()


class LimiterSlot(_Slot):
    """The limiter's place."""

    stage: Literal["limiter"] = "limiter"
    settings: LimiterSettings = LimiterSettings()


class DuckerSlot(_Slot):
    """The ducker's place: in the chain of a background input."""

    stage: Literal["ducker"] = "ducker"
    settings: DuckerSettings = DuckerSettings()


class InsertSlot(_Slot):
    """An insert's place."""

    stage: Literal["insert"] = "insert"
    settings: InsertSettings = InsertSettings()


Slot = Annotated[
    TrimSlot
    | HighPassSlot
    | SuppressorSlot
    | GateSlot
    | EqSlot
    | DeEsserSlot
    | CompressorSlot
    | ThreeBandSlot
    | LevellerSlot
    | InsertSlot
    | DuckerSlot
    | LimiterSlot,
    Field(discriminator="stage"),
]
StageName = Literal[
    "trim",
    "high_pass",
    "suppressor",
    "gate",
    "eq",
    "de_esser",
    "compressor",
    "three_band",
    "leveller",
    "insert",
    "ducker",
    "limiter",
]
SLOTS: dict[str, type[Slot]] = {
    kind.model_fields["stage"].default: kind for kind in get_args(get_args(Slot)[0])
}
"""The slot of each kind of stage."""

STAGE_LABELS: dict[StageName, str] = {
    "trim": "Trim",
    "high_pass": "High-pass",
    "suppressor": "Suppressor",
    "gate": "Gate",
    "eq": "EQ",
    "de_esser": "De-esser",
    "compressor": "Compressor",
    "three_band": "Three bands",
    "leveller": "Leveller",
    "insert": "Insert",
    "ducker": "Ducker",
    "limiter": "Limiter",
}
Chain = tuple[Slot, ...]


def check_chain(chain: Chain) -> Chain:
    """One path, always: every place has its own id, and the limiter, if any, is last.

    Raises ValueError with a sentence."""
    ids = [slot.id for slot in chain]
    if len(ids) > MOST_STAGES:
        raise ValueError(f"a chain has at most {MOST_STAGES} stages, this one has {len(ids)}.")
    if len(set(ids)) < len(ids):
        twice = next(name for name in ids if ids.count(name) > 1)
        raise ValueError(f"two stages are called {twice!r}. Give each stage an id of its own.")
    if any(slot.stage == "limiter" for slot in chain[:-1]):
        raise ValueError("the limiter must be the last stage of the chain. Move it to the end.")
    if sum(slot.stage == "insert" for slot in chain) > MOST_INSERTS:
        raise ValueError(f"a chain has at most {MOST_INSERTS} inserts. Remove one first.")
    return chain


def find_stage(chain: Chain, stage: StageName) -> Slot | None:
    """The first place of a kind; None if there is none."""
    return next((slot for slot in chain if slot.stage == stage), None)


def fresh_id(wanted: str, taken: Collection[str]) -> str:
    """An id like the wanted one that nobody has."""
    count, made = 1, wanted
    while made in taken:
        count += 1
        made = f"{wanted[:34]}_{count}"
    return made


def with_fresh_ids(chain: Chain, taken: Collection[str]) -> Chain:
    """The chain, with other ids for the places whose ids are taken: every stage of a rig has an id of its own."""
    used = set(taken)
    made: list[Slot] = []
    for slot in chain:
        name = fresh_id(slot.id, used)
        used.add(name)
        made.append(slot if name == slot.id else slot.model_copy(update={"id": name}))
    return tuple(made)


def same_work(one: Chain, other: Chain) -> bool:
    """Whether two chains do the same, whatever the ids of their places."""
    return [slot.model_copy(update={"id": "same"}) for slot in one] == [
        slot.model_copy(update={"id": "same"}) for slot in other
    ]


def background_chain(name: str, taken: Collection[str] = ()) -> Chain:
    """What a background input begins with: an EQ that does nothing yet, and a ducker that is bypassed."""
    eq, ducker = (f"{name[:30]}_{stage}" for stage in ("eq", "ducker"))
    return with_fresh_ids((EqSlot(id=eq), DuckerSlot(id=ducker, is_bypassed=True)), taken)


def default_chain() -> Chain:
    """The stages in the order of the job, set for the attic's voice."""
    return (
        TrimSlot(id="trim", settings=TrimSettings(gain_db=5.0)),
        HighPassSlot(id="high_pass"),
        SuppressorSlot(id="suppressor"),
        GateSlot(
            id="gate", settings=GateSettings(open_threshold_dbfs=-37.0, close_threshold_dbfs=-42.0)
        ),
        EqSlot(
            id="eq",
            settings=EqualiserSettings(
                bell_2=BellBand(frequency_hz=350.0, gain_db=-2.5, q=1.2),
                bell_5=BellBand(frequency_hz=4_500.0, gain_db=2.0, q=0.9),
            ),
        ),
        DeEsserSlot(id="de_esser"),
        CompressorSlot(
            id="compressor",
            settings=CompressorSettings(threshold_dbfs=-22.0, ratio=3.0, makeup_gain_db=11.0),
        ),
        LevellerSlot(id="leveller"),
        LimiterSlot(id="limiter", settings=LimiterSettings(ceiling_dbtp=-4.0)),
    )
