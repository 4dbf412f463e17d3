"""``goshawk recordings``: what was recorded, listed, shown, mended and handed over."""

import json
from pathlib import Path
from typing import Annotated, Any

import platformdirs
import typer

from goshawk.cli.common import JsonFlag, plain_errors
from goshawk.core.text.figures import clock

recordings_app = typer.Typer(no_args_is_help=True, help="The recordings that are kept.")
FolderOption = Annotated[
    Path | None,
    typer.Option("--in", help="A folder of recordings; without it, Goshawk's usual ones."),
]
WhichArgument = Annotated[str, typer.Argument(help="A recording's folder, its name or its id.")]


def _shelf(folder: Path | None) -> Any:
    from goshawk.store.recordings.shelf import Shelf

    own = platformdirs.user_data_path("goshawk")
    usual = [
        platformdirs.user_music_path() / "Goshawk",
        own / "recordings",
        own / "demo" / "recordings",
    ]
    return Shelf(lambda: [folder] if folder else usual)


def _found(which: str, folder: Path | None) -> Path:
    """A recording's folder. Raises NotFound."""
    from goshawk.core.recording.document import DOCUMENT_NAME
    from goshawk.errors import NotFound

    path = Path(which)
    if (path / DOCUMENT_NAME).is_file():
        return path
    for one in _shelf(folder).listed():
        if which in (one.id, one.title):
            return Path(one.folder)
    raise NotFound(f"There is no recording {which}. See the list: goshawk recordings list.")


@recordings_app.command("list")
def recordings_list(folder: FolderOption = None, as_json: JsonFlag = False) -> None:
    """When, how long, how many tracks, and what happened."""
    with plain_errors():
        rows = _shelf(folder).listed()
    if as_json:
        typer.echo(json.dumps([one.model_dump(mode="json") for one in rows], ensure_ascii=False))
        return
    for one in rows:
        begins = one.started_utc.astimezone().strftime("%Y-%m-%d %H:%M")
        typer.echo(
            f"{one.id:<13} {begins}  {clock(one.seconds):>8}  {one.tracks:>2} tracks  {one.title}"
            + (f"  ({one.said})" if one.said else "")
        )


@recordings_app.command("show")
def recordings_show(
    which: WhichArgument, folder: FolderOption = None, as_json: JsonFlag = False
) -> None:
    """Tracks, marks, gaps and figures of one."""
    from goshawk.store.recordings.folder import load_document
    from goshawk.store.recordings.shelf import said_of

    with plain_errors():
        path = _found(which, folder)
        one = load_document(path)
    if as_json:
        typer.echo(one.model_dump_json())
        return
    typer.echo(f"{path.name}  ({clock(one.seconds)}, {one.file_format}, {one.state})")
    if said := said_of(path, one):
        typer.echo(said)
    for track in one.tracks:
        typer.echo(f"  {track.source:<16} {track.channels} ch  {track.file}")
    for mark in one.marks:
        typer.echo(f"  mark {clock(mark.frame / 48_000)}  {mark.name or '-'}  ({mark.by})")
    for gap in one.gaps:
        typer.echo(
            f"  gap  {clock(gap.frame / 48_000)}  {gap.frames / 48_000:.3f} s  {gap.why} {gap.source}"
        )
    if one.figures:
        for name, value in one.figures.model_dump(exclude_none=True).items():
            typer.echo(f"  {name} {value:.2f}")


@recordings_app.command("mend")
def recordings_mend(which: WhichArgument, folder: FolderOption = None) -> None:
    """Mend a recording that broke off: all files are cut where all are whole."""
    from goshawk.cli.common import fail
    from goshawk.store.recordings.mending import mend

    with plain_errors():
        path = _found(which, folder)
        try:
            mended = mend(path)
        except OSError as error:
            raise fail(f"{path} cannot be mended ({error.strerror}). Look at its rights.") from None
    if mended is None:
        typer.echo("Nothing had been recorded in it, so it was removed.")
    elif mended.state == "running":
        raise fail("it is still being recorded. Stop the recording first.")
    else:
        typer.echo(mended.said or "It is whole: there was nothing to mend.")


@recordings_app.command("export")
def recordings_export(
    which: WhichArgument,
    out: Annotated[Path, typer.Option(help="A new folder for the files.")],
    folder: FolderOption = None,
    file_format: Annotated[str, typer.Option("--format", help="flac, wav or opus.")] = "flac",
    from_s: Annotated[
        float, typer.Option("--from", help="Seconds from its beginning.", min=0.0)
    ] = 0.0,
    to_s: Annotated[
        float | None, typer.Option("--to", help="Seconds; without it, to the end.")
    ] = None,
    is_mix: Annotated[
        bool, typer.Option("--mix", help="One file: mixed anew from the tracks through a rig.")
    ] = False,
    rig: Annotated[
        Path | None, typer.Option(help="That rig's JSON; without it, the recording's own.")
    ] = None,
    is_telling: Annotated[
        bool, typer.Option("--progress", help="Print a line of JSON as it goes.")
    ] = False,
) -> None:
    """Hand over a recording, or a piece of it, in any of the formats."""
    from typing import get_args

    from goshawk.cli.common import fail
    from goshawk.core.record_settings import TrackFormat
    from goshawk.core.recording.remix import remixed
    from goshawk.core.recording.tracks import is_as_it_came
    from goshawk.core.rig_upgrades import read_rig
    from goshawk.store.recordings.exporting import export_mix, export_tracks, span_of
    from goshawk.store.recordings.folder import load_document
    from goshawk.store.recordings.reading import pieces_of

    wanted = next((one for one in get_args(TrackFormat) if one == file_format), None)
    if wanted is None:
        raise fail(f"{file_format!r} is no format. Use flac, wav or opus.")

    def progress(share: float) -> None:
        if is_telling:
            typer.echo(json.dumps({"share": round(share, 3)}))

    with plain_errors():
        path = _found(which, folder)
        recording = load_document(path)
        first, end = span_of(recording, from_s, to_s)
        try:
            if is_mix:
                by = read_rig(rig.read_bytes()) if rig else recording.rig
                sources = [one.source for one in recording.tracks if is_as_it_came(one.source)]
                pieces = remixed(by, recording, pieces_of(path, recording, sources, first, end))
                files = export_mix(pieces, recording, first, end, wanted, out, progress)
            else:
                files = export_tracks(path, recording, first, end, wanted, out, progress)
        except FileExistsError:
            raise fail(f"{out} is there already. Name a new folder.") from None
        except OSError as error:
            raise fail(f"{out} cannot be written ({error.strerror or error}).") from None
    if not is_telling:
        for one in files:
            typer.echo(str(one))
