"""What is wanted of the recorder now: one frozen, numbered document.

Whoever starts it (the web process, or the command line) makes it from what is to be recorded. Without a recording the recorder only
waits, ready for one. All places are frames of the timeline. Models of the core travel as their JSON."""

import msgspec


class WantedMark(msgspec.Struct, frozen=True):
    """A mark, and where on the timeline it is."""

    id: int
    frame: int
    name: str
    by: str = "you"


class Recorded(msgspec.Struct, frozen=True, kw_only=True):
    """One recording, into one folder: what is to be recorded (its length and end are still open), where, and where else if that
    fails. ``pattern`` and ``rig_name`` make the folder's name."""

    document: bytes
    folder: str
    rescue_folder: str
    pattern: str
    rig_name: str
    first_frame: int | None = None
    """Where it begins: what nobody has of it any more is silence. None: with what comes."""
    frames: int = 0
    """So many, and then it ends by itself; 0: until ``end_frame`` is known."""
    end_frame: int | None = None
    """Where it ends; None: it goes on."""
    marks: tuple[WantedMark, ...] = ()
    """All of them; those of a part before this one are passed over."""


class RecorderWanted(msgspec.Struct, frozen=True, kw_only=True, tag=True):
    """All of it."""

    number: int
    recorded: Recorded | None = None
