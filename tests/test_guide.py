"""The guide speaks of all there is, and its links lead somewhere."""

import re
from collections.abc import Iterator
from pathlib import Path

import pytest

from goshawk.core.chain_slots import SLOTS, STAGE_LABELS
from goshawk.core.record_settings import RecordSettings
from goshawk.core.rig import Rig, Targets
from goshawk.core.routing import (
    AtticSettings,
    CallServiceSettings,
    FeedSettings,
    FileSettings,
    InputSettings,
    LoudspeakerSettings,
    OutputSettings,
    PlayerSettings,
    SendSettings,
    YouFeedSettings,
)
from goshawk.core.settings import Settings
from goshawk.core.watch_settings import RULE_NAMES, Rule, WatchSettings

ROOT = Path(__file__).parents[1]
PAGES = {
    re.sub(r"^\d+-", "", file.stem): file.read_text()
    for file in sorted((ROOT / "docs" / "guide").glob("*.md"))
}
NAMED_IN_CODE = re.compile(r'(?:code=|_finding\(\s*)f?"([a-z_]+)(?:\{[a-z]+\})?"')
BANDS = {"low_pass", "high_pass", "low_shelf", "high_shelf", "band"}


def place_of(heading: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", heading.lower()).strip("-")


def headings(page: str) -> list[str]:
    return re.findall(r"^#+ (.+)$", PAGES[page], re.MULTILINE)


def under(page: str, heading: str) -> str:
    """What stands under a heading, up to the next."""
    parts = re.split(r"^#+ (.+)$", PAGES[page], flags=re.MULTILINE)
    return parts[parts.index(heading) + 1]


def titles(model: type[Settings]) -> Iterator[str]:
    for field in model.model_fields.values():
        if field.title:
            yield field.title


@pytest.mark.parametrize("stage", list(SLOTS))
def test_every_stage_and_each_of_its_settings_has_its_place(stage: str) -> None:
    text = under("chain", STAGE_LABELS[stage])
    assert "*What you hear:*" in text
    model = SLOTS[stage].model_fields["settings"].annotation
    for title in titles(model):
        assert f"**{title}**" in text, f"{title} of {stage}"


OUTSIDE_STAGES: dict[str, tuple[type[Settings], ...]] = {
    "wiring": (
        InputSettings, SendSettings, FeedSettings, YouFeedSettings, OutputSettings, Rig, AtticSettings, PlayerSettings,
        CallServiceSettings, LoudspeakerSettings, FileSettings,
    ),
    "balance": (Targets,),
    "record": (RecordSettings,),
    "watch": (WatchSettings, Rule),
}  # fmt: skip
OF_THE_PROGRAM = {
    "Id",
    "Preset Id",
    "Version",
    "Inputs",
    "Outputs",
    "Dismissed",
    "Hold at target",
    "MIDI",
}
"""What nobody sets as such, or is explained on another page."""


@pytest.mark.parametrize("page", list(OUTSIDE_STAGES))
def test_every_setting_outside_the_chain_has_its_place(page: str) -> None:
    for model in OUTSIDE_STAGES[page]:
        for title in set(titles(model)) - OF_THE_PROGRAM:
            assert f"**{title}**" in PAGES[page], f"{title} of {model.__name__}"


def test_every_finding_and_every_event_has_its_place() -> None:
    said = set(re.findall(r"`([a-z_]+)", " ".join(PAGES.values())))
    for file in (ROOT / "goshawk" / "core" / "rules").rglob("*.py"):
        for code in NAMED_IN_CODE.findall(file.read_text()):
            assert code in said or any(one.startswith(code) for one in said), code
    assert set(RULE_NAMES) <= said


def test_no_link_is_dead() -> None:
    for page, text in PAGES.items():
        for goal in re.findall(r"\]\(([^)]+)\)", text):
            name, _, place = goal.partition("#")
            assert (name or page) in PAGES, f"{page}: {goal}"
            if place:
                assert place in map(place_of, headings(name or page)), f"{page}: {goal}"
