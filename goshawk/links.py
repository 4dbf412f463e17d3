"""How typed messages go between the web process and those beside it: each behind its length, over a stream that nobody waits
for."""

import asyncio
import struct
from typing import Any

import msgspec

_LENGTH = struct.Struct("<I")
LARGEST_BYTES = 64 << 20
MOST_WAITING_BYTES = 16 << 20

_encoder = msgspec.msgpack.Encoder()


def packed(message: Any) -> bytes:
    """A message behind its length."""
    body = _encoder.encode(message)
    return _LENGTH.pack(len(body)) + body


def put(writer: asyncio.StreamWriter, message: Any) -> None:
    """Send without waiting. A link whose other end takes nothing any more is given up, so that nothing grows without
    end: whoever holds it starts anew."""
    if writer.transport.get_write_buffer_size() > MOST_WAITING_BYTES:
        writer.transport.abort()
    elif not writer.transport.is_closing():
        writer.write(packed(message))


async def next_body(reader: asyncio.StreamReader) -> bytes:
    """The next message as it came. Raises EOFError (IncompleteReadError too) when the other end is gone."""
    (length,) = _LENGTH.unpack(await reader.readexactly(_LENGTH.size))
    if length > LARGEST_BYTES:
        raise EOFError("what comes is no message")
    return await reader.readexactly(length)
