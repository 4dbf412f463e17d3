"""What a rig says of recordings: which tracks, in which format, where, and under which name."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from goshawk.core.feeds import FEED_PATTERN
from goshawk.core.settings import PLAIN_TEXT, Settings, choice

TrackFormat = Literal["flac", "wav", "opus"]
TrackSource = Annotated[
    str, StringConstraints(pattern=rf"^({FEED_PATTERN}|(input|came):[a-z0-9_]{{1,40}})$")
]
"""A feed, an input behind its chain, or one as it came."""

MOST_TRACKS = 28
DEFAULT_PATTERN = "{date} {time} {rig}"


class RecordSettings(Settings):
    """How recordings are kept."""

    tracks: Annotated[tuple[TrackSource, ...], Field(max_length=MOST_TRACKS)] | None = Field(
        None,
        title="Tracks",
        description="What is recorded, each into a file of its own. None: the main voice both ways, every other input "
        "as it came, and what viewers get.",
    )
    format: TrackFormat = choice(
        "flac",
        "Format",
        "FLAC and WAV keep every bit of 24; Opus makes a small copy that sounds alike.",
    )
    pattern: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), PLAIN_TEXT
    ] = Field(
        DEFAULT_PATTERN,
        title="Name",
        description="How a recording's folder is called: {date}, {time} and {rig} are filled in.",
    )
    folder: Annotated[str, StringConstraints(max_length=1000), PLAIN_TEXT] = Field(
        "", title="Folder", description="Where recordings lie. Empty: in your music folder."
    )
