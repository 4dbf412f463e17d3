"""Sound and picture: who hears too early or too late for the lips."""

from collections.abc import Iterator

from goshawk.core.rules.finding import Finding, Mend
from goshawk.core.rules.wiring.wired import Wired

SOUND_LATER_MS = 125.0


SOUND_EARLIER_MS = 45.0
"""Beyond these, viewers notice that sound comes after or before the picture (ITU-R BT.1359-1)."""


def lips(wired: Wired) -> Iterator[Finding]:
    """Sound against picture, as viewers see it."""
    total_ms = wired.delays_ms.get("viewers")
    if total_ms is None:
        return
    rig = wired.rig
    late_ms = total_ms - rig.picture_delay_ms
    if -SOUND_EARLIER_MS <= late_ms <= SOUND_LATER_MS:
        return
    needless = rig.feeds.viewers.delay_ms
    without = late_ms - needless
    if late_ms > 0 and needless > 0 and -SOUND_EARLIER_MS <= without <= SOUND_LATER_MS:
        mend = Mend(label="No delay for Viewers", changes={"feeds.viewers.delay_ms": 0.0})
    else:
        wait = float(round(min(1000.0, total_ms)))
        mend = Mend(label=f"The picture waits {wait:.0f} ms", changes={"picture_delay_ms": wait})
    way, limit = ("after", SOUND_LATER_MS) if late_ms > 0 else ("before", SOUND_EARLIER_MS)
    yield Finding(
        code="lips",
        key="lips",
        title="Lips and voice come apart",
        text=f"Viewers hear you {abs(late_ms):.0f} ms {way} they see you; more than {limit:.0f} ms shows. "
        f"Delay the picture by {total_ms:.0f} ms in your broadcast program.",
        badness=abs(late_ms) / 10.0,
        marks=["feeds.viewers.delay_ms"],
        feeds=["viewers"],
        mend=mend,
    )
