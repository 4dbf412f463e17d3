"""The tracks that can be recorded of a rig, and those that are."""

from goshawk.core.graph.stations import behind_chain, came
from goshawk.core.record_settings import MOST_TRACKS, TrackSource
from goshawk.core.recording.document import Track
from goshawk.core.rig import Rig
from goshawk.core.routing import CAME_SOURCE, FEED_LABELS, FEEDS, InputSettings


def offered_tracks(rig: Rig) -> list[Track]:
    """Everything that can be recorded: every input as it came and behind its chain, then every feed."""
    inputs = [
        track for one in rig.inputs for track in (_of_input(one, True), _of_input(one, False))
    ]
    return [*inputs, *(_of_feed(feed) for feed in FEEDS)]


def chosen_tracks(rig: Rig) -> list[Track]:
    """What is recorded: what was chosen and is there, or else the usual."""
    wanted = rig.recording.tracks
    if wanted is None:
        wanted = _usual(rig)
    return [one for one in offered_tracks(rig) if one.source in wanted][:MOST_TRACKS]


def _usual(rig: Rig) -> tuple[TrackSource, ...]:
    """The main voice both ways, so that it can be shaped again; all else as it came, at its full level; what viewers get."""
    sources: list[TrackSource] = []
    for one in rig.inputs:
        sources.append(came(one.id))
        if one.id == rig.chained:
            sources.append(behind_chain(one.id))
    return (*sources, "viewers")


def _of_input(one: InputSettings, as_it_came: bool) -> Track:
    return Track(
        source=came(one.id) if as_it_came else behind_chain(one.id),
        name=f"{one.name}, as it came" if as_it_came else one.name,
        role=one.role,
        channels=2 if one.channels == "stereo" else 1,
    )


def _of_feed(feed: str) -> Track:
    label = next(label for name, label in FEED_LABELS.items() if name == feed)
    return Track(source=feed, name=label, role="feed", channels=2)


def input_of(source: TrackSource) -> str:
    """The id of the input of which a track is made; "" for a feed's."""
    return source.partition(":")[2]


def is_as_it_came(source: TrackSource) -> bool:
    """Whether a track is ahead of its input's chain."""
    return source.startswith(f"{CAME_SOURCE}:")
