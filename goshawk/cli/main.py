"""``goshawk serve | demo | devices | doctor | render | measure | soundcheck | mix | presets | record |
recordings | watch | schema | bench``. Exit codes: 0 good, 2 bad input.
(Longer than other modules: it says what every command takes; what they do is in modules of their own.)"""

import contextlib
import errno
import gc
import json
import os
import socket
import sys
from enum import StrEnum
from math import isfinite
from pathlib import Path
from typing import Annotated, Any

import platformdirs
import typer

import goshawk
from goshawk.cli.common import JsonFlag, fail, plain_errors
from goshawk.cli.presets import presets_app
from goshawk.cli.recordings import recordings_app
from goshawk.errors import GoshawkError
from goshawk.model_file import give_weights
from goshawk.paths import FRONTEND_DIR
from goshawk.system.desktop import have_standard_streams

app = typer.Typer(
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="A real-time microphone chain and gain staging for voice-led streamers.",
)

PortOption = Annotated[int, typer.Option(help="Port on this machine.", min=1, max=65535)]
DataDirOption = Annotated[
    Path | None, typer.Option(envvar="GOSHAWK_DATA_DIR", help="Where settings and files are kept.")
]
OpenOption = Annotated[bool, typer.Option("--open/--no-open", help="Open the browser at it.")]
DEFAULT_PORT = 8610


def _say_version(is_wanted: bool) -> None:
    if is_wanted:
        typer.echo(goshawk.__version__)
        raise typer.Exit


class OnOff(StrEnum):
    """Two words."""

    ON = "on"
    OFF = "off"


@app.callback()
def every_command(
    version: Annotated[
        bool,
        typer.Option("--version", callback=_say_version, is_eager=True, help="Say which this is."),
    ] = False,
) -> None:
    """A real-time microphone chain and gain staging for voice-led streamers."""
    have_standard_streams()
    give_weights()


def _serve(port: int, data_dir: Path, *, is_own: bool = False, opens: bool = False) -> None:
    from goshawk.cli.first_run import compile_at_first
    from goshawk.engine.spawn import spawn
    from goshawk.system.libraries import check_libraries

    with plain_errors():
        check_libraries()
    os.umask(0o077)  # raw voice and settings are for their user alone
    port_is_free(port)
    if not FRONTEND_DIR.is_dir():
        raise fail("the page has not been built. Run ./scripts/setup first.")
    with plain_errors():
        is_open = compile_at_first(port, opens=opens)
    # The audio process loads beside all that the web process has to load.
    with plain_errors():
        spawned = spawn()
    try:
        _serve_with(spawned, port, data_dir, is_own=is_own, opens=opens and not is_open)
    finally:
        spawned.give_up()


def _serve_with(spawned: Any, port: int, data_dir: Path, *, is_own: bool, opens: bool) -> None:
    goshawk.runs_kernels = (
        False  # Sound and figures are other processes': this one needs no compiler.
    )
    import uvicorn

    from goshawk.cli.browser import open_when_there
    from goshawk.cli.devices import first_rig
    from goshawk.core.rig import Rig
    from goshawk.store.database import database_path, open_database
    from goshawk.store.ownership import take
    from goshawk.store.rigs import load_active_rig
    from goshawk.system.desktop import end_with_the_terminal, has_screen
    from goshawk.web.app import create_app

    with plain_errors():
        # Opened before the server starts, so that trouble is one sentence and not a traceback.
        ownership = take(data_dir)
        try:
            opened = open_database(database_path(data_dir))
            load_active_rig(opened.connection, first_rig if is_own else Rig)
        except GoshawkError:
            ownership.release()
            raise
    ownership.say(url=f"http://127.0.0.1:{port}")
    with contextlib.suppress(OSError):  # Nobody has to read this.
        typer.echo(f"Goshawk is at http://127.0.0.1:{port}  (stop it with Ctrl+C)")
    if opens and has_screen():
        open_when_there(f"http://127.0.0.1:{port}")
    end_with_the_terminal()
    uvicorn.run(
        create_app(
            data_dir,
            opened,
            ownership=ownership,
            spawned=spawned,
            # The demo keeps everything to itself; what is yours lies where you find it.
            recordings_dir=platformdirs.user_music_path() / "Goshawk" if is_own else None,
        ),
        host="127.0.0.1",
        port=port,
        log_level="warning",
        ws_max_size=131_072,
        ws_per_message_deflate=False,
        timeout_graceful_shutdown=1,
    )
    # All is put away. To look through everything that was loaded would take the interpreter half a second more.
    gc.freeze()


def port_is_free(port: int) -> None:
    """Raises a one-sentence exit if a port cannot be used."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError as error:
            if error.errno == errno.EADDRINUSE:
                raise fail(
                    f"port {port} is in use, perhaps by another Goshawk. Close that, or choose "
                    f"another port: --port {port + 1}."
                ) from None
            raise fail(f"port {port} cannot be used ({error.strerror}). Choose another.") from None


@app.command()
def serve(
    port: PortOption = DEFAULT_PORT, data_dir: DataDirOption = None, opens: OpenOption = False
) -> None:
    """Start Goshawk for use, with your own rig: nothing of it is heard before you have chosen devices."""
    _serve(port, data_dir or platformdirs.user_data_path("goshawk"), is_own=True, opens=opens)


@app.command()
def demo(
    port: PortOption = DEFAULT_PORT, data_dir: DataDirOption = None, opens: OpenOption = True
) -> None:
    """Start Goshawk with the demo rig, apart from your own, and open the browser at it."""
    _serve(port, data_dir or platformdirs.user_data_path("goshawk") / "demo", opens=opens)


@app.command()
def autostart(state: Annotated[OnOff, typer.Argument(help="on or off")]) -> None:
    """Start ``goshawk serve`` with every session of yours (a user service of systemd), or no more."""
    from goshawk.cli.autostart import switch_off, switch_on

    with plain_errors():
        if state is OnOff.ON:
            typer.echo(f"Goshawk starts with your session from now on. See {switch_on()}.")
        elif switch_off():
            typer.echo("Goshawk starts by itself no more.")
        else:
            typer.echo("It did not start by itself.")


@app.command()
def devices(as_json: JsonFlag = False) -> None:
    """List the devices of this computer that sound can come from and go to."""
    from goshawk.cli.devices import as_lines, as_rows, look

    found = look()
    if as_json:
        typer.echo(json.dumps(as_rows(found), indent=2, ensure_ascii=False))
        return
    for line in as_lines(found):
        typer.echo(line)


@app.command()
def doctor(as_json: JsonFlag = False) -> None:
    """Say what this computer offers, and what is missing."""
    from goshawk.cli.devices import diagnosis, look

    found = list(diagnosis(look(), FRONTEND_DIR.is_dir()))
    if as_json:
        rows = [{"is_good": is_good, "text": sentence} for is_good, sentence in found]
        typer.echo(json.dumps(rows, ensure_ascii=False))
        return
    for is_good, sentence in found:
        typer.echo(f"{'good' if is_good else 'look'}  {sentence}")


@app.command()
def measure(file: Path, as_json: JsonFlag = False) -> None:
    """Measure a sound file: peaks, loudness, noise floor, speech level."""
    from goshawk.core.measure.recording import measure_recording
    from goshawk.devices.file import read_sound_file
    from goshawk.units import SAMPLE_RATE_HZ

    with plain_errors():
        sound, rate_hz = read_sound_file(file)
    figures = {
        key: None if value is None or not isfinite(value) else round(value, 2)
        for key, value in measure_recording(sound).items()
    }
    figures |= {
        "duration_s": round(len(sound) / SAMPLE_RATE_HZ, 3),
        "sample_rate_hz": rate_hz,
        "channels": sound.shape[1],
    }
    if as_json:
        typer.echo(json.dumps(figures, allow_nan=False))
        return
    for key, value in figures.items():
        name, _, unit = key.rpartition("_")
        name = name.replace("_", " ") or key
        typer.echo(
            f"{name:<20} {'too short or too quiet to say' if value is None else value} {unit}"
        )


@app.command()
def render(
    source: Annotated[Path, typer.Argument(metavar="IN")],
    target: Annotated[Path, typer.Argument(metavar="OUT")],
    preset: Annotated[Path | None, typer.Option(help="A preset's JSON file.")] = None,
    block: Annotated[
        int, typer.Option(help="Frames a block; the result is the same.", min=1, max=65536)
    ] = 256,
    align: Annotated[bool, typer.Option(help="Take the chain's delay out of the result.")] = True,
    room: Annotated[
        Path | None, typer.Option(help="A quiet recording: the suppressor learns the room from it.")
    ] = None,
    only: Annotated[
        str | None, typer.Option(help="Keep just these stages of the preset, as in gate,eq.")
    ] = None,
    set_: Annotated[
        list[str] | None,
        typer.Option("--set", help="Change one setting, as in gate.range_db=30; may be repeated."),
    ] = None,
    as_json: JsonFlag = False,
) -> None:
    """Pass a sound file through the voice chain, as fast as it goes."""
    from goshawk.cli.offline import adjusted, load_preset_file, render_file, with_room

    with plain_errors():
        chosen = adjusted(load_preset_file(preset), only, set_ or [])
        if room:
            chosen, why_not = with_room(chosen, room)
            if why_not:
                typer.echo(f"goshawk: {why_not}", err=True)
        said = render_file(source, target, chosen, block, align)
    typer.echo(
        json.dumps(said)
        if as_json
        else f"{target}: {said['duration_s']} s at 48 kHz, {said['latency_ms']} ms of delay "
        + ("taken out" if align else "left in")
    )


class RecordingFormat(StrEnum):
    """How tracks can be kept."""

    flac = "flac"
    wav = "wav"
    opus = "opus"


class SteadinessName(StrEnum):
    """How much of the spread is to be left, as the command line spells it."""

    NATURAL = "natural"
    STEADY = "steady"
    VERY_STEADY = "very-steady"


@app.command()
def soundcheck(
    room: Annotated[Path, typer.Option(help="Some seconds of the room, nobody speaking.")],
    low: Annotated[Path, typer.Option(help="Your low voice.")],
    usual: Annotated[Path, typer.Option(help="Your usual voice.")],
    big: Annotated[Path, typer.Option(help="Your big voice: a laugh, a shout.")],
    keys: Annotated[Path | None, typer.Option(help="Typing, nobody speaking.")] = None,
    steadiness: Annotated[
        SteadinessName, typer.Option(help="How close low and big voice are brought.")
    ] = SteadinessName.STEADY,
    over_game: Annotated[
        bool, typer.Option("--over-game/--talk-only", help="Whether a game covers the pauses.")
    ] = True,
    out: Annotated[Path | None, typer.Option(help="Write the chain as a preset here.")] = None,
    as_json: JsonFlag = False,
) -> None:
    """Compute a chain from recordings of one voice and its room, and prove it on them."""
    from goshawk.cli.check import check_files, print_check
    from goshawk.core.measure.take import TakeKind
    from goshawk.core.rules.sound_check.advice import Wish

    files: dict[TakeKind, Path] = {"room": room, "low": low, "usual": usual, "big": big}
    if keys:
        files["keys"] = keys
    wish = Wish.model_validate(
        {"steadiness": steadiness.value.replace("-", "_"), "is_over_game": over_game}
    )
    with plain_errors():
        said = check_files(files, wish, out, lambda text: typer.echo(text, err=True))
    if as_json:
        typer.echo(json.dumps(said))
    else:
        print_check(said)


@app.command()
def mix(
    voice: Annotated[Path, typer.Option(help="The raw microphone.")],
    game: Annotated[Path | None, typer.Option(help="The game alone.")] = None,
    music: Annotated[Path | None, typer.Option(help="The music alone.")] = None,
    call: Annotated[Path | None, typer.Option(help="The callers alone.")] = None,
    rig: Annotated[Path | None, typer.Option(help="A rig's JSON; without it, the demo's.")] = None,
    fit: Annotated[bool, typer.Option("--fit", help="Bring all inputs to their targets.")] = False,
    out: Annotated[Path, typer.Option(help="Write the Viewers feed here.")] = Path("viewers.wav"),
    stems: Annotated[
        Path | None, typer.Option(help="Write what each input brings to the feed into this folder.")
    ] = None,
    as_json: JsonFlag = False,
) -> None:
    """Mix recordings of each input as viewers hear them, and bring them to their targets."""
    from goshawk.cli.mix import mix_files, print_mix
    from goshawk.core.routing import Role

    given: dict[Role, Path | None] = {"voice": voice, "game": game, "music": music, "call": call}
    files = {role: path for role, path in given.items() if path is not None}
    with plain_errors():
        said = mix_files(files, rig, fit=fit, out=out, stems=stems)
    if as_json:
        typer.echo(json.dumps(said))
    else:
        print_mix(said)


@app.command()
def bench(
    seconds: Annotated[float, typer.Option(help="Of voice, for each block size.", min=1)] = 8.0,
    compare: Annotated[
        bool, typer.Option("--compare", help="Beside a C++ library's chain, where it is installed.")
    ] = False,
    as_json: JsonFlag = False,
) -> None:
    """Time the voice chain, stage by stage, for several block sizes."""
    from goshawk.cli.bench import print_table, run_bench, run_compare

    def say(text: str) -> None:
        typer.echo(text, err=True)

    result = run_bench(seconds, say)
    if compare:
        result["compared"] = run_compare(seconds, say)
    if as_json:
        typer.echo(json.dumps(result))
    else:
        print_table(result)


@app.command("bench-render")
def bench_render(
    minutes: Annotated[float, typer.Option(help="Of voice.", min=1, max=60)] = 10.0,
    as_json: JsonFlag = False,
) -> None:
    """Count how much faster than time the default chain is rendered."""
    from goshawk.cli.bench import run_bench_render

    result = run_bench_render(minutes, lambda text: typer.echo(text, err=True))
    if as_json:
        typer.echo(json.dumps(result))
    else:
        for name, value in result.items():
            typer.echo(f"{name:<18} {value}")


@app.command("bench-load")
def bench_load(
    seconds: Annotated[float, typer.Option(help="Length of each of the two runs.", min=1)] = 120.0,
    as_json: JsonFlag = False,
) -> None:
    """Count late blocks of a live engine, without and with load from the web."""
    from goshawk.cli.bench_load import run_bench_load

    with plain_errors():
        result = run_bench_load(seconds, lambda text: typer.echo(text, err=True))
    if as_json:
        typer.echo(json.dumps(result))
    else:
        for name, run in result.items():
            typer.echo(f"{name:>9}: " + ", ".join(f"{k} {v}" for k, v in run.items()))


@app.command("bench-app")
def bench_app(
    seconds: Annotated[float, typer.Option(help="How long it is watched.", min=1)] = 30.0,
    page: Annotated[
        bool, typer.Option("--page", help="With a page on Balance, listening.")
    ] = False,
    outputs: Annotated[
        int, typer.Option(help="So many outputs to the sound server's default device.", min=0)
    ] = 0,
    record: Annotated[
        bool, typer.Option("--record", help="While eight stereo tracks are recorded.")
    ] = False,
    view: Annotated[
        list[str] | None,
        typer.Option(
            help="What the page itself costs in a browser, at this view; may be repeated."
        ),
    ] = None,
    on_air: Annotated[
        bool, typer.Option("--on-air", help="While an evening is watched over.")
    ] = False,
    as_json: JsonFlag = False,
) -> None:
    """Start the application on a folder of its own, and say what each of its processes costs."""
    from goshawk.cli.bench_app import run_bench_app

    if view:
        from goshawk.cli.bench_page import VIEWS, as_lines, run_bench_page

        unknown = [one for one in view if one not in VIEWS]
        if unknown:
            raise fail(f"there is no view {unknown[0]!r}. There are: {', '.join(VIEWS)}.")
        with plain_errors():
            views = run_bench_page(seconds, view, lambda text: typer.echo(text, err=True))
        for line in [json.dumps(views)] if as_json else as_lines(views):
            typer.echo(line)
        return
    with plain_errors():
        result = run_bench_app(
            seconds,
            page,
            lambda text: typer.echo(text, err=True),
            outputs,
            records=record,
            is_on_air=on_air,
        )
    if as_json:
        typer.echo(json.dumps(result))
    else:
        for name, value in result.items():
            typer.echo(f"{name:<18} {value}")


@app.command()
def watch(
    recording: Annotated[Path, typer.Option(help="The folder of a recording.")],
    as_json: JsonFlag = False,
) -> None:
    """The report of an evening, made again from the tracks of its recording."""
    from goshawk.cli.watch import lines_of, report_of

    with plain_errors():
        evening, history = report_of(recording)
    if as_json:
        typer.echo(evening.model_dump_json())
    else:
        for line in lines_of(evening, history):
            typer.echo(line)


@app.command("bench-recording")
def bench_recording(
    hours: Annotated[float, typer.Option(help="Simulated hours.", min=0.02, max=24.0)] = 8.0,
    file_format: Annotated[RecordingFormat, typer.Option("--format")] = RecordingFormat.flac,
    as_json: JsonFlag = False,
) -> None:
    """Write a long recording faster than time, then ask for its place in the list and its picture."""
    from goshawk.cli.bench_recording import run_bench_recording

    with plain_errors():
        result = run_bench_recording(
            hours, file_format.value, lambda text: typer.echo(text, err=True)
        )
    if as_json:
        typer.echo(json.dumps(result))
    else:
        for name, value in result.items():
            typer.echo(f"{name:<24} {value}")


@app.command("bench-drift")
def bench_drift(
    hours: Annotated[float, typer.Option(help="Simulated hours.", min=0.05)] = 8.0,
    ppm: Annotated[float, typer.Option(help="How far the device's clock is off.")] = 200.0,
    outputs: Annotated[
        bool, typer.Option(help="Two outputs of one feed, whose clocks are so far apart.")
    ] = False,
    as_json: JsonFlag = False,
) -> None:
    """Follow a device whose clock is off for hours, faster than time."""
    from goshawk.cli.bench_drift import run_bench_drift, run_two_outputs

    bench_ = run_two_outputs if outputs else run_bench_drift
    result = bench_(hours, ppm, lambda text: typer.echo(text, err=True))
    if as_json:
        typer.echo(json.dumps(result))
    else:
        for name, value in result.items():
            typer.echo(f"{name:<18} {value}")


@app.command("bench-devices")
def bench_devices(
    sizes: Annotated[str, typer.Option(help="Frames a block, with commas.")] = "128,256,512,1024",
    buffers: Annotated[str, typer.Option(help="Blocks between, with commas.")] = "2,3,4,8",
    seconds: Annotated[float, typer.Option(help="Measured for so long each.", min=1.0)] = 6.0,
    as_json: JsonFlag = False,
) -> None:
    """Measure the delay between two virtual devices of the sound server, through Goshawk."""
    from goshawk.cli.bench_devices import run_bench_devices

    def numbers(written: str) -> list[int]:
        try:
            return [int(one) for one in written.split(",")]
        except ValueError:
            raise fail(f"{written!r} is no list of numbers, such as 128,256.") from None

    def say(row: dict[str, Any]) -> None:
        if not as_json:
            typer.echo("  ".join(f"{name} {value}" for name, value in row.items()))

    with plain_errors():
        rows = run_bench_devices(numbers(sizes), numbers(buffers), seconds, say)
    if as_json:
        typer.echo(json.dumps(rows))


app.add_typer(presets_app, name="presets")
app.add_typer(recordings_app, name="recordings")


@app.command()
def record(
    out: Annotated[Path, typer.Option(help="The folder in which the recording's folder is made.")],
    seconds: Annotated[float, typer.Option(help="How long.", min=0.1, max=86_400.0)],
    tracks: Annotated[
        str | None,
        typer.Option(help="Such as came:voice,input:voice,viewers; without it, the rig's."),
    ] = None,
    rig: Annotated[Path | None, typer.Option(help="A rig's JSON; without it, the demo's.")] = None,
) -> None:
    """Play a rig and record it, without a page."""
    import asyncio

    from goshawk.cli import record as recording
    from goshawk.core.rig import Rig
    from goshawk.core.rig_upgrades import read_rig

    with plain_errors():
        try:
            wanted = read_rig(rig.read_bytes()) if rig else Rig()
        except OSError as error:
            raise fail(f"{rig} cannot be read ({error.strerror}). Check the path.") from None
        chosen = recording.wanted_tracks(wanted, tracks)
        folder = asyncio.run(
            recording.record(
                wanted, chosen, out, seconds, lambda text: typer.echo(f"goshawk: {text}", err=True)
            )
        )
    typer.echo(str(folder))


@app.command()
def schema(
    what: Annotated[str, typer.Argument(help="preset, rig, recording, evening or watch")],
) -> None:
    """Print the JSON Schema of a document that Goshawk reads and writes."""
    from goshawk.core.preset import Preset
    from goshawk.core.recording.document import Recording
    from goshawk.core.rig import Rig
    from goshawk.core.watch.report import Evening
    from goshawk.web.other_programs import WatchFacts

    models: dict[str, Any] = {
        "preset": Preset,
        "rig": Rig,
        "recording": Recording,
        "evening": Evening,
        "watch": WatchFacts,
    }
    if what not in models:
        raise fail(f"there is no schema of {what!r}. There is one of: {', '.join(models)}.")
    typer.echo(json.dumps(models[what].model_json_schema(), indent=1))


@app.command(hidden=True)
def warm_up() -> None:
    """Compile every kernel that is not compiled yet, so that the first start is as quick as later ones. Prints how many are."""
    from goshawk.kernel_note import are_compiled

    if are_compiled():
        return
    from goshawk.engine.compiling import compile_all

    said = -1

    def say(count: int) -> None:
        nonlocal said
        if count != said:
            print(count, flush=True)
        said = count

    compile_all(say)


@app.command()
def licences() -> None:
    """Print the licences of Goshawk and of everything that is shipped with it, and name those of the packages it runs on."""
    from goshawk.cli.licences import all_licences

    for line in all_licences():
        typer.echo(line)


@app.command(hidden=True)
def openapi() -> None:
    """Print the OpenAPI document (docs/openapi.json is made with it)."""
    from goshawk.web.app import create_app

    application = create_app(Path("unused"), frontend_dir=Path("unused"))
    json.dump(application.openapi(), sys.stdout, indent=1, sort_keys=True)
    typer.echo()


if __name__ == "__main__":
    app()
