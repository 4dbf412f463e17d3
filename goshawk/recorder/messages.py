"""What goes between the web process (or the command line) and the recorder. Models of the core travel as their JSON."""

import asyncio

import msgspec

from goshawk.links import next_body


class Begin(msgspec.Struct, tag=True):
    """The first message: what is to be recorded (JSON; beginning, length and place are still open), where, and where else if
    that fails. ``pattern`` and ``rig_name`` make the folder's name."""

    document: bytes
    folder: str
    rescue_folder: str
    pattern: str
    rig_name: str
    frames: int = 0
    """So many, and then it ends by itself; 0: until it is told to."""


class Heard(msgspec.Struct, tag=True):
    """The rig (JSON) that is heard under a plan; empty: the same as under the plan before."""

    plan: int
    rig: bytes


class PutMark(msgspec.Struct, tag=True):
    """A mark: at this moment, or where it was known to be."""

    number: int
    name: str
    by: str = "you"
    frame: int | None = None


class DropMark(msgspec.Struct, tag=True):
    """No mark of this number any more."""

    number: int


class End(msgspec.Struct, tag=True):
    """Record no more: all up to this moment is written."""


ToRecorder = Begin | Heard | PutMark | DropMark | End


class Status(msgspec.Struct, tag=True):
    """How it goes, some times a second."""

    id: str
    title: str
    folder: str
    frames: int
    size_bytes: int
    left_s: float
    """So long the disk still takes it."""
    peaks: list[float]
    """Of each track: the highest since the last, linear."""
    highest: list[float]
    lost_frames: int
    """Silence in place of sound, in all."""
    clipped: list[int]
    """Of each track: how many stretches stood at full scale."""
    is_late: bool
    """Whether the disk is slower than the sound just now."""


class Marked(msgspec.Struct, tag=True):
    """A mark (JSON) is written down."""

    mark: bytes


class Told(msgspec.Struct, tag=True):
    """A sentence for every window: news or trouble."""

    text: str
    level: str


class Finished(msgspec.Struct, tag=True):
    """All is written: the recording's id, its folder, and what is to be said of it."""

    id: str
    folder: str
    said: str = ""


FromRecorder = Status | Marked | Told | Finished

_to_recorder: msgspec.msgpack.Decoder[ToRecorder] = msgspec.msgpack.Decoder(ToRecorder)
_from_recorder: msgspec.msgpack.Decoder[FromRecorder] = msgspec.msgpack.Decoder(FromRecorder)


async def next_to_recorder(reader: asyncio.StreamReader) -> ToRecorder:
    """The next message. Raises EOFError when the other end is gone."""
    return _to_recorder.decode(await next_body(reader))


async def next_from_recorder(reader: asyncio.StreamReader) -> FromRecorder:
    """The next message of the recorder. Raises EOFError when it is gone."""
    return _from_recorder.decode(await next_body(reader))
