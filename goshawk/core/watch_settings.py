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

    is_on: bool = choice(True, "Alert", "Shows this alert while you are live.")
    patience_s: float = number(
        5.0,
        0.0,
        600.0,
        "s",
        "After",
        "How long the problem must last before the alert.",
        step=1.0,
        reads=(
            (0, "alerts at once"),
            (1, "alerts when it lasts a moment"),
            (10, "alerts when it does not pass by itself"),
            (60, "alerts when it lasts for minutes"),
        ),
    )


def _rule(patience_s: float, label: str, help: str) -> Any:
    return Field(Rule(patience_s=patience_s), title=label, description=help)


class WatchRules(Settings):
    """Every kind of trouble."""

    talk_unheard: Rule = _rule(
        3.0, "You talk, but are not heard", "You speak while viewers or the call cannot hear you."
    )
    voice_missing: Rule = _rule(
        2.0,
        "You talk, but your voice does not arrive",
        "Nothing is muted, but no voice reaches viewers.",
    )
    clips: Rule = _rule(0.0, "The microphone clips", "Its peaks reach full scale.")
    ceiling: Rule = _rule(
        0.3, "The mix limiter works hard", "It takes more than 6 dB off the Viewers feed."
    )
    device_lost: Rule = _rule(0.5, "A device is disconnected", "The device of an input is gone.")
    device_silent: Rule = _rule(
        10.0, "The microphone is silent", "The microphone delivers digital silence."
    )
    device_drifts: Rule = _rule(
        10.0, "A device drifts", "Its sample rate differs from what it reports."
    )
    echo: Rule = _rule(5.0, "Echo or howl", "Somebody hears the same sound twice.")
    dropouts: Rule = _rule(0.0, "Dropouts", "Sound was lost, or a device delivered none.")
    gate_chops: Rule = _rule(
        15.0, "The gate cuts speech", "A quarter of your speech stays below its open threshold."
    )
    room_changed: Rule = _rule(
        60.0, "Room or voice has changed", "Your room or voice differs from the sound check."
    )
    covered: Rule = _rule(
        5.0, "Something is above your voice", "Peaks of game, music or call reach yours."
    )
    loudness_off: Rule = _rule(
        30.0, "Too loud or too quiet", "The loudness of the last minute is 3 LU off target."
    )
    delay_grown: Rule = _rule(5.0, "The delay has grown", "20 ms more than when you went live.")
    limiter_hard: Rule = _rule(
        60.0, "The limiter works all the time", "It is active in most of your speech."
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
