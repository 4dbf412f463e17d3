"""Changes of a rig by their names: inputs and stages come, go and move; chains are taken over. Each makes a new rig."""

from typing import Any

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
from goshawk.core.rig import (
    MOST_DISMISSALS,
    Rig,
    SettingValue,
    changed,
    changed_together,
    validated,
)
from goshawk.core.routing import LOUDSPEAKERS, FeedName, InputSettings, Role
from goshawk.errors import BadSetting

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
    return validated(document)


def without_input(rig: Rig, input_id: str) -> Rig:
    """The rig without an input; there is no main voice if it was that. Raises BadSetting."""
    _require(rig, input_id)
    document = rig.model_dump(mode="json")
    document["inputs"] = [one for one in document["inputs"] if one["id"] != input_id]
    if document["chained"] == input_id:
        document["chained"] = ""
    document["outputs"] = [
        one.model_dump(mode="json") for one in rig.outputs if one.input_id != input_id
    ]
    return validated(document)


def with_output(rig: Rig, source: str, device: str) -> Rig:
    """The rig with one more output at the end. Raises BadSetting."""
    ids = {one.id for one in rig.outputs}
    count = 1
    while f"output_{count}" in ids:
        count += 1
    document = rig.model_dump(mode="json")
    document["outputs"].append({"id": f"output_{count}", "source": source, "device": device})
    return validated(document)


def without_output(rig: Rig, output_id: str) -> Rig:
    """The rig without an output. Raises BadSetting."""
    if rig.output(output_id) is None:
        raise BadSetting(f"There is no output {output_id!r}. It may have been removed.", "outputs")
    document = rig.model_dump(mode="json")
    document["outputs"] = [one for one in document["outputs"] if one["id"] != output_id]
    return validated(document)


def with_program(rig: Rig, input_id: str, program: str) -> Rig:
    """The rig in which an input takes the sound of a program, by its own virtual loudspeakers; "": of none. Another input
    that took it does not any more. Raises BadSetting."""
    _require(rig, input_id)
    document = rig.model_dump(mode="json")
    for one in document["inputs"]:
        if one["id"] == input_id:
            one["takes"] = program
            if program:
                one["device"] = f"{LOUDSPEAKERS}{input_id}"
        elif program and one["takes"] == program:
            one["takes"] = ""
    return validated(document)


def with_feed_as(rig: Rig, feed: FeedName, other: FeedName) -> Rig:
    """The rig in which one listener gets just what another hears: the same inputs, as loud, and the same feed fader."""
    document = rig.model_dump(mode="json")
    for one in document["inputs"]:
        one["sends"][feed] = one["sends"][other]
    for name in ("fader_db", "is_muted"):
        document["feeds"][feed][name] = document["feeds"][other][name]
    return validated(document)


def with_input_moved(rig: Rig, input_id: str, by: int) -> Rig:
    """The rig with an input moved up (negative) or down in the list. Raises BadSetting."""
    _require(rig, input_id)
    document = rig.model_dump(mode="json")
    inputs = document["inputs"]
    here = next(i for i, one in enumerate(inputs) if one["id"] == input_id)
    there = max(0, min(len(inputs) - 1, here + by))
    inputs.insert(there, inputs.pop(here))
    return validated(document)


def _require(rig: Rig, input_id: str) -> None:
    if rig.input(input_id) is None:
        raise BadSetting(f"There is no input {input_id!r}. It may have been removed.", "inputs")


def _with_chain_of(rig: Rig, input_id: str, chain: list[dict[str, Any]]) -> Rig:
    document = rig.model_dump(mode="json")
    one = next(one for one in document["inputs"] if one["id"] == input_id)
    one["chain"] = chain
    return validated(document)


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
    return validated(document)


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
    return validated(document)


def own_rig() -> Rig:
    """The rig of a computer with devices of its own: the usual inputs, none with a device yet, and nothing that leaves
    anywhere, so that nothing is heard before it was chosen."""
    document = Rig(name="My rig").model_dump(mode="json")
    for one in document["inputs"]:
        one["device"] = ""
    return validated({**document, "outputs": []})
