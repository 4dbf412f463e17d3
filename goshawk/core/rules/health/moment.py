"""What is known of a moment on air: what the rules look at."""

from dataclasses import dataclass, field

from goshawk.core.routing import FeedName
from goshawk.core.rules.finding import Finding


@dataclass(frozen=True)
class DeviceMoment:
    """How an input's device does, and how often it has dropped out since the last moment."""

    state: str
    said: str = ""
    dropouts: int = 0


@dataclass(frozen=True)
class Slow:
    """What takes longer to be known, as it was known last: findings, and where in the evening that began of which a finding says
    so by its key; the sentence of what has drifted away since the sound check, loudness of the last minute, delays."""

    findings: tuple[Finding, ...] = ()
    since_s: dict[str, float] = field(default_factory=dict)
    drift: str = ""
    loudness_lufs: float | None = None
    delay_ms: dict[FeedName, float] = field(default_factory=dict)
    delay_at_start_ms: dict[FeedName, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Moment:
    """Some hops, a few hundredths of a second. Levels in dBFS; None where there is nothing to say."""

    at_s: float
    """Where in the evening it begins."""
    seconds: float
    speech_s: float
    """Of it, speech at the main voice's microphone, and the short rests within words."""
    is_speaking: bool
    """Whether the voice has spoken within the last second."""
    open: dict[FeedName, bool]
    """Whether the main voice is let through to a listener: the gains in force."""
    reach_dbfs: dict[FeedName, float]
    """The highest that the main voice brought to a listener within the last half second."""
    microphone_dbfs: float
    """Highest peak at the main voice's microphone."""
    ceiling_db: float
    """What the Viewers' ceiling takes."""
    over_db: dict[str, float | None]
    """By how much the voice's peaks of late stand over those of each other input now."""
    devices: dict[str, DeviceMoment]
    """By the input's id."""
    missed_s: float = 0.0
    """Sound that was lost since the last moment."""
    playing: str = "devices"
    slow: Slow = Slow()
