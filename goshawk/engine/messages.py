"""What goes over the socket between the audio process and the web process: few, small, typed.

A message is one packet. Both ends send without waiting: a packet that does not fit
is dropped, so that a slow reader never makes the sound late. What must arrive is the plan: it is sent until it is seen.
Sound and readings do not go this way but through shared memory (``goshawk.timeline``).
"""

import json
import zlib

import msgspec

from goshawk.core.observed.reach import VoicesNow
from goshawk.core.rig import changed_together
from goshawk.engine.plan import Plan
from goshawk.system.links import Packets
from goshawk.timeline.readings import EngineReading

LARGEST_PACKET_BYTES = 200_000
"""Of all systems' limits the least is some 400 kB for everything that waits."""


class NewPlan(msgspec.Struct, tag=True):
    """What the engine is to do from now on: a plan's JSON, compressed, since the largest rig with a room in every stage
    must fit into a packet."""

    packed: bytes

    @classmethod
    def of(cls, plan: Plan) -> "NewPlan":
        return cls(zlib.compress(plan.model_dump_json().encode(), 1))

    def read(self) -> Plan:
        """The inverse. Raises ValueError."""
        return Plan.model_validate_json(zlib.decompress(self.packed))


class TriedPlan(msgspec.Struct, tag=True):
    """A plan that differs from another (``over`` is its number) in a few values of the rig, by their paths (JSON): what is dragged
    costs little. Who does not have that other plan leaves it: plans are sent again until they are heard."""

    number: int
    over: int
    values: bytes

    def read(self, base: Plan) -> Plan:
        """The plan. Raises BadSetting, ValueError."""
        rig = changed_together(base.rig, json.loads(self.values))
        return base.model_copy(update={"number": self.number, "rig": rig})


class Microphone(msgspec.Struct, tag=True):
    """The browser's sound: interleaved float32."""

    rate_hz: int
    channels: int
    samples: bytes


class MicrophoneStopped(msgspec.Struct, tag=True):
    """The browser's microphone was closed."""


class Click(msgspec.Struct, tag=True):
    """Send a click through, to measure the delay."""


class MakeFault(msgspec.Struct, tag=True):
    """Make something go wrong with a stand-in."""

    device: str
    fault: str
    value: float | None


class SendInsertClick(msgspec.Struct, tag=True):
    """Send a click out by an insert, to measure how long the way out and back takes."""

    stage_id: str


class SayAloud(msgspec.Struct, tag=True):
    """Say one of the spoken sounds in your ears, so loudly (linear)."""

    name: str
    gain: float


class Hurry(msgspec.Struct, tag=True):
    """Let so much sound pass as fast as the readers follow (for tests)."""

    frames: int


class Quit(msgspec.Struct, tag=True):
    """End."""


class Ready(msgspec.Struct, tag=True):
    """It plays now."""


class Seen(msgspec.Struct, tag=True):
    """How far it is, with every reading: the plan under which it plays, whom a microphone reaches, and how it does."""

    plan: int
    end_frame: int
    voices: VoicesNow
    engine: EngineReading


class Said(msgspec.Struct, tag=True):
    """A sentence for the user."""

    text: str


class InsertMeasured(msgspec.Struct, tag=True):
    """How long the way out and back takes; None: nothing came back."""

    stage_id: str
    way_ms: float | None


ToEngine = (
    NewPlan
    | TriedPlan
    | Microphone
    | MicrophoneStopped
    | Click
    | MakeFault
    | SendInsertClick
    | SayAloud
    | Hurry
    | Quit
)
FromEngine = Ready | Seen | Said | InsertMeasured

_encoder = msgspec.msgpack.Encoder()
_to_engine: msgspec.msgpack.Decoder[ToEngine] = msgspec.msgpack.Decoder(ToEngine)
_from_engine: msgspec.msgpack.Decoder[FromEngine] = msgspec.msgpack.Decoder(FromEngine)


def send(end: Packets, message: ToEngine | FromEngine) -> bool:
    """Send one; False if the other end is too slow to take it, or it is too large. Raises OSError if the other end is
    gone."""
    packet = _encoder.encode(message)
    return len(packet) <= LARGEST_PACKET_BYTES and end.send(packet)


def receive_in_engine(end: Packets) -> ToEngine | None:
    """The next message to the engine; None if none waits. Raises EOFError if the other end is gone."""
    packet = end.receive(LARGEST_PACKET_BYTES * 2)
    return None if packet is None else _to_engine.decode(packet)


def receive_from_engine(end: Packets) -> FromEngine | None:
    """The next message of the engine; None if none waits. Raises EOFError if the other end is gone."""
    packet = end.receive(LARGEST_PACKET_BYTES * 2)
    return None if packet is None else _from_engine.decode(packet)
