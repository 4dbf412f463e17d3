"""What the rules about the wiring look at, and words and mends that several of them use."""

from dataclasses import dataclass, field
from typing import Any

from goshawk.core.computer import Computer
from goshawk.core.device_info import DeviceInfo, Known, info_of
from goshawk.core.measure.alike import Alike
from goshawk.core.measure.levels import StationLevels
from goshawk.core.measure.microphone import MicrophoneHealth
from goshawk.core.rig import Rig
from goshawk.core.routing import FEED_LABELS, FeedName, InputSettings
from goshawk.core.rules.finding import Mend


@dataclass(frozen=True)
class Wired:
    """What the rules look at. Device statuses are those of ``Port.status``; delays run from the
    microphone to each listener."""

    rig: Rig
    devices: dict[str, dict[str, Any]]
    known: Known
    delays_ms: dict[FeedName, float] = field(default_factory=dict)
    alike: tuple[Alike, ...] = ()
    health: dict[str, MicrophoneHealth] = field(default_factory=dict)
    """Of the voices' devices, by the input's id."""
    stations: dict[str, StationLevels] = field(default_factory=dict)
    bad_samples: dict[str, int] = field(default_factory=dict)
    outputs: dict[str, dict[str, Any]] = field(default_factory=dict)
    """How each output does, by its id (see ``OutputReading``)."""
    computer: Computer = field(default_factory=Computer)

    def hears(self, feed: FeedName, one: InputSettings) -> bool:
        """Whether an input is wired into a feed and not muted on its way."""
        return one.sends.to(feed).is_heard and not one.is_muted

    def label(self, device: str) -> str:
        """A device's name."""
        return self.info(device).label

    def info(self, device: str) -> DeviceInfo:
        """What a device can do."""
        return info_of(self.known, device)

    def is_in_the_room(self, one: InputSettings) -> bool:
        """Whether loudspeakers reach an input's device."""
        return self.info(one.device).is_in_the_room


def listed(feeds: list[FeedName]) -> str:
    """Viewers, Call and Archive."""
    names = [FEED_LABELS[feed] for feed in feeds]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def send_path(one: InputSettings, feed: FeedName) -> str:
    return f"inputs.{one.id}.sends.{feed}"


def take_off(one: InputSettings, feed: FeedName) -> Mend:
    return Mend(
        label=f"Take {one.name} off {FEED_LABELS[feed]}",
        changes={f"{send_path(one, feed)}.is_heard": False},
    )


def headphones() -> Mend:
    return Mend(label="Use headphones", changes={"feeds.you.output": "headphones"})


def evidence(pair: Alike) -> str:
    return f"found by sound, not by guess: correlation {pair.correlation:.2f}"
