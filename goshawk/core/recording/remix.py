"""A mix made anew from recorded tracks: the whole graph of a rig, fed by what its inputs gave then."""

from collections.abc import Iterable, Iterator

from goshawk.core.graph.mixer import Mixer
from goshawk.core.graph.stations import came
from goshawk.core.recording.document import Recording
from goshawk.core.recording.tracks import input_of, is_as_it_came
from goshawk.core.rig import Rig
from goshawk.core.routing import FeedName
from goshawk.core.stage import Block, as_stereo
from goshawk.errors import BadRecording

BLOCK_FRAMES = 1024


def remix_rig(rig: Rig, recording: Recording) -> Rig:
    """The rig with every input fed by its track as it came; one that has none is silent. Raises BadRecording if there is
    nothing to mix."""
    there = {input_of(one.source): one for one in recording.tracks if is_as_it_came(one.source)}
    if not any(one.id in there for one in rig.inputs):
        raise BadRecording(
            "None of this recording's tracks as they came belongs to an input of the rig, so it cannot be mixed anew. "
            "Record the inputs as they came next time."
        )
    inputs = tuple(
        one.model_copy(
            update={
                "device": came(one.id) if one.id in there else "",
                "channels": "stereo" if one.channels == "stereo" else "left",
            }
        )
        for one in rig.inputs
    )
    return rig.model_copy(update={"inputs": inputs, "outputs": (), "is_on_break": False})


def remixed(
    rig: Rig, recording: Recording, pieces: Iterable[dict[str, Block]], feed: FeedName = "viewers"
) -> Iterator[Block]:
    """What a feed becomes: pieces of tracks (by their source, each of shape (frames, 1 or 2)) in, pieces of shape (frames, 2)
    out, as many frames in all, the graph's latency taken out."""
    mixer = Mixer(remix_rig(rig, recording), BLOCK_FRAMES)
    late = mixer.latency_frames(feed)
    skipped, given = 0, 0

    def through(sounds: dict[str, Block], frames: int) -> Iterator[Block]:
        nonlocal skipped
        for start in range(0, frames, BLOCK_FRAMES):
            count = min(BLOCK_FRAMES, frames - start)
            mixer.process({name: one[start : start + count] for name, one in sounds.items()}, count)
            out = mixer.feed(feed, count)
            left = max(0, min(count, late - skipped))
            skipped += left
            if left < count:
                yield out[left:].copy()

    for piece in pieces:
        frames = len(next(iter(piece.values())))
        given += frames
        stereo = {name: as_stereo(one) for name, one in piece.items() if is_as_it_came(name)}
        yield from through(stereo, frames)
    yield from through({}, late)
