"""What a rig says of MIDI: which control of which channel moves what. The page hears the controls; here is what is kept."""

from typing import Annotated

from pydantic import Field, StringConstraints

MOST_BINDINGS = 64
MidiBinding = Annotated[
    str,
    StringConstraints(
        pattern=r"^(control|note) ([1-9]|1[0-6]) ([0-9]|[1-9][0-9]|1[01][0-9]|12[0-7]): [a-z][a-zA-Z0-9_. ]{0,119}$"
    ),
]
"""``control 1 7: inputs.game.fader_db``: a control change or a note, its channel from 1 to 16, its number from 0 to 127, and a fader's
path or an action's name."""

MidiBindings = Annotated[tuple[MidiBinding, ...], Field(max_length=MOST_BINDINGS)]


def check_midi(bindings: tuple[str, ...]) -> None:
    """Raises ValueError if one control moves two things."""
    controls = [one.partition(":")[0] for one in bindings]
    twice = next((one for one in controls if controls.count(one) > 1), None)
    if twice:
        raise ValueError(f"{twice} would move two things. Take it from one of them first.")
