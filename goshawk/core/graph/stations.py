"""Names of the places along the level path at which sound is measured, and of the sounds that leave the graph."""

from typing import Literal

from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS, FeedName

MICROPHONE = "microphone"
"""The station at which the main voice comes in."""

RAW = "raw"
"""The sound of the main voice's device, both its channels."""

KEY = "key"
"""The sound that the duckers hear."""

KEPT = "kept"
"""How the sound of a recording's track is called that is one input's; the track's source follows."""

STAGE_SIDES = ("before", "after", "removed")


def comes_in(input_id: str) -> str:
    """The station at which an input that is not the main voice comes in."""
    return f"into/{input_id}"


def to_viewers(input_id: str) -> str:
    """The station at which an input's part of the Viewers feed is measured."""
    return f"viewers/{input_id}"


def feed_station(feed: FeedName | Literal[""]) -> str:
    """The station at which a whole feed is measured."""
    return f"feed/{feed}"


def came(input_id: str) -> str:
    """The sound of an input as it came, in time with the others."""
    return f"came:{input_id}"


def behind_chain(input_id: str) -> str:
    """The sound of an input behind its chain, ahead of its fader."""
    return f"input:{input_id}"


def at_stage(side: str, stage_id: str) -> str:
    """The sound on one of STAGE_SIDES of a stage."""
    return f"{side}:{stage_id}"


def recorded_as(source: str) -> str:
    """The name under which the sound of a recording's track leaves: a feed's as it is, an input's with silence while it may
    not leave."""
    return source if source in FEEDS else f"{KEPT}:{source}"


def kept_sounds(rig: Rig) -> list[str]:
    """The sounds from which a rig's mix can be made again: what the device of the main voice gave, the voice behind its
    chain, the others as they came, and what the duckers heard."""
    others = [came(one.id) for one in rig.inputs if one.id != rig.chained]
    return [RAW, KEY, *([behind_chain(rig.chained)] if rig.voice else []), *others]
