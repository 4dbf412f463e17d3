"""What is known of the computer's own devices, of the programs that play and record on it, and of the virtual devices that
Goshawk makes: data, which rules and pages read."""

from typing import Literal

from pydantic import BaseModel, ConfigDict

from goshawk.core.device_info import DeviceInfo, OutputInfo
from goshawk.core.rig import Rig
from goshawk.core.routing import FEED_LABELS, FEEDS, LOUDSPEAKERS, VIRTUAL

MICROPHONE = "microphone:"
"""How the key of a virtual microphone begins; the source that leaves by it follows. Of virtual loudspeakers the key is the
input's device, as the rig names it."""

OURS = "goshawk_"
"""How the sound server's names of virtual devices begin that Goshawk makes."""

NO_LIBRARY = "This computer has no library of a sound server (libpulse)."

PROGRAM = "program:"
"""How an input's device begins that is what a program plays, heard along; the program's name follows."""

STREAM = "#"
"""Stands in a device's name ahead of the number of the one stream that is to be heard of all that it plays."""


class _Data(BaseModel):
    model_config = ConfigDict(frozen=True, json_schema_serialization_defaults_required=True)


class ComputerDevice(_Data):
    """A device that is not Goshawk's own. ``id`` is its name in a rig; ``host`` who offers it; a rate of 0 is not known."""

    id: str
    label: str
    direction: Literal["in", "out"]
    host: str
    channels: int
    rate_hz: int = 0
    is_default: bool = False
    is_virtual: bool = False
    is_monitor: bool = False
    """Whether it is what another device plays, rather than a microphone."""


class Program(_Data):
    """A program that plays or records now: ``id`` names its stream, ``name`` the program. ``key`` is the virtual device of
    Goshawk's that it uses, "" for any other; a volume of 1 is unity."""

    id: int
    name: str
    plays: bool
    device: str
    device_name: str = ""
    """As the server calls it."""
    key: str
    volume: float
    is_muted: bool


class VirtualDevice(_Data):
    """One that Goshawk has made: ``device`` is where the engine plays into, or hears it, as a rig names it ("" if its sink is
    gone); ``name`` and ``label`` are what other programs choose. A volume of 1 is unity."""

    key: str
    device: str
    name: str
    label: str
    volume: float
    is_muted: bool
    is_linked: bool
    """Whether a microphone takes what its own sink plays, as the server says."""
    is_astray: bool = False
    """Whether a microphone takes the sound of another source: a raw microphone, perhaps."""


class Computer(_Data):
    """All of it, as it is now. ``server`` names the sound server; the troubles say why there is none, or no cards."""

    server: str = ""
    server_trouble: str = ""
    cards_trouble: str = ""
    devices: tuple[ComputerDevice, ...] = ()
    programs: tuple[Program, ...] = ()
    virtual: tuple[VirtualDevice, ...] = ()

    def device(self, name: str) -> ComputerDevice | None:
        """A device by its name in a rig; None if there is none."""
        return next((one for one in self.devices if one.id == name), None)


def microphone_key(source: str) -> str:
    """How the virtual microphone is called that an output's source leaves by."""
    return f"{MICROPHONE}{source}"


def wanted_virtual(rig: Rig) -> dict[str, str]:
    """Every virtual device that a rig needs, by its key, with the title that other programs see."""
    names = {one.id: one.name for one in rig.inputs}
    wanted = {
        microphone_key(one.source): f"Goshawk: {source_label(rig, one.source)}"
        for one in rig.outputs
        if one.device == VIRTUAL
    }
    for one in rig.inputs:
        if one.device.startswith(LOUDSPEAKERS):
            made_for = one.device.removeprefix(LOUDSPEAKERS)
            wanted[one.device] = f"Goshawk: {names.get(made_for, one.name)}"
        for slot in (slot for slot in one.chain if slot.stage == "insert"):
            if slot.settings.sends_to == VIRTUAL:
                wanted[insert_key(slot.id)] = f"Goshawk: {one.name}, to be treated"
            if slot.settings.comes_from == f"{LOUDSPEAKERS}{slot.id}":
                wanted[slot.settings.comes_from] = f"Goshawk: {one.name}, treated"
    return wanted


def insert_key(stage_id: str) -> str:
    """How the virtual microphone is called that an insert sends to."""
    return f"{MICROPHONE}insert:{stage_id}"


def source_label(rig: Rig, source: str) -> str:
    """What leaves by an output, for people: a feed, or an input and on which side of its chain."""
    for feed in FEEDS:
        if source == feed:
            return FEED_LABELS[feed]
    kind, _, input_id = source.partition(":")
    one = rig.input(input_id)
    name = one.name if one else input_id
    return name if kind == "input" else f"{name}, as it came"


def programs_heard(computer: Computer) -> dict[str, str]:
    """Every program that plays, as a rig names it as an input's device, and by what the engine hears it: its own sound out of
    all that its device plays."""
    return {
        f"{PROGRAM}{one.name}": f"server:{one.device_name}.monitor{STREAM}{one.id}"
        for one in reversed(computer.programs)
        if one.plays and one.device_name
    }


def output_devices(computer: Computer) -> list[OutputInfo]:
    """The computer's devices that an output can take, and a virtual microphone."""
    found = [
        OutputInfo(
            VIRTUAL,
            "Virtual microphone",
            "Any program here can choose it as its microphone.",
            "Goshawk",
        )
    ]
    return [
        *(found if computer.server else []),
        *(
            OutputInfo(one.id, one.label, "", one.host)
            for one in computer.devices
            if one.direction == "out"
        ),
    ]


def input_devices(computer: Computer, rig: Rig) -> list[DeviceInfo]:
    """The computer's devices that an input can take, and the virtual loudspeakers of each input."""
    found = [
        DeviceInfo(
            one.id,
            one.label,
            f"{one.host}; what it plays, taken back." if one.is_monitor else f"{one.host}.",
            "program" if one.is_monitor else "microphone",
            one.channels,
            is_in_the_room=not one.is_monitor and not one.is_virtual,
            can_fail=False,
        )
        for one in computer.devices
        if one.direction == "in"
    ]
    found += [
        DeviceInfo(
            name,
            f"{name.removeprefix(PROGRAM)}, heard along",
            "What this program plays; it plays on where it does.",
            "program",
            2,
            can_fail=False,
        )
        for name in programs_heard(computer)
    ]
    if computer.server:
        found += [
            DeviceInfo(
                f"{LOUDSPEAKERS}{one.id}",
                f"Goshawk: {one.name}",
                "Virtual loudspeakers: what a program plays into them comes in here, and is heard nowhere else.",
                "program",
                2,
                can_fail=False,
            )
            for one in rig.inputs
        ]
    return found
