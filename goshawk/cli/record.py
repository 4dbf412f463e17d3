"""``goshawk record``: a rig played and recorded without a page."""

import asyncio
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from goshawk.bus import Bus
from goshawk.core.graph.stations import recorded_as
from goshawk.core.recording.document import Recording, Track
from goshawk.core.recording.names import with_files
from goshawk.core.recording.tracks import chosen_tracks, offered_tracks
from goshawk.core.rig import Rig
from goshawk.engine.client import EngineClient, ForUser
from goshawk.errors import BadInput, RecorderLost
from goshawk.recorder import messages
from goshawk.recorder.client import RecorderClient
from goshawk.recorder.wanted import Recorded, RecorderWanted
from goshawk.store.recordings.names import new_id
from goshawk.system.desktop import on_end_asked
from goshawk.units import SAMPLE_RATE_HZ

LONGEST_S = 86_400.0
LONGEST_START_S = 240.0


def wanted_tracks(rig: Rig, named: str | None) -> list[Track]:
    """The rig's tracks, or those that are named by their source, divided by commas. Raises BadInput."""
    if named is None:
        return chosen_tracks(rig)
    offered = {one.source: one for one in offered_tracks(rig)}
    wanted = [name.strip() for name in named.split(",") if name.strip()]
    for name in wanted:
        if name not in offered:
            raise BadInput(f"There is no track {name!r}. There are {', '.join(offered)}.")
    if not wanted:
        raise BadInput(f"Name at least one track: {', '.join(offered)}.")
    return [offered[name] for name in dict.fromkeys(wanted)]


async def record(
    rig: Rig, tracks: list[Track], out: Path, seconds: float, say: Callable[[str], None]
) -> Path:
    """Play and record for so long, or until it is interrupted. Returns the recording's folder. Raises RecorderLost,
    TimelineLost."""
    bus = Bus()
    engine = EngineClient(rig, bus)

    def hear(said: ForUser) -> None:
        say(said.text)

    bus.subscribe(ForUser, hear)
    engine.set_points([recorded_as(one.source) for one in tracks])
    document = Recording(
        id=new_id(),
        title="",
        started_utc=datetime.now(UTC),
        file_format=rig.recording.format,
        tracks=with_files(tracks, rig.recording.format),
        rig=rig,
    )
    recorded = Recorded(
        document=document.model_dump_json().encode(),
        folder=str(out),
        rescue_folder=str(out),
        pattern=rig.recording.pattern,
        rig_name=rig.name,
        frames=round(seconds * SAMPLE_RATE_HZ),
    )
    ends: list[int] = []

    def wanted(number: int) -> RecorderWanted:
        end = ends[0] if ends else None
        return RecorderWanted(
            number=number, recorded=msgspec.structs.replace(recorded, end_frame=end)
        )

    found: list[Path] = []

    def heard(message: messages.FromRecorder) -> None:
        match message:
            case messages.Told(text, _):
                say(text)
            case messages.Finished(_, folder, text):
                if text:
                    say(text)
                if folder:
                    found.append(Path(folder))

    async def lost() -> bool:
        return False

    recorder = RecorderClient(engine.memory.name, wanted, heard, lost)

    def end() -> None:
        ends.append(engine.frame_now)
        recorder.changed()

    on_end_asked(asyncio.get_running_loop(), end)
    # The recorder is there first, so that not a frame of the beginning is missing.
    recorder.start()
    await engine.start()
    try:
        async with asyncio.timeout(LONGEST_START_S + seconds * 2.0):
            await recorder.finished.wait()
    except TimeoutError:
        end()
        await recorder.end()
    finally:
        await engine.stop()
    if not found:
        raise RecorderLost("Nothing could be recorded. Look at what was said above.")
    return found[0]
