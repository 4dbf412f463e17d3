"""The rig: everything a user sets up. One immutable document; a change makes a new one."""

from functools import reduce
from typing import Annotated, Any, Literal, Self

from pydantic import Field, StringConstraints, ValidationError, model_validator

from goshawk.core.chain_slots import (
    Chain,
    Slot,
    StageName,
    background_chain,
    default_chain,
    find_stage,
    fresh_id,
    with_fresh_ids,
)
from goshawk.core.settings import PLAIN_TEXT, Settings, choice, number, sentence_of
from goshawk.core.routing import (
    DeviceSettings,
    Feeds,
    Inputs,
    InputSettings,
    Role,
    check_inputs,
    default_inputs,
)
from goshawk.errors import BadSetting

RIG_VERSION: Literal[4] = 4
BlockFrames = Literal[64, 128, 256, 512, 1024]
BLOCK_SIZES: tuple[BlockFrames, ...] = (64, 128, 256, 512, 1024)
MOST_DISMISSALS = 200


class Targets(Settings):
    """Where levels should sit in the Viewers feed."""

    voice_peaks_dbfs: float = number(
        -7.0, -30.0, -1.0, "dBFS", "Voice peaks", "Where the voice's peaks should be.", step=0.5
    )
    voice_tolerance_db: float = number(
        2.0, 0.5, 6.0, "dB", "Tolerance", "How far from the target is still on target.", step=0.5
    )
    game_clearance_db: float = number(
        12.0, 0.0, 40.0, "dB", "Over game", "How far the voice stands above the game.", step=0.5
    )
    music_clearance_db: float = number(
        18.0, 0.0, 40.0, "dB", "Over music", "How far the voice stands above the music.", step=0.5
    )
    call_clearance_db: float = number(
        4.0, 0.0, 40.0, "dB", "Over the call", "How far the voice stands above a caller.", step=0.5
    )
    other_clearance_db: float = number(
        12.0, 0.0, 40.0, "dB", "Over the rest", "How far the voice stands above the rest.", step=0.5
    )

    loudness_lufs: float = number(
        -16.0,
        -30.0,
        -8.0,
        "LUFS",
        "Loudness",
        "How loud the whole should be, over the evening.",
        step=0.5,
    )

    def clearance_db(self, role: Role) -> float:
        """The wanted clearance over an input of a role. A second voice stands where a caller does."""
        wanted: float = getattr(self, f"{'call' if role == 'voice' else role}_clearance_db")
        return wanted


class Dismissal(Settings):
    """A finding that the user has put aside; it comes back when it gets worse."""

    key: str = Field(max_length=120)
    badness: float


class Rig(Settings):
    """Everything a user sets up."""

    version: Literal[4] = RIG_VERSION
    name: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80), PLAIN_TEXT
    ] = Field("Attic, late", title="Name")
    block_frames: BlockFrames = Field(
        256,
        title="Buffer",
        description="Frames a block: small is quick, large is safe from dropouts.",
        json_schema_extra={"unit": "frames"},
    )
    devices: DeviceSettings = DeviceSettings()
    inputs: Inputs = Field(default_factory=default_inputs)
    chained: str = Field(
        "voice",
        max_length=40,
        title="Main voice",
        description="The voice that all is set by: the sound check plans its chain, levels are told from it, and "
        "the others dip under it.",
    )
    feeds: Feeds = Feeds()
    is_on_break: bool = choice(
        False, "Break", "Viewers hear only the music; the call and you hear what they heard."
    )
    picture_delay_ms: float = number(
        0.0,
        0.0,
        1000.0,
        "ms",
        "The picture waits",
        "By how much your broadcast program already delays the picture.",
        step=1.0,
    )
    targets: Targets = Targets()
    dismissed: tuple[Dismissal, ...] = Field((), max_length=MOST_DISMISSALS)

    @model_validator(mode="after")
    def _is_sound(self) -> Self:
        check_inputs(self.inputs, self.chained)
        viewers = self.feeds.viewers
        if viewers.has_ceiling and self.targets.voice_peaks_dbfs > viewers.ceiling_dbtp:
            raise ValueError(
                f"the voice cannot peak at {self.targets.voice_peaks_dbfs:g} dBFS under the viewers' ceiling "
                f"of {viewers.ceiling_dbtp:g} dBTP. Lower the target, or raise the ceiling."
            )
        return self

    def input(self, input_id: str) -> InputSettings | None:
        """An input by its id; None if there is none."""
        return next((one for one in self.inputs if one.id == input_id), None)

    @property
    def voice(self) -> InputSettings | None:
        """The main voice; None if there is none."""
        return self.input(self.chained)

    @property
    def chain(self) -> Chain:
        """The main voice's chain; empty if there is no main voice."""
        return self.voice.chain if self.voice else ()

    @property
    def stage_ids(self) -> set[str]:
        """Of all chains: no two are the same."""
        return {slot.id for one in self.inputs for slot in one.chain}

    def stage(self, stage_id: str) -> tuple[InputSettings, Slot] | None:
        """A stage by its id, and the input whose chain it is in; None if there is none."""
        return next(
            ((one, slot) for one in self.inputs for slot in one.chain if slot.id == stage_id), None
        )

    def stage_path(self, stage_id: str) -> str:
        """How a stage is named in ``changed``."""
        found = self.stage(stage_id)
        return f"inputs.{found[0].id}.chain.{stage_id}" if found else ""


def _validated(document: dict[str, Any]) -> Rig:
    try:
        return Rig.model_validate(document)
    except ValidationError as error:
        raise sentence_of(error, "", document) from None


_FIXED = ("id", "stage", "version")


def with_shared(rig: Rig, other: Rig) -> Rig:
    """The same rig, made of the other's very objects where they are equal, so that what is the same is known at once:
    the rig, its inputs and their stages."""
    if rig == other:
        return other
    there = {one.id: one for one in other.inputs}
    inputs = []
    for one in rig.inputs:
        was = there.get(one.id)
        if was is None:
            inputs.append(one)
        elif was == one:
            inputs.append(was)
        else:
            slots = {slot.id: slot for slot in was.chain}
            chain = tuple(
                slots[slot.id] if slots.get(slot.id) == slot else slot for slot in one.chain
            )
            inputs.append(one.model_copy(update={"chain": chain}))
    return rig.model_copy(update={"inputs": tuple(inputs)})


def knob(rig: Rig, path: str) -> float:
    """The value of a device's knob, such as ``devices.attic.preamp_gain_db``."""
    return float(reduce(getattr, path.split("."), rig))  # type: ignore[arg-type]


def changed(rig: Rig, path: str, value: Any) -> Rig:
    """The rig with one setting changed.

    ``path`` names it with dots, a stage or an input by its id:
    ``inputs.voice.chain.gate.settings.range_db``.
    Raises BadSetting with a sentence if there is no such setting or the value is refused.
    """
    return changed_together(rig, {path: value})


def changed_together(rig: Rig, values: dict[str, Any]) -> Rig:
    """The rig with several settings changed at once; all of them or none. Raises BadSetting."""
    document = rig.model_dump(mode="json")
    for path, value in values.items():
        place: Any = document
        *parents, last = path.split(".")
        for part in parents:
            if isinstance(place, list):
                place = next((item for item in place if item.get("id") == part), None)
            else:
                place = place.get(part) if isinstance(place, dict) else None
        if not isinstance(place, dict) or last not in place or last in _FIXED:
            raise BadSetting(f"There is no setting {path!r}. Check the name.", field=path)
        place[last] = value
    return _validated(document)


_NEW_NAMES: dict[Role, str] = {
    "voice": "Voice",
    "game": "Game",
    "music": "Music",
    "call": "Call",
    "other": "Input",
}


def with_input(rig: Rig, role: Role) -> Rig:
    """The rig with one more input at the end, named after its role, heard by nobody yet. A voice becomes the main
    voice if there is none; it has the stages of the job, any other an EQ and a ducker that do nothing yet.

    Raises BadSetting if there are too many."""
    names = {one.name.casefold() for one in rig.inputs}
    ids = {one.id for one in rig.inputs}
    name = _NEW_NAMES[role]
    count = 1
    while name.casefold() in names:
        count += 1
        name = f"{_NEW_NAMES[role]} {count}"
    count = 1
    while f"{role}_{count}" in ids:
        count += 1
    made = f"{role}_{count}"
    fresh = InputSettings(
        id=made,
        name=name,
        role=role,
        chain=with_fresh_ids(default_chain(), rig.stage_ids)
        if role == "voice"
        else background_chain(made, rig.stage_ids),
        preset_id="start_whole" if role == "voice" else "",
    )
    document = rig.model_dump(mode="json")
    document["inputs"].append(fresh.model_dump(mode="json"))
    if role == "voice" and rig.voice is None:
        document["chained"] = fresh.id
    return _validated(document)


def without_input(rig: Rig, input_id: str) -> Rig:
    """The rig without an input; there is no main voice if it was that. Raises BadSetting."""
    _require(rig, input_id)
    document = rig.model_dump(mode="json")
    document["inputs"] = [one for one in document["inputs"] if one["id"] != input_id]
    if document["chained"] == input_id:
        document["chained"] = ""
    return _validated(document)


def with_input_moved(rig: Rig, input_id: str, by: int) -> Rig:
    """The rig with an input moved up (negative) or down in the list. Raises BadSetting."""
    _require(rig, input_id)
    document = rig.model_dump(mode="json")
    inputs = document["inputs"]
    here = next(i for i, one in enumerate(inputs) if one["id"] == input_id)
    there = max(0, min(len(inputs) - 1, here + by))
    inputs.insert(there, inputs.pop(here))
    return _validated(document)


def _require(rig: Rig, input_id: str) -> None:
    if rig.input(input_id) is None:
        raise BadSetting(f"There is no input {input_id!r}. It may have been removed.", "inputs")


def _with_chain_of(rig: Rig, input_id: str, chain: list[dict[str, Any]]) -> Rig:
    document = rig.model_dump(mode="json")
    one = next(one for one in document["inputs"] if one["id"] == input_id)
    one["chain"] = chain
    return _validated(document)


def _dumped(one: InputSettings) -> list[dict[str, Any]]:
    return [slot.model_dump(mode="json") for slot in one.chain]


def with_stage(rig: Rig, input_id: str, stage: StageName, after: str) -> Rig:
    """The rig with one more stage in an input's chain, behind the one with the id ``after`` ("" is the device), but
    ahead of the limiter, which stays last. Raises BadSetting."""
    _require(rig, input_id)
    one = rig.input(input_id)
    assert one
    return _with_slot(rig, one, {"stage": stage}, stage, _place_behind(rig, one, after))


def with_stage_copied(rig: Rig, stage_id: str) -> Rig:
    """The rig with a copy of a stage, settings and all, right behind it. Raises BadSetting."""
    one, slot = _found(rig, stage_id)
    place = _place_behind(rig, one, stage_id)
    return _with_slot(rig, one, slot.model_dump(mode="json"), slot.stage, place)


def without_stage(rig: Rig, stage_id: str) -> Rig:
    """The rig without a stage. Raises BadSetting."""
    one, _ = _found(rig, stage_id)
    return _with_chain_of(rig, one.id, [slot for slot in _dumped(one) if slot["id"] != stage_id])


def with_stage_moved(rig: Rig, stage_id: str, by: int) -> Rig:
    """The rig with a stage moved towards the device (negative) or the listeners; the limiter stays
    last. Raises BadSetting."""
    one, slot = _found(rig, stage_id)
    if slot.stage == "limiter":
        raise BadSetting("The limiter stays last: nothing may come after its ceiling.", "chain")
    chain = _dumped(one)
    here = next(i for i, each in enumerate(chain) if each["id"] == stage_id)
    last = len(chain) - 1 - (one.chain[-1].stage == "limiter")
    chain.insert(max(0, min(last, here + by)), chain.pop(here))
    return _with_chain_of(rig, one.id, chain)


def _found(rig: Rig, stage_id: str) -> tuple[InputSettings, Slot]:
    found = rig.stage(stage_id)
    if found is None:
        raise BadSetting(f"There is no stage {stage_id!r}. It may have been removed.", "chain")
    return found


def _place_behind(rig: Rig, one: InputSettings, after: str) -> int:
    if after:
        _found(rig, after)
    behind = next((i + 1 for i, slot in enumerate(one.chain) if slot.id == after), 0)
    has_limiter = bool(one.chain) and one.chain[-1].stage == "limiter"
    return min(behind, len(one.chain) - has_limiter)


def _with_slot(rig: Rig, one: InputSettings, slot: dict[str, Any], stage: str, place: int) -> Rig:
    chain = _dumped(one)
    if stage == "limiter":
        if one.chain and one.chain[-1].stage == "limiter":
            raise BadSetting("The chain has its limiter already, at its end.", "chain")
        place = len(chain)
    chain.insert(place, {**slot, "id": fresh_id(stage, rig.stage_ids)})
    return _with_chain_of(rig, one.id, chain)


def with_chain(rig: Rig, input_id: str, chain: Chain, preset_id: str) -> Rig:
    """The rig with a whole chain in place of an input's own. Raises BadSetting."""
    _require(rig, input_id)
    others = {slot.id for one in rig.inputs if one.id != input_id for slot in one.chain}
    document = rig.model_dump(mode="json")
    one = next(one for one in document["inputs"] if one["id"] == input_id)
    one["chain"] = [slot.model_dump(mode="json") for slot in with_fresh_ids(chain, others)]
    one["preset_id"] = preset_id
    return _validated(document)


def with_stages_of(rig: Rig, chain: Chain, stages: set[str]) -> Rig:
    """The rig with the main voice's stages of some kinds as another chain has them: put in, replaced, or taken out. A
    stage that is put in comes behind those that come before it in the other chain. Raises BadSetting."""
    voice = _main_voice(rig)
    kept = [slot for slot in voice.chain if slot.stage not in stages]
    order = [slot.stage for slot in default_chain()]
    for slot in chain:
        if slot.stage in stages:
            before = order[: order.index(slot.stage)]
            place = max((i + 1 for i, one in enumerate(kept) if one.stage in before), default=0)
            kept.insert(place, slot)
    return with_chain(rig, voice.id, tuple(kept), voice.preset_id)


SettingValue = float | bool | str | list[dict[str, Any]]
"""What can stand at a setting's path: a value, or a whole chain."""


def stage_changes(
    rig: Rig, one: InputSettings, stage: StageName, values: dict[str, float | bool | str]
) -> dict[str, SettingValue]:
    """What gives an input's first stage of a kind such settings, and puts it to work: an EQ that is not there comes
    first in the chain, anything else at its end, ahead of the limiter."""
    slot = find_stage(one.chain, stage)
    if slot is not None:
        path = rig.stage_path(slot.id)
        found: dict[str, SettingValue] = {
            f"{path}.settings.{name}": value for name, value in values.items()
        }
        return {**found, f"{path}.is_bypassed": False} if slot.is_bypassed else found
    last = one.chain[-1].id if one.chain else ""
    grown = with_stage(rig, one.id, stage, "" if stage == "eq" else last)
    there = grown.input(one.id)
    assert there
    added = next(slot for slot in there.chain if slot.id not in rig.stage_ids)
    path = grown.stage_path(added.id)
    made = changed_together(
        grown, {f"{path}.settings.{name}": value for name, value in values.items()}
    ).input(one.id)
    assert made
    return {f"inputs.{one.id}.chain": _dumped(made)}


def with_more_trim(rig: Rig, gain_db: float) -> Rig:
    """The rig with the main voice's first trim louder by so much; one is put in if there is none. Raises BadSetting."""
    voice = _main_voice(rig)
    if not any(slot.stage == "trim" for slot in voice.chain):
        rig = with_stage(rig, voice.id, "trim", "")
    trim = next(slot for slot in rig.chain if slot.stage == "trim")
    gain = round(trim.settings.gain_db + gain_db, 1)
    return changed(rig, f"{rig.stage_path(trim.id)}.settings.gain_db", gain)


def _main_voice(rig: Rig) -> InputSettings:
    if rig.voice is None:
        raise BadSetting("There is no main voice. Choose your microphone in Wiring first.")
    return rig.voice


def with_dismissal(rig: Rig, key: str, badness: float) -> Rig:
    """The rig with a finding put aside at its present badness; the oldest falls out at the end."""
    kept = tuple(one for one in rig.dismissed if one.key != key)[-(MOST_DISMISSALS - 1) :]
    document = rig.model_dump(mode="json")
    document["dismissed"] = [
        *(one.model_dump() for one in kept),
        {"key": key, "badness": badness},
    ]
    return _validated(document)
