"""The ends of WAV and Ogg Opus files that were cut short while they were written.

Sources: EBU Tech 3306 (RF64), RFC 3533 (Ogg pages), RFC 7845 (Ogg Opus: its length is the last page's granule position
less the pre-skip, and may end within a page)."""

import os
from pathlib import Path

_WIDE = 0xFFFFFFFF
_PAGE_HEAD, _TAIL_BYTES = 27, 1 << 18
_PAGE_END = 4
"""The flag of a stream's last page."""


def _word(data: bytes, at: int, size: int = 4) -> int:
    return int.from_bytes(data[at : at + size], "little")


def wav_frames(path: Path) -> int:
    """How many whole frames lie in a WAV file, whatever its head says. Raises ValueError if it is none."""
    data_at, frame_bytes, _ = _wav(path)
    return max(0, path.stat().st_size - data_at) // frame_bytes


def cut_wav(path: Path, frames: int) -> None:
    """Keep so many frames, and write the length into the head."""
    data_at, frame_bytes, wide_at = _wav(path)
    size = frames * frame_bytes
    with path.open("r+b") as file:
        file.truncate(data_at + size)
        if size % 2:  # Chunks are of even length.
            file.seek(data_at + size)
            file.write(b"\0")
        whole = data_at + size + size % 2 - 8
        if wide_at is not None:
            file.seek(wide_at)
            file.write(b"".join(one.to_bytes(8, "little") for one in (whole, size, frames)))
        else:
            file.seek(4)
            file.write(whole.to_bytes(4, "little"))
            file.seek(data_at - 4)
            file.write(size.to_bytes(4, "little"))
        file.flush()
        os.fsync(file.fileno())


def _wav(path: Path) -> tuple[int, int, int | None]:
    """Where the samples begin, bytes of a frame, and where the lengths stand if it is an RF64 file."""
    with path.open("rb") as file:
        head = file.read(4096)
    if head[8:12] != b"WAVE" or head[:4] not in (b"RIFF", b"RF64"):
        raise ValueError("no WAV file")
    at, frame_bytes, wide_at = 12, 0, None
    while at + 8 <= len(head):
        name, size = head[at : at + 4], _word(head, at + 4)
        if name == b"data":
            if not frame_bytes:
                break
            return at + 8, frame_bytes, wide_at
        if name == b"fmt ":
            frame_bytes = _word(head, at + 20, 2)
        elif name == b"ds64":
            wide_at = at + 8
        at += 8 + size + size % 2
    raise ValueError("cut within its head")


def _ogg_table() -> list[int]:
    table = []
    for byte in range(256):
        value = byte << 24
        for _ in range(8):
            value = (value << 1 ^ (0x04C11DB7 if value >> 31 else 0)) & _WIDE
        table.append(value)
    return table


_OGG_CRC = _ogg_table()


def _ogg_crc(page: bytes) -> int:
    value = 0
    for byte in page:
        value = (value << 8 & _WIDE) ^ _OGG_CRC[value >> 24 ^ byte]
    return value


def _pages(data: bytes, start: int) -> list[tuple[int, bytes]]:
    """Every whole page of a piece of a file, with its place."""
    found = []
    at = data.find(b"OggS")
    while at >= 0 and at + _PAGE_HEAD <= len(data):
        table_end = at + _PAGE_HEAD + data[at + 26]
        end = table_end + sum(data[at + _PAGE_HEAD : table_end])
        page = data[at:end]
        is_whole = end <= len(data) and _word(page, 22) == _ogg_crc(
            page[:22] + bytes(4) + page[26:]
        )
        if is_whole:
            found.append((start + at, page))
        at = data.find(b"OggS", end if is_whole else at + 4)
    return found


def _opus(path: Path, tail: int) -> tuple[int, list[tuple[int, bytes]]]:
    """The pre-skip, and the file's last whole pages that hold sound."""
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(256)
        at = head.find(b"OpusHead")
        if at < 0 or len(head) < at + 12:
            raise ValueError("no Opus file")
        start = max(0, size - tail)
        file.seek(start)
        pages = _pages(file.read(), start)
    unfinished = (1 << 64) - 1
    return _word(head, at + 10, 2), [one for one in pages if 0 < _word(one[1], 6, 8) < unfinished]


def opus_frames(path: Path) -> int:
    """How many frames lie in the whole pages of an Ogg Opus file. Raises ValueError if it is none."""
    skip, pages = _opus(path, _TAIL_BYTES)
    return max(0, _word(pages[-1][1], 6, 8) - skip) if pages else 0


def cut_opus(path: Path, frames: int) -> None:
    """Keep so many frames: the page in which they end is its last."""
    tail, size = _TAIL_BYTES, path.stat().st_size
    while True:
        skip, pages = _opus(path, tail)
        if not pages:
            raise ValueError("it holds no sound")
        is_reached = _word(pages[0][1], 6, 8) - skip <= frames
        if is_reached or tail >= size:
            break
        tail *= 4
    at, page = next((one for one in pages if _word(one[1], 6, 8) - skip >= frames), pages[-1])
    ends = min(frames + skip, _word(page, 6, 8))
    page = page[:5] + bytes([page[5] | _PAGE_END]) + ends.to_bytes(8, "little") + page[14:]
    page = page[:22] + bytes(4) + page[26:]
    page = page[:22] + _ogg_crc(page).to_bytes(4, "little") + page[26:]
    with path.open("r+b") as file:
        file.seek(at)
        file.write(page)
        file.truncate(at + len(page))
        file.flush()
        os.fsync(file.fileno())
