"""What the sound check advises for one stage: its settings, or to leave it out, and why."""

from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel

from goshawk.core.dsp.limiter import LOWEST_CEILING_DBTP
from goshawk.core.rig import Rig
from goshawk.core.settings import Settings

Steadiness = Literal["natural", "steady", "very_steady"]
Confidence = Literal["sure", "likely", "unsure"]

SPREAD_DB: dict[Steadiness, float] = {"natural": 14.0, "steady": 10.0, "very_steady": 6.0}
"""From low to big voice, as speech levels, behind the chain. Programme makers ask for dialogue whose loudness
range stays within some 6 to 18 LU for listening in homes (EBU Tech 3342, section 2, explains the range;
EBU R 128 s1 limits short-term excess); steady is the middle of it, natural leaves most of a laugh, very steady is
for a voice over loud action."""


CEILING_UNDER_FEED_DB = 1.0
"""So far under the viewers' ceiling is the chain's own: the voice alone never meets theirs."""


class Wish(BaseModel):
    """What the user asks for. ``refused`` names stages; ``adjusted`` has values by "stage.setting"."""

    steadiness: Steadiness = "steady"
    is_over_game: bool = True
    voice_peaks_dbfs: float = Rig().targets.voice_peaks_dbfs
    ceiling_dbtp: float = Rig().feeds.viewers.ceiling_dbtp - CEILING_UNDER_FEED_DB
    refused: frozenset[str] = frozenset()
    adjusted: dict[str, float] = {}

    def under(self, rig: Rig) -> "Wish":
        """The same for a rig's targets and ceiling."""
        ceiling_dbtp = max(
            LOWEST_CEILING_DBTP, rig.feeds.viewers.ceiling_dbtp - CEILING_UNDER_FEED_DB
        )
        return self.model_copy(
            update={"voice_peaks_dbfs": rig.targets.voice_peaks_dbfs, "ceiling_dbtp": ceiling_dbtp}
        )


class Suggestion(BaseModel):
    """One setting that is suggested."""

    stage: str
    setting: str
    value: float | bool | str
    unit: str
    reason: str
    confidence: Confidence


@dataclass(frozen=True)
class Advice:
    """For one stage. ``settings`` is None if the stage is left out; ``names`` are the settings that were
    decided, with dots inside ("bell_2.gain_db")."""

    stage: str
    title: str
    reason: str
    confidence: Confidence = "sure"
    settings: Settings | None = None
    names: tuple[str, ...] = ()

    def suggestions(self) -> list[Suggestion]:
        """Its settings one by one."""
        if self.settings is None:
            return []
        return [
            Suggestion(
                stage=self.stage,
                setting=name,
                value=value_at(self.settings, name),
                unit=unit_of(self.settings, name),
                reason=self.reason,
                confidence=self.confidence,
            )
            for name in self.names
        ]


def left_out(stage: str, reason: str, confidence: Confidence = "sure") -> Advice:
    """Nothing of this stage, and why."""
    return Advice(stage, "leave out", reason, confidence)


def _owner(settings: Settings, name: str) -> tuple[Settings, str]:
    *parents, last = name.split(".")
    for parent in parents:
        settings = getattr(settings, parent)
    return settings, last


def value_at(settings: Settings, name: str) -> Any:
    """The value of a setting by its dotted name."""
    owner, last = _owner(settings, name)
    return getattr(owner, last)


def unit_of(settings: Settings, name: str) -> str:
    """The unit that its model declares for it."""
    owner, last = _owner(settings, name)
    extra = type(owner).model_fields[last].json_schema_extra
    return str(extra.get("unit", "")) if isinstance(extra, dict) else ""
