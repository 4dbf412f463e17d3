"""The plan: the one numbered statement of what the engine is to do now.

It holds the rig and everything that lasts and is not saved. The client makes a new one with every change and sends it
until the engine's readings name its number; starting, starting again and changing are the same path.
"""

from pydantic import Field

from goshawk.core.chain_slots import Chain
from goshawk.core.graph.comparison import Heard
from goshawk.core.rig import Rig
from goshawk.core.settings import Settings

LISTEN = "listen"
"""A point ``listen:`` and a feed's name: what somebody at this feed hears now, recorded inputs too."""


BAND = "band"
"""A point ``band:``, an EQ's id, a colon and a band: what leaves the EQ, this band alone."""


TAKEN = "taken"
"""A point ``taken:``, a suppressor's id, a colon and ``room`` or ``voices``: what it takes by this knowledge alone."""


class Comparing(Settings):
    """What of a loop is heard: through the chain, raw, or through another chain, with a gain."""

    heard: Heard = "chain"
    gain_db: float = 0.0
    other: Chain | None = None


class Plan(Settings):
    """What the engine is to do."""

    number: int = 0
    rig: Rig = Field(default_factory=Rig)
    file: str | None = None
    """Prepared samples that play as the file device."""
    file_round: int = 0
    """A higher one plays the file from its beginning."""
    is_coughing: bool = False
    points: tuple[str, ...] = ()
    """Where somebody listens, beside what is always offered: LISTEN and a feed's name, ``input:`` and an input's id, or
    a side of a stage, or BAND, or TAKEN."""
    is_watching: bool = False
    """Whether devices run that no input uses."""
    watched: tuple[str, ...] = ()
    """Devices of the computer that run meanwhile, beside those that inputs use."""
    virtual: dict[str, str] = Field(default_factory=dict)
    """What stands behind names of a rig that are no devices: virtual devices that were made at the sound server, by the
    keys of ``core.computer``, and programs that are heard along."""
    cards_round: int = 0
    """Another one says that sound cards have come or gone."""
    is_seen: bool = False
    """Whether somebody looks: readings come at picture rate then, else more calmly."""
    loop: str | None = None
    """A piece of raw microphone (.npy) that plays in its place, to you alone."""
    comparing: Comparing = Comparing()
    replay: str | None = None
    """Recorded inputs (.npy) that play in place of all devices, to you alone; ``replay_names`` are their ids."""
    replay_names: tuple[str, ...] = ()
    replay_gain_db: float = 0.0
    held_db: dict[str, float] = Field(default_factory=dict)
    """What holds add to the trims, by the input's id."""
