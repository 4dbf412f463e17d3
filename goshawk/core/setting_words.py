"""Settings by their paths, in words: where they are and what they are called, by their own declarations."""

from typing import Any

from pydantic import BaseModel

from goshawk.core.chain_slots import STAGE_LABELS
from goshawk.core.feeds import FEED_LABELS
from goshawk.core.rig import Rig
from goshawk.units import in_words

_SWITCHES = {
    "is_muted": ("muted", "unmuted"),
    "is_on_break": ("Break on", "Break off"),
    "is_bypassed": ("bypassed", "in the chain again"),
}
"""What a switch is called that has a word of its own, on and off."""


def setting_in_words(rig: Rig, path: str, value: Any) -> str:
    """Say what a setting became, such as "Voice, Gate: Range 24 dB". ``rig`` is one in which the path leads somewhere; where it does
    not, its last name is said."""
    places, label, unit = _found(rig, path)
    name = path.rpartition(".")[2]
    if name in _SWITCHES and isinstance(value, bool):
        word = _SWITCHES[name][0 if value else 1]
        return f"{', '.join(places)} {word}".strip()
    return (
        f"{', '.join(places)}: {label} {_value(value, unit)}"
        if places
        else f"{label} {_value(value, unit)}"
    )


def _found(rig: Rig, path: str) -> tuple[list[str], str, str]:
    """The names of what a path leads through, the setting's label, and its unit."""
    here: Any = rig
    places: list[str] = []
    label, unit = "", ""
    for part in path.split("."):
        if isinstance(here, tuple):
            here = next((one for one in here if getattr(one, "id", None) == part), None)
            if here is not None:
                places.append(_name(here))
            continue
        field = type(here).model_fields.get(part) if isinstance(here, BaseModel) else None
        label = (field.title if field and field.title else part.replace("_", " ")).strip()
        extra = field.json_schema_extra if field else None
        unit = str(extra.get("unit", "")) if isinstance(extra, dict) else ""
        feed = FEED_LABELS.get(part)  # type: ignore[call-overload]
        if feed:
            places.append(feed)
        here = getattr(here, part, None)
    return places, label, unit


def _name(one: Any) -> str:
    stage = getattr(one, "stage", None)
    if stage is not None:
        return STAGE_LABELS[stage]
    return str(getattr(one, "name", "") or getattr(one, "id", ""))


def _value(value: Any, unit: str) -> str:
    match value:
        case bool():
            return "on" if value else "off"
        case int() | float():
            return in_words(value, unit)
        case None:
            return "none"
        case str():
            return value.replace("_", " ") or "none"
        case _:
            return "changed"
