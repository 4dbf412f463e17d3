"""What is known of an input device before it makes a sound, as data: rules and pages ask what a device can do, never
which one it is."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from goshawk.units import SAMPLE_RATE_HZ

Kind = Literal["interface", "microphone", "program", "service", "file"]
Knobs = Literal["", "attic", "player", "call_service", "file", "page"]
"""Which of the devices' own knobs (see ``wiring.DeviceKnobs``) are a device's; "page" are those of the page whose
microphone it is."""


@dataclass(frozen=True)
class DeviceInfo:
    """One input device. Paths are those of settings; "" where there is none."""

    id: str
    label: str
    help: str
    kind: Kind
    channels: int
    rate_hz: int = SAMPLE_RATE_HZ
    clock_ppm: float = 0.0
    air_ms: float = 0.0
    """How much farther it stands from the mouth than a microphone does."""
    knobs: Knobs = ""
    is_in_the_room: bool = False
    """Whether loudspeakers reach it."""
    is_call: bool = False
    """Whether it is the far end of a call, which hears what it is sent."""
    is_everything: bool = False
    """Whether it takes all that the computer plays, a call too."""
    is_of_a_page: bool = False
    """Whether a page gives its sound, at the page's clock."""
    performs: bool = False
    """Whether it does what a take asks for: a stand-in."""
    can_fail: bool = True
    """Whether it can be made to go wrong."""
    preamp_path: str = ""
    """Its preamp, in dB."""
    volume_path: str = ""
    """A volume of its own, in dB, beside the fader."""
    returns_path: str = ""
    """The switch by which it sends back what it is sent."""


@dataclass(frozen=True)
class OutputInfo:
    """Where sound can go. ``host`` is who offers it."""

    id: str
    label: str
    help: str
    host: str = "Practice"


Known = Mapping[str, DeviceInfo]
"""Every device by its id."""


def info_of(known: Known, device: str) -> DeviceInfo:
    """A device's information; one that is not known can do nothing."""
    return known.get(device) or DeviceInfo(device, device, "", "program", 2)
