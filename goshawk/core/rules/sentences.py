"""What each listener hears, said in a sentence."""

from goshawk.core.rig import Rig
from goshawk.core.routing import FeedName, InputSettings
from goshawk.core.text.figures import listed, minus

_WHO: dict[FeedName, tuple[str, str, str]] = {
    "viewers": ("Viewers", "hear", "do not hear"),
    "you": ("You", "hear", "do not hear"),
    "call": ("The call", "hears", "does not hear"),
    "archive": ("The archive", "keeps", "does not keep"),
}


def _with_level(one: InputSettings, feed: FeedName) -> str:
    send = one.sends.to(feed)
    said = one.name
    if send.level_db:
        said += f" at {minus(send.level_db, 1).removesuffix('.0')} dB"
    if one.is_muted:
        said += " (muted)"
    return said


def feed_sentence(rig: Rig, feed: FeedName) -> str:
    """For instance: Viewers hear Voice, Game at −3 dB and Music. They do not hear Bells."""
    who, hears, hears_not = _WHO[feed]
    settings = rig.feeds.of(feed)
    if settings.is_muted:
        return f"{who} {hears} nothing: the feed is muted."
    heard = [one for one in rig.inputs if one.sends.to(feed).is_heard]
    not_heard = [one.name for one in rig.inputs if not one.sends.to(feed).is_heard]
    if feed == "viewers" and rig.is_on_break:
        kept = [one for one in heard if one.role == "music"]
        music = listed([_with_level(one, feed) for one in kept]) if kept else "nothing"
        return f"Break: viewers hear {music} until you end it."
    if not heard:
        return f"{who} {hears} nothing."
    dry = [one.name for one in heard if one.sends.to(feed).tap == "before_fader"]
    raw = [one.name for one in heard if one.sends.to(feed).tap == "as_it_came"]
    said = f"{who} {hears} {listed([_with_level(one, feed) for one in heard])}"
    came = "as it came" if len(raw) == 1 else "as they came"
    for some, where in ((dry, "ahead of the fader"), (raw, came)):
        if some:
            said += f", {'all' if len(some) == len(heard) > 1 else listed(some)} {where}"
    said += "."
    if not_heard and feed in ("viewers", "you"):
        they = "They" if feed == "viewers" else "You"
        said += f" {they} {hears_not} {listed(not_heard)}."
    elif not_heard:
        said += f" It {hears_not} {listed(not_heard)}."
    return said
