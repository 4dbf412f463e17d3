"""The end of a FLAC file that was cut short while it was written: found, cut where a frame ends, and written into its head.

Source: RFC 9639 (FLAC), sections 8.2 (stream info), 9.1 (frame header), 9.3 (frame footer)."""

import os
import re
from dataclasses import dataclass
from pathlib import Path

_TAIL_BYTES = 1 << 20
_INFO_AT = 18
"""Of rate, channels, bits and length in a file whose first block is its stream info, as RFC 9639 has it."""
_HEADER_BYTES = 16


def _table(polynomial: int, bits: int) -> list[int]:
    table = []
    for byte in range(256):
        value = byte << (bits - 8)
        for _ in range(8):
            value = (value << 1) ^ (polynomial if value >> (bits - 1) else 0)
            value &= (1 << bits) - 1
        table.append(value)
    return table


_CRC8, _CRC16 = _table(0x07, 8), _table(0x8005, 16)


def crc8(data: bytes) -> int:
    """Of a frame's header, section 9.1.8."""
    value = 0
    for byte in data:
        value = _CRC8[value ^ byte]
    return value


def crc16(data: bytes) -> int:
    """Of a whole frame, section 9.3."""
    value = 0
    for byte in data:
        value = ((value << 8) & 0xFFFF) ^ _CRC16[(value >> 8) ^ byte]
    return value


@dataclass(frozen=True)
class FlacFrame:
    """Where a frame begins in the file, and which one it is. Only the last of a closed file is not full."""

    at: int
    number: int
    is_full: bool


def _header(data: bytes, at: int) -> int | None:
    """The number of the frame whose header stands there; None if none does."""
    lead = data[at + 4]
    ones = 8 - (lead ^ 0xFF).bit_length() if lead != 0xFF else 8
    if ones == 1 or ones > 7:
        return None
    length = max(1, ones)
    number = lead if ones == 0 else lead & ((1 << (7 - ones)) - 1)
    for byte in data[at + 5 : at + 4 + length]:
        if byte >> 6 != 0b10:
            return None
        number = number << 6 | byte & 0x3F
    size_code, rate_code = data[at + 2] >> 4, data[at + 2] & 0x0F
    end = at + 4 + length + {6: 1, 7: 2}.get(size_code, 0) + {12: 1, 13: 2, 14: 2}.get(rate_code, 0)
    return number if crc8(data[at:end]) == data[end] else None


class CutFlac:
    """A FLAC file with frames of one size, as libFLAC writes it. Raises OSError, and ValueError if it is none."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(_INFO_AT + 8)
            if len(head) < _INFO_AT + 8 or head[:4] != b"fLaC":
                raise ValueError("no FLAC file")
            self.block_frames = int.from_bytes(head[8:10], "big")
            self._info = int.from_bytes(head[_INFO_AT:], "big")
            at = 4
            while True:
                file.seek(at)
                block = file.read(4)
                if len(block) < 4:
                    raise ValueError("cut within its head")
                at += 4 + int.from_bytes(block[1:], "big")
                if block[0] & 0x80:
                    break
            self._first_at = at

    @property
    def told_frames(self) -> int:
        """The length in its head; 0 where it was never closed."""
        return self._info & ((1 << 36) - 1)

    def end(self) -> tuple[int, int]:
        """How many whole frames of FLAC there are, and where the last one ends."""
        data, start = self._tail(_TAIL_BYTES)
        found = self._frames(data, start)
        end = self._size
        for frame in reversed(found):
            body = data[frame.at - start : end - start]
            if (
                frame.is_full
                and len(body) > 2
                and crc16(body[:-2]) == int.from_bytes(body[-2:], "big")
            ):
                return frame.number + 1, end
            end = frame.at
        if start > self._first_at and found:
            raise ValueError("its last megabyte holds no whole frame")
        return 0, self._first_at

    def cut(self, blocks: int) -> None:
        """Keep so many frames of FLAC, all whole, and write the length into the head."""
        count, end = self.end()
        tail = _TAIL_BYTES
        while blocks < count:
            data, start = self._tail(tail)
            place = next(
                (one.at for one in self._frames(data, start) if one.number == blocks), None
            )
            if place is not None:
                end = place
                break
            if start == self._first_at:
                raise ValueError("frames are missing within")
            tail *= 4
        frames = min(blocks, count) * self.block_frames
        with self.path.open("r+b") as file:
            file.truncate(end)
            file.seek(_INFO_AT)
            file.write((self._info >> 36 << 36 | frames).to_bytes(8, "big"))
            file.write(bytes(16))  # No checksum of all samples: it was never made.
            file.flush()
            os.fsync(file.fileno())
        self._size = end

    def _tail(self, size: int) -> tuple[bytes, int]:
        start = max(self._first_at, self._size - size)
        with self.path.open("rb") as file:
            file.seek(start)
            return file.read(self._size - start), start

    def _frames(self, data: bytes, start: int) -> list[FlacFrame]:
        """Those whose headers are found in a piece of the file."""
        with self.path.open("rb") as file:
            file.seek(self._first_at)
            first = file.read(4)
        if len(first) < 4:
            return []
        found: list[FlacFrame] = []
        for match in re.finditer(re.escape(first[:2]), data):
            at = match.start()
            if at + _HEADER_BYTES > len(data):
                break
            if (data[at + 2] ^ first[2]) & 0x0F:
                continue  # Another rate: no header of this file's.
            number = _header(data, at)
            if number is not None and (not found or number == found[-1].number + 1):
                found.append(FlacFrame(start + at, number, data[at + 2] == first[2]))
        return found
