"""Something that happened on air, and how long it lasted."""

from pydantic import BaseModel

from goshawk.core.rules.finding import Mend
from goshawk.core.watch_settings import HeardAs, RuleName


class Event(BaseModel):
    """Times in seconds of the evening. ``told_s`` is None until it has lasted for its rule's patience; ``ended_s`` while it
    lasts. What comes back soon is one event, with a ``count``."""

    number: int
    rule: RuleName
    subject: str
    """The input, device or listener that it is about; "" if there is but one."""
    title: str
    text: str
    help: str
    began_s: float
    told_s: float | None = None
    ended_s: float | None = None
    count: int = 1
    worst: float = 0.0
    mend: Mend | None = None
    is_known: bool = False
    """Whether the user has said that they know."""
    heard_as: HeardAs = "was"
    """How it shows best when it is heard again."""

    @property
    def lasts(self) -> bool:
        """Whether it goes on."""
        return self.ended_s is None

    def ended(self, at_s: float) -> "Event":
        """The same, at its end if it lasts."""
        return self.model_copy(update={"ended_s": at_s}) if self.lasts else self
