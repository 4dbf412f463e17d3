"""What a finding is: a sentence with a number, the reason, and the one action that mends it."""

from collections.abc import Iterable

from pydantic import BaseModel

from goshawk.core.rig import Rig
from goshawk.core.routing import FeedName

WORSE_BY = 3.0
"""A finding that was put aside comes back when its figure (mostly decibels) is this much worse."""

Value = float | bool | str


class Mend(BaseModel):
    """The settings that mend a finding, changed together; or (``unity``) a virtual device, by its key, that is to pass sound
    as it is."""

    label: str
    changes: dict[str, Value]
    unity: str = ""


class Finding(BaseModel):
    """Something worth a sentence.

    ``key`` names it with what it is about; ``badness`` grows as it gets worse, in the unit that fits;
    ``marks`` are the paths of the settings it is about, to be marked where they are shown."""

    code: str
    key: str
    title: str
    text: str
    badness: float = 0.0
    marks: list[str] = []
    feeds: list[FeedName] = []
    mend: Mend | None = None
    evidence: str = ""


def not_put_aside(findings: Iterable[Finding], rig: Rig) -> list[Finding]:
    """Those that were not put aside, or have become worse since."""
    aside = {one.key: one.badness for one in rig.dismissed}
    return [
        one for one in findings if one.key not in aside or one.badness > aside[one.key] + WORSE_BY
    ]
