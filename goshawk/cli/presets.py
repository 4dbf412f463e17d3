"""``goshawk presets``: the presets that are saved, listed, shown, written and read."""

import json
from contextlib import closing
from pathlib import Path
from typing import Annotated, Any

import platformdirs
import typer

from goshawk.cli.common import JsonFlag, plain_errors

presets_app = typer.Typer(no_args_is_help=True, help="The presets that are saved.")
OwnOption = Annotated[
    Path | None, typer.Option("--data-dir", envvar="GOSHAWK_DATA_DIR", help="Where they are kept.")
]


def _saved_presets(data_dir: Path | None) -> dict[str, Any]:
    """Every preset and starting point by its id. Nothing is changed by looking, whoever owns the folder."""
    from goshawk.core.starting_points import STARTING_POINTS
    from goshawk.store.database import database_path, open_to_read
    from goshawk.store.presets import list_presets

    with plain_errors():
        database = open_to_read(database_path(_own_folder(data_dir)))
        if database is None:
            return dict(STARTING_POINTS)
        with closing(database):
            return {**STARTING_POINTS, **list_presets(database)}


def _own_folder(data_dir: Path | None) -> Path:
    return data_dir or platformdirs.user_data_path("goshawk")


def _named(found: dict[str, Any], name: str) -> Any:
    """A preset by its id or its name. Raises NotFound."""
    from goshawk.errors import NotFound

    chosen = [one for key, one in found.items() if name in (key, one.name)]
    if len(chosen) == 1:
        return chosen[0]
    if chosen:
        raise NotFound(f"{len(chosen)} presets are called {name}. Give the id that the list shows.")
    raise NotFound(f"There is no preset {name}. See the list: goshawk presets list.")


@presets_app.command("list")
def presets_list(data_dir: OwnOption = None, as_json: JsonFlag = False) -> None:
    """Ids, names and what each is for; starting points first."""
    rows = [
        {"id": key, "name": p.name, "description": p.description}
        for key, p in _saved_presets(data_dir).items()
    ]
    if as_json:
        typer.echo(json.dumps(rows))
        return
    for row in rows:
        typer.echo(f"{row['id']:<18} {row['name']:<28} {row['description']}")


@presets_app.command("show")
def presets_show(name: str, data_dir: OwnOption = None) -> None:
    """The stages of a preset and what is set."""
    with plain_errors():
        preset = _named(_saved_presets(data_dir), name)
    typer.echo(f"{preset.name}: {preset.description}" if preset.description else preset.name)
    for slot in preset.chain:
        settings = slot.settings.model_dump(mode="json", exclude={"room"})
        said = ", ".join(
            f"{key} {value}" for key, value in settings.items() if not isinstance(value, dict)
        )
        typer.echo(f"{slot.id:<12} {'bypassed  ' if slot.is_bypassed else ''}{said}")


@presets_app.command("export")
def presets_export(name: str, target: Path, data_dir: OwnOption = None) -> None:
    """Write a preset's JSON to a file."""
    from goshawk.cli.offline import write_preset

    with plain_errors():
        preset = _named(_saved_presets(data_dir), name)
        write_preset(preset, target)
    typer.echo(f"{preset.name} → {target}")


@presets_app.command("import")
def presets_import(source: Path, data_dir: OwnOption = None) -> None:
    """Keep the preset in a JSON file."""
    import secrets

    from goshawk.cli.offline import load_preset_file
    from goshawk.store.database import database_path, open_database
    from goshawk.store.ownership import take
    from goshawk.store.presets import save_preset

    folder = _own_folder(data_dir)
    with plain_errors():
        preset = load_preset_file(source)
        # Its owner must not find a preset that it does not know: it takes presets in on its page.
        ownership = take(folder)
        with closing(open_database(database_path(folder)).connection) as database:
            save_preset(database, secrets.token_hex(8), preset)
        ownership.release()
    typer.echo(f"{preset.name} is kept.")
