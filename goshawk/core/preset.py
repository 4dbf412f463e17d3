"""A preset: a chain as a JSON document that can be kept and passed on."""

import json
from typing import Annotated, Any, Literal, Self

from pydantic import ConfigDict, Field, StringConstraints, ValidationError, model_validator

from goshawk.core.chain_slots import Chain, check_chain, default_chain
from goshawk.core.settings import PLAIN_TEXT, PLAIN_TEXT_WITH_LINES, Settings, sentence_of
from goshawk.errors import BadPreset

LARGEST_PRESET_BYTES = 1_000_000
NEWEST_VERSION = 3


PresetName = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80), PLAIN_TEXT
]


class Preset(Settings):
    """A named chain."""

    format: Literal["goshawk-preset"] = "goshawk-preset"
    version: Literal[3] = 3
    name: PresetName = "Preset"
    description: Annotated[str, PLAIN_TEXT_WITH_LINES] = Field("", max_length=500)
    chain: Chain = Field(default_factory=default_chain)

    @model_validator(mode="after")
    def _is_sound(self) -> Self:
        check_chain(self.chain)
        return self


def make_preset(name: str, description: str, chain: Chain) -> Preset:
    """A preset of a chain. Raises BadPreset if the name or the description will not do."""
    try:
        return Preset(name=name, description=description, chain=chain)
    except ValidationError as error:
        raise BadPreset(str(sentence_of(error, "preset"))) from None


class _Header(Settings):
    model_config = ConfigDict(extra="ignore")
    format: str = ""
    version: int = 0


def _upgraded(document: dict[str, Any]) -> dict[str, Any]:
    """Version 1 chose the microphone's channel in the trim; now the input does. Version 2 had no description
    and fewer stages; what it holds is read as it is."""
    chain = document.get("chain")
    if document.get("version") == 1 and isinstance(chain, list):
        for slot in chain:
            settings = slot.get("settings") if isinstance(slot, dict) else None
            if isinstance(settings, dict) and slot.get("stage") == "trim":
                settings.pop("channel", None)
    if document.get("version") in (1, 2):
        document["version"] = NEWEST_VERSION
    return document


def read_preset(text: str | bytes) -> Preset:
    """A preset from JSON. Raises BadPreset, naming the field, if any part of it is refused."""
    if len(text) > LARGEST_PRESET_BYTES:
        raise BadPreset("The preset is larger than 1 MB. A preset is a small JSON file; check it.")
    try:
        header = _Header.model_validate_json(text)
    except ValidationError:
        raise BadPreset("The preset is not a JSON document. Give a file exported here.") from None
    if header.format != "goshawk-preset":
        raise BadPreset('The file is JSON, but not a preset: its "format" is not "goshawk-preset".')
    if header.version > NEWEST_VERSION:
        raise BadPreset(
            f"The preset is of version {header.version}, newer than this program reads "
            f"({NEWEST_VERSION}). Update the program, or export it from an older one."
        )
    try:
        return Preset.model_validate(_upgraded(json.loads(text)))
    except ValidationError as error:
        raise BadPreset(str(sentence_of(error, "preset"))) from None
    except (ValueError, RecursionError):
        raise BadPreset("The preset is not a JSON document. Give a file exported here.") from None
