"""Who may hear what: the one place where it is decided.

Every gain from an input towards a listener, and whether a listener's feed leaves Goshawk at all, follow from the rig
and from what plays in place of the devices. It fails closed: what is not open by all of it is shut.
"""

from typing import Literal

from goshawk.core.rig import Rig, changed_together
from goshawk.core.routing import FEEDS, FeedName, InputSettings
from goshawk.units import db_to_linear

Playing = Literal["devices", "loop", "replay"]
"""What the graph is fed with: the devices, a loop of raw voice in the microphone's place, or recorded inputs in place
of all devices."""


def send_gain(
    rig: Rig,
    one: InputSettings,
    feed: FeedName,
    *,
    is_coughing: bool = False,
    held_db: float = 0.0,
    playing: Playing = "devices",
) -> float:
    """The one gain (linear) with which an input enters a feed: send, trim, fader, mutes and the feed's
    fader together; ``held_db`` is what a hold adds to the trim. While a loop plays, you alone hear it, and no
    microphone goes to anybody."""
    settings = rig.feeds.of(feed)
    if playing == "loop" and one.role == "voice":
        is_yours = one.id == rig.chained and feed == "you" and not settings.is_muted
        return db_to_linear(settings.fader_db) if is_yours else 0.0
    send = one.sends.to(feed)
    is_closed = (
        not send.is_heard
        or one.is_muted
        or settings.is_muted
        or (is_coughing and one.role == "voice")
        or (rig.is_on_break and feed == "viewers" and one.role != "music")
    )
    if is_closed:
        return 0.0
    own_db = one.trim_db + held_db + one.fader_db if send.tap == "after_fader" else 0.0
    return db_to_linear(send.level_db + own_db + settings.fader_db)


def replay_gain(rig: Rig, gain_db: float) -> float:
    """The one gain (linear) with which you hear recorded inputs that play: their own, your feed's fader and its mute."""
    you = rig.feeds.you
    return 0.0 if you.is_muted else db_to_linear(gain_db + you.fader_db)


def leaves_alone(
    rig: Rig, one: InputSettings, *, is_coughing: bool = False, playing: Playing = "devices"
) -> bool:
    """Whether an input goes to the outputs of its own, beside the feeds. Whoever is there is taken for a viewer: nothing
    looped or recorded leaves, and on a break only the music does."""
    is_voice = one.role == "voice"
    return not (
        one.is_muted
        or playing == "replay"
        or (is_voice and (is_coughing or playing == "loop"))
        or (rig.is_on_break and one.role != "music")
    )


def feeds_leave(playing: Playing) -> bool:
    """Whether what is in the feeds goes out to their listeners. Recorded inputs are for your ears alone, and you hear
    them as viewers would: no feed goes out then."""
    return playing != "replay"


def only_shut(before: Rig, wished: Rig) -> Rig:
    """The rig before, with all shut that is shut, or gone, in the one that is wished: what is left to be heard where that one
    cannot be."""
    changes: dict[str, object] = {"is_on_break": before.is_on_break or wished.is_on_break}
    for one in before.inputs:
        other = wished.input(one.id)
        if other is None or other.is_muted:
            changes[f"inputs.{one.id}.is_muted"] = True
            continue
        for feed in FEEDS:
            if not other.sends.to(feed).is_heard:
                changes[f"inputs.{one.id}.sends.{feed}.is_heard"] = False
    for feed in FEEDS:
        if wished.feeds.of(feed).is_muted:
            changes[f"feeds.{feed}.is_muted"] = True
    leaving = {out.id for out in wished.outputs if not out.is_muted}
    for out in before.outputs:
        if out.id not in leaving:
            changes[f"outputs.{out.id}.is_muted"] = True
    return changed_together(before, changes)


def when_passed(
    gain: float, *, is_open: bool, opens_at: int | None, frame: int, way_frames: int
) -> tuple[float, int | None]:
    """The gain in force at ``frame`` of one that is wished, and the frame at which it opens (None: nothing waits).

    What is opened stays shut until all that came in before has passed, which takes ``way_frames`` through chain and
    delay: nobody hears afterwards what was said while it was shut. ``opens_at`` is what the last call gave."""
    if gain == 0.0 or is_open:
        return gain, None
    opens_at = frame + way_frames if opens_at is None else opens_at
    return (0.0, opens_at) if frame < opens_at else (gain, None)
