"""The names of a recording's folder and files: made from what people wrote, good on every system, never out of the folder."""

import re
from collections.abc import Collection
from datetime import datetime

from pathvalidate import Platform, sanitize_filename

from goshawk.core.record_settings import TrackFormat
from goshawk.core.recording.document import Track
from goshawk.errors import BadSetting

LONGEST_NAME_BYTES = 200
PLACES = ("date", "time", "rig")
_ENDINGS: dict[TrackFormat, str] = {"flac": "flac", "wav": "wav", "opus": "opus"}


def safe_name(text: str) -> str:
    """A text as the name of one file or folder; "" if nothing of it is left."""
    # A leading dot would hide it, and two of them mean another folder.
    name = sanitize_filename(text, replacement_text="-", platform=Platform.UNIVERSAL)
    name = re.sub(r"\s+", " ", name).strip(" .")
    while len(name.encode()) > LONGEST_NAME_BYTES:
        name = name[:-1].rstrip(" .")
    return name


def folder_name(pattern: str, rig_name: str, begins: datetime, there: Collection[str] = ()) -> str:
    """What a recording that begins at a (local) time is called; a number follows if that name is there already. Raises
    BadSetting with a sentence if the pattern gives no name."""
    known = {
        "date": begins.strftime("%Y-%m-%d"),
        "time": begins.strftime("%H.%M"),
        "rig": rig_name,
    }
    for place in re.findall(r"\{([^{}]*)\}?", pattern):
        if place not in known:
            raise BadSetting(
                f"{{{place}}} cannot be filled in. Use {{date}}, {{time}} and {{rig}} in the name.",
                "recording.pattern",
            )
    name = safe_name(re.sub(r"\{(\w+)\}", lambda found: known[found[1]], pattern))
    if not name:
        raise BadSetting(
            "That gives no name that a folder can have. Write some letters, or {date}.",
            "recording.pattern",
        )
    taken = {one.casefold() for one in there}
    number, free = 1, name
    while free.casefold() in taken:
        number += 1
        free = f"{name} ({number})"
    return free


def with_files(tracks: list[Track], file_format: TrackFormat) -> tuple[Track, ...]:
    """The tracks, each with the name of its file: numbered, so that they stand in their order."""
    return tuple(
        one.model_copy(
            update={
                "file": f"{number:02d} {safe_name(one.name) or 'track'}.{_ENDINGS[file_format]}"
            }
        )
        for number, one in enumerate(tracks, start=1)
    )
