"""The devices there are, with what they can do, and what can go wrong with them on request."""

from dataclasses import dataclass

from goshawk.core.device_info import DeviceInfo, OutputInfo
from goshawk.errors import BadInput, NotFound

INPUT_DEVICES: tuple[DeviceInfo, ...] = (
    DeviceInfo(
        "attic",
        "Attic interface",
        "Two channels: the microphone on the left, nothing on the right. A stand-in.",
        "interface",
        2,
        knobs="attic",
        is_in_the_room=True,
        performs=True,
        preamp_path="devices.attic.preamp_gain_db",
    ),
    DeviceInfo(
        "laptop",
        "Laptop microphone",
        "Farther from the mouth, at 44.1 kHz, with a clock of its own. A stand-in.",
        "microphone",
        1,
        44_100,
        120.0,
        is_in_the_room=True,
        air_ms=2.5,
    ),
    DeviceInfo(
        "browser",
        "This browser's microphone",
        "A real one, through this page.",
        "microphone",
        2,
        knobs="page",
        is_of_a_page=True,
        can_fail=False,
    ),
    DeviceInfo("game", "Lanternlock", "The game's own sound. A stand-in.", "program", 2),
    DeviceInfo(
        "player",
        "Music player",
        "With a volume of its own. A stand-in.",
        "program",
        2,
        knobs="player",
        volume_path="devices.player.volume_db",
    ),
    DeviceInfo(
        "call",
        "Call service",
        "The co-pilot's voice, one channel. A stand-in.",
        "service",
        1,
        knobs="call_service",
        is_call=True,
        returns_path="devices.call_service.sends_back",
    ),
    DeviceInfo(
        "computer",
        "Everything the computer plays",
        "Game, music and call together, as a desktop capture takes them. A stand-in.",
        "program",
        2,
        is_everything=True,
    ),
    DeviceInfo(
        "file", "Sound file", "A file that you gave, played as a device.", "file", 2, knobs="file"
    ),
)
DEVICES = {device.id: device for device in INPUT_DEVICES}


OUTPUT_DEVICES: tuple[OutputInfo, ...] = (
    OutputInfo("encoder", "Broadcast encoder", "What viewers get is measured there. A stand-in."),
    OutputInfo("monitor", "Your ears", "Headphones, or the loudspeakers in the room. A stand-in."),
    OutputInfo("call", "Call service", "What the co-pilot gets. A stand-in."),
)
PROCESSOR = "processor"
PRACTICE_UNIT = OutputInfo(
    PROCESSOR, "Practice unit", "An outboard unit that warms the sound, for inserts. A stand-in."
)
STAND_IN_OUTPUTS = tuple(one.id for one in OUTPUT_DEVICES)


@dataclass(frozen=True)
class FaultInfo:
    """Something that can be made to go wrong, with the range of its figure if it has one."""

    name: str
    label: str
    unit: str = ""
    default: float = 0.0
    minimum: float = 0.0
    maximum: float = 0.0


FAULT_LIST: tuple[FaultInfo, ...] = (
    FaultInfo("unplug", "Unplug"),
    FaultInfo("replug", "Plug in again"),
    FaultInfo("stall", "Stall", "ms", 200.0, 1.0, 5000.0),
    FaultInfo("silence", "Go silent"),
    FaultInfo("rate", "Change the rate to", "Hz", 44_100.0, 8_000.0, 192_000.0),
    FaultInfo("delivers", "Say one rate, deliver", "Hz", 44_100.0, 8_000.0, 192_000.0),
    FaultInfo("drift", "Drift by", "ppm", 200.0, -1000.0, 1000.0),
    FaultInfo("nan", "Deliver what is no number", "samples", 100.0, 1.0, 10_000.0),
    FaultInfo("dc", "Add a constant offset of", "dBFS", -30.0, -60.0, 0.0),
    FaultInfo("hum", "Hum at", "Hz", 50.0, 40.0, 70.0),
    FaultInfo("clip", "Clip at", "dBFS", -12.0, -60.0, 0.0),
    FaultInfo("invert", "Send the left channel upside down on the right"),
    FaultInfo("heal", "Mend everything"),
)
FAULTS = {fault.name: fault for fault in FAULT_LIST}


def checked_fault(device: str, name: str, value: float | None) -> float:
    """The figure of a fault, its default if none is given.

    Raises NotFound if there is no such device, BadInput with a sentence if the fault is refused."""
    if device not in DEVICES:
        raise NotFound(f"There is no device {device!r}. Look at the list of devices.")
    known = FAULTS.get(name)
    if known is None:
        raise BadInput(f"There is no fault {name!r}. Choose one of {', '.join(FAULTS)}.")
    figure = known.default if value is None else value
    if known.unit and not known.minimum <= figure <= known.maximum:
        raise BadInput(
            f"{known.label} takes {known.minimum:g} to {known.maximum:g} {known.unit}, "
            f"but {figure:g} was given."
        )
    return figure
