"""How a setting is declared: once, with its name, unit, range, step, default and one line of help.

The same line validates in the API, checks what the database holds and draws the control in the
browser, which reads it as JSON Schema (``minimum``, ``maximum``, ``unit``, ``step``, ``title``).
"""

import unicodedata
from typing import Annotated, Any

from annotated_types import Ge, Le
from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    StringConstraints,
    ValidationError,
)

from goshawk.errors import BadSetting

Id = Annotated[str, StringConstraints(min_length=1, max_length=40, pattern=r"^[a-z0-9_]+$")]
"""The name by which a path finds an item of a list; never shown."""


_CONTROL_CATEGORIES = {"Cc", "Cf", "Cs", "Co", "Zl", "Zp"}
"""Control characters, marks that turn the direction of writing, halves of pairs, line separators: none can be seen, and
some change how what follows reads."""

_JOINERS = "\u200c\u200d"
"""Format characters that several scripts, and signs made of signs, need."""


def _is_hidden(letter: str, allowed: str) -> bool:
    return unicodedata.category(letter) in _CONTROL_CATEGORIES and letter not in allowed


def visible(text: str) -> str:
    """A text without what cannot be seen in a name."""
    return "".join(letter for letter in text if not _is_hidden(letter, _JOINERS)).strip()


def _plain(text: str, allowed: str = _JOINERS) -> str:
    hidden = next((letter for letter in text if _is_hidden(letter, allowed)), None)
    if hidden:
        raise ValueError(
            f"it holds a character that cannot be seen (U+{ord(hidden):04X}). Type it anew."
        )
    return text


PLAIN_TEXT = AfterValidator(_plain)
"""A name: one line, nothing invisible in it."""

DeviceName = Annotated[str, StringConstraints(max_length=200), PLAIN_TEXT]
"""A device as a rig names it; "" is none."""

PLAIN_TEXT_WITH_LINES = AfterValidator(lambda text: _plain(text, _JOINERS + "\n\r\t"))
"""A longer text, which may have lines."""


class Settings(BaseModel):
    """Immutable settings that refuse unknown names, NaN and infinity."""

    model_config = ConfigDict(
        frozen=True,
        extra="forbid",
        allow_inf_nan=False,
        json_schema_serialization_defaults_required=True,
    )

    @classmethod
    def held(cls, name: str, value: float) -> float:
        """A value, held within the range of one of these settings."""
        for rule in cls.model_fields[name].metadata:
            if isinstance(rule, Ge):
                value = max(value, float(rule.ge))  # type: ignore[arg-type]
            elif isinstance(rule, Le):
                value = min(value, float(rule.le))  # type: ignore[arg-type]
        return value


Reads = tuple[tuple[float, str], ...]
"""What a number comes to, from each value on: ascending, from the lowest that may be set."""

LEVEL_READS: Reads = (
    (-60.0, "is nearly silent"),
    (-30.0, "lies far below"),
    (-9.0, "is softer than it comes"),
    (-0.5, "is as loud as it comes"),
    (0.6, "is louder than it comes"),
    (6.5, "is much louder than it comes"),
)
DELAY_READS: Reads = (
    (0.0, "is in time"),
    (0.5, "waits, and hardly anybody notices"),
    (25.0, "waits so long that lips and words may part"),
    (200.0, "waits like an echo"),
)


def number(
    default: float,
    minimum: float,
    maximum: float,
    unit: str,
    label: str,
    help: str,
    *,
    reads: Reads,
    step: float = 0.1,
    taper: str = "linear",
) -> Any:
    """A number with its range, declared once.

    ``unit`` is what stands behind the number on screen; ``step`` is what one arrow key moves (a
    tenth of it with Shift); ``taper`` is "linear" or "log" and shapes the slider's travel only; ``reads``
    says what the present value does, behind "Now …:".
    """
    return Field(
        default,
        ge=minimum,
        le=maximum,
        title=label,
        description=help,
        json_schema_extra={
            "unit": unit,
            "step": step,
            "taper": taper,
            "reads": [[start, text] for start, text in reads],
        },
    )


def choice(default: Any, label: str, help: str) -> Any:
    """A switch or one of a few named values, with its label and help."""
    return Field(default, title=label, description=help)


def sentence_of(error: ValidationError, subject: str, document: Any = None) -> BadSetting:
    """One sentence a person can act on, for the first thing that is wrong in ``subject``.

    With the refused ``document``, places in a list are named by their id rather than counted."""
    first = error.errors()[0]
    field = ".".join(_names(first["loc"], document))
    name = f"{subject}.{field}" if field and subject else field or subject
    context = first.get("ctx", {})
    given = repr(first.get("input"))[:60]
    match first["type"]:
        case "greater_than_equal":
            text = f"{name} must be at least {context['ge']:g}, but {given} was given."
        case "less_than_equal":
            text = f"{name} must be at most {context['le']:g}, but {given} was given."
        case "extra_forbidden":
            text = f"{name} is not a setting that exists. Check its spelling."
        case "missing":
            text = f"{name} is missing. Give it a value."
        case "string_too_short":
            text = f"{name} must not be empty. Type at least {context['min_length']} character."
        case "string_too_long":
            text = f"{name} may have {context['max_length']} characters at most. Shorten it."
        case "value_error" if not name:
            said = str(context["error"])
            text = said[0].upper() + said[1:]
        case "value_error":
            text = f"{name}: {context['error']}"
        case "finite_number":
            text = f"{name} must be a finite number, but {given} was given."
        case "enum" | "literal_error":
            text = f"{name} must be one of {context['expected']}, but {given} was given."
        case _:
            text = f"{name}: {first['msg']} ({given} was given)."
    return BadSetting(text, field=name)


def _names(location: tuple[int | str, ...], document: Any) -> list[str]:
    """The parts of a location as a person would name them. A union's tag, which stands beside the
    place's number, is left out."""
    names: list[str] = []
    place, was_number = document, False
    for part in location:
        if was_number and _field(place, "stage") == part:
            was_number = False
            continue
        was_number = False
        if isinstance(part, int):
            was_number = True
            inside = isinstance(place, list | tuple) and part < len(place)
            place = place[part] if inside else None
            names.append(str(_field(place, "id") or part))
        else:
            place = _field(place, part)
            names.append(part)
    return names


def _field(place: Any, name: str) -> Any:
    """A field of a document, or of a part of it that is a model already."""
    return place.get(name) if isinstance(place, dict) else getattr(place, name, None)
