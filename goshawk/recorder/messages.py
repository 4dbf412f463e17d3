"""What goes between the web process (or the command line) and the recorder: what is wanted as one document (``wanted.py``), and how it
goes. Models of the core travel as their JSON."""

import asyncio

import msgspec

from goshawk.links import next_body
from goshawk.recorder.wanted import RecorderWanted


class RigOfPlan(msgspec.Struct, tag=True):
    """The rig (JSON) that is heard under a plan; empty: the same as under the plan before."""

    plan: int
    rig: bytes


ToRecorder = RecorderWanted | RigOfPlan


class Status(msgspec.Struct, tag=True):
    """How it goes, some times a second."""

    id: str
    title: str
    folder: str
    first_frame: int
    """Where on the timeline this part begins."""
    frames: int
    """So many it has."""
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


class RecorderAlive(msgspec.Struct, tag=True):
    """It goes on; ``wanted`` is the document that it follows."""

    wanted: int


class Told(msgspec.Struct, tag=True):
    """A sentence for every window: news or trouble."""

    text: str
    level: str


class Finished(msgspec.Struct, tag=True):
    """All is written: the recording's id, its folder, and what is to be said of it."""

    id: str
    folder: str
    said: str = ""


FromRecorder = RecorderAlive | Status | Told | Finished

_to_recorder: msgspec.msgpack.Decoder[ToRecorder] = msgspec.msgpack.Decoder(ToRecorder)
_from_recorder: msgspec.msgpack.Decoder[FromRecorder] = msgspec.msgpack.Decoder(FromRecorder)


async def next_to_recorder(reader: asyncio.StreamReader) -> ToRecorder:
    """The next message. Raises EOFError when the other end is gone."""
    return _to_recorder.decode(await next_body(reader))


async def next_from_recorder(reader: asyncio.StreamReader) -> FromRecorder:
    """The next message of the recorder. Raises EOFError when it is gone."""
    return _from_recorder.decode(await next_body(reader))
