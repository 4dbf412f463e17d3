"""The sound check: takes of a voice and its room in; a chain for them out, with the reasons and the proof.

Each stage is planned from what really arrives at it, by the rules in ``rules.sound_check``, and the takes are
passed through it before the next one is planned. Compressor, makeup and limiter are found together, by
passing the takes through them until spread and peaks are as wished. What cannot be met is said.
"""

from goshawk.core.measure.take import VOICES
from goshawk.core.rules.sound_check.advice import Wish
from goshawk.core.sound_check.check import Check
from goshawk.core.sound_check.outcome import PRESET_NAME, Outcome, describe
from goshawk.core.sound_check.takes import (
    Activities,
    Sounds,
    Tell,
    activities_of,
    measured,
    shortened,
)
from goshawk.errors import BadInput

__all__ = [
    "PRESET_NAME",
    "Activities",
    "Outcome",
    "activities_of",
    "describe",
    "measured",
    "run_sound_check",
    "run_with_sound",
]


def run_sound_check(
    takes: Sounds,
    wish: Wish,
    tell: Tell = lambda text, share: None,
    known: Activities | None = None,
) -> Outcome:
    """Measure, plan, and prove. ``takes``: room, low, usual, big and perhaps keys, each of shape (frames, 1) at
    48 kHz; ``known`` is the activity of those that were measured before. Raises BadInput if one is missing, or a voice cannot
    be heard in its take."""
    return run_with_sound(takes, wish, tell, known)[0]


def run_with_sound(
    takes: Sounds, wish: Wish, tell: Tell, known: Activities | None = None
) -> tuple[Outcome, Sounds]:
    """As ``run_sound_check``, and the takes as they come out of the suggested chain."""
    missing = [kind for kind in ("room", *VOICES) if kind not in takes]
    if missing:
        raise BadInput(f"The take {missing[0]!r} is missing. Give room, low, usual and big.")
    check = Check(
        {kind: shortened(sound) for kind, sound in takes.items()}, wish, tell, known or {}
    )
    return check.run(), check.sounds
