"""What is known of a sound file that can be played as the microphone."""

from pydantic import BaseModel


class StoredSoundFile(BaseModel):
    """A file that was given, already checked and brought to 48 kHz."""

    id: str
    name: str
    rate_hz: int
    channels: int
    duration_s: float
