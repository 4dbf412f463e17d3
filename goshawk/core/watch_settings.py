"""What a rig says of the time on air: which troubles are told, after how long, and how."""

from typing import Any, Literal, get_args

from pydantic import Field

from goshawk.core.settings import Settings, choice, number

RuleName = Literal[
    "talk_unheard",
    "voice_missing",
    "clips",
    "ceiling",
    "device_lost",
    "device_silent",
    "device_drifts",
    "echo",
    "dropouts",
    "gate_chops",
    "room_changed",
    "covered",
    "loudness_off",
    "delay_grown",
    "limiter_hard",
]
HeardAs = Literal["was", "came"]
"""How a moment is heard again: as viewers got it, or the main voice as it came, where nobody heard it."""

RULE_NAMES: tuple[RuleName, ...] = get_args(RuleName)


class Rule(Settings):
    """Whether one kind of trouble is told, and how long it has to last before."""

    is_on: bool = choice(True, "Told", "Whether it is told while you are on air.")
    patience_s: float = number(
        5.0,
        0.0,
        600.0,
        "s",
        "After",
        "So long it has to last before it is told.",
        step=1.0,
        reads=(
            (0, "is told at once"),
            (1, "is told when it lasts a moment"),
            (10, "is told when it does not pass by itself"),
            (60, "is told when it has lasted for minutes"),
        ),
    )


def _rule(patience_s: float, label: str, help: str) -> Any:
    return Field(Rule(patience_s=patience_s), title=label, description=help)


class WatchRules(Settings):
    """Every kind of trouble."""

    talk_unheard: Rule = _rule(
        3.0, "You talk, but are not heard", "Seconds of speech while viewers or the call are shut."
    )
    voice_missing: Rule = _rule(
        2.0, "You talk, but nothing arrives", "Nothing is muted, and yet no voice reaches viewers."
    )
    clips: Rule = _rule(0.0, "The microphone clips", "It stands at full scale.")
    ceiling: Rule = _rule(
        0.3, "The ceiling works hard", "The ceiling of what viewers get takes more than 6 dB."
    )
    device_lost: Rule = _rule(0.5, "A device is lost", "An input's device is gone.")
    device_silent: Rule = _rule(
        10.0, "The microphone is silent", "Digital silence, as no microphone ever is."
    )
    device_drifts: Rule = _rule(10.0, "A device drifts", "Its rate is not what it says.")
    echo: Rule = _rule(5.0, "An echo, or a howl", "Somebody hears the same sound twice.")
    dropouts: Rule = _rule(0.0, "Dropouts", "Sound that was lost on its way.")
    gate_chops: Rule = _rule(
        15.0, "The gate cuts speech", "A quarter of the speech stays under it."
    )
    room_changed: Rule = _rule(
        60.0, "The room has changed", "Room or voice are not those of the sound check any more."
    )
    covered: Rule = _rule(
        5.0, "Something is over you", "The game's, music's or call's peaks reach yours."
    )
    loudness_off: Rule = _rule(
        30.0, "Too loud, or too soft", "Loudness of the last minute, 3 LU beside the target."
    )
    delay_grown: Rule = _rule(5.0, "The delay has grown", "20 ms more than when you went on air.")
    limiter_hard: Rule = _rule(
        60.0, "The limiter works all the time", "It touches most of what you say."
    )

    def of(self, name: RuleName) -> Rule:
        """One of them."""
        rule: Rule = getattr(self, name)
        return rule


class WatchSettings(Settings):
    """How an evening is watched."""

    records: bool = choice(True, "Record too", "Going live also starts a recording.")
    says_aloud: bool = choice(
        True,
        "Spoken alerts",
        "Plays a tone and a few words in your monitor mix. Nobody else hears them.",
    )
    aloud_db: float = number(
        -12.0,
        -40.0,
        0.0,
        "dB",
        "Alert volume",
        "Volume of spoken alerts in your monitor mix.",
        step=1.0,
        reads=(
            (-40, "is hardly heard"),
            (-24, "is soft"),
            (-12, "stands clear of what you hear"),
            (-5, "is loud"),
        ),
    )
    rules: WatchRules = WatchRules()
