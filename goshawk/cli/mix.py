"""The Viewers feed from recordings of each input, and the trims that bring it to its targets."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import typer
from pydantic import ValidationError

from goshawk.cli.offline import check_sound_name, write_sound
from goshawk.core.mix import (
    HeardInputs,
    contributions,
    fitted,
    heard_inputs,
    mix_figures,
    viewers_feed,
)
from goshawk.core.rig import Rig
from goshawk.core.rig_upgrades import read_rig
from goshawk.core.routing import Role
from goshawk.core.stage import Block
from goshawk.devices.file import read_sound_file
from goshawk.errors import BadInput
from goshawk.units import SAMPLE_RATE_HZ

FIGURES = {
    "voice_peak_dbfs": ("voice peaks", "dBFS"),
    "integrated_lufs": ("loudness", "LUFS"),
    "true_peak_dbtp": ("true peak", "dBTP"),
    "sii": ("intelligibility index", ""),
}


def load_rig_file(path: Path | None) -> Rig:
    """The rig in a file, or the demo's. Raises BadInput."""
    if path is None:
        return Rig()
    try:
        text = path.read_text(encoding="utf-8")
        document = json.loads(text)
        # What the server says of itself holds the rig among other things.
        inside = document.get("rig", document) if isinstance(document, dict) else document
        if not isinstance(inside, dict):
            raise ValueError
        return read_rig(json.dumps(inside))
    except OSError as error:
        raise BadInput(f"{path} cannot be read ({error.strerror}). Check the path.") from None
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(map(str, first["loc"])) or "the rig"
        raise BadInput(f"{path} is no rig that can be used: {place}: {first['msg']}.") from None
    except (ValueError, KeyError):
        raise BadInput(
            f"{path} is no rig. Save one from http://127.0.0.1:8610/api/state, or leave --rig out."
        ) from None


def _input_of(rig: Rig, role: Role) -> str:
    """The id of the input that a file stands for. Raises BadInput."""
    if role == "voice":
        if rig.voice is None:
            raise BadInput("The rig has no main voice. Choose one in Wiring.")
        return rig.chained
    found = next((one.id for one in rig.inputs if one.role == role), None)
    if found is None:
        raise BadInput(f"The rig has no input for {role}. Leave --{role} out, or add the input.")
    return found


def _sounds(rig: Rig, files: dict[Role, Path]) -> tuple[dict[str, Block], dict[str, Role]]:
    """Both sides of every file by its input, all as long as the longest, and the role of each."""
    sounds, roles = {}, {}
    for role, path in files.items():
        name = _input_of(rig, role)
        sound, _ = read_sound_file(path)
        sounds[name] = np.ascontiguousarray(
            np.repeat(sound, 2, 1) if sound.shape[1] == 1 else sound
        )
        roles[name] = role
    longest = max(len(sound) for sound in sounds.values())
    return {
        name: np.pad(sound, ((0, longest - len(sound)), (0, 0))) for name, sound in sounds.items()
    }, roles


def mix_files(
    files: dict[Role, Path],
    rig_file: Path | None,
    *,
    fit: bool,
    out: Path,
    stems: Path | None,
) -> dict[str, Any]:
    """Render the Viewers feed from files, before and (if asked) after bringing all to target. Raises BadInput."""
    check_sound_name(out)
    rig = load_rig_file(rig_file)
    sounds, roles = _sounds(rig, files)
    heard = heard_inputs(rig, sounds)
    document: dict[str, Any] = {
        "before": _figures(rig, heard, roles)[0],
        "after": None,
        "moves": [],
    }
    if fit:
        rig, made = fitted(rig, heard)
        document["after"] = _figures(rig, heard, roles)[0]
        document["moves"] = [one.text for one in made if one.input_id in roles]
    _, parts, feed = _figures(rig, heard, roles)
    write_sound(out, feed)
    if stems:
        try:
            stems.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise BadInput(f"{stems} cannot be made ({error.strerror}). Check the path.") from None
        for name, role in roles.items():
            write_sound(stems / f"{role}.wav", parts.get(name, np.zeros_like(feed)))
    document["duration_s"] = round(len(feed) / SAMPLE_RATE_HZ, 3)
    document["out"] = str(out)
    return document


def _figures(
    rig: Rig, heard: HeardInputs, roles: dict[str, Role]
) -> tuple[dict[str, Any], dict[str, Block], Block]:
    """A mix in figures, named by role; what each input brings; the feed."""
    present = HeardInputs({name: heard.rows[name] for name in roles}, heard.key, heard.activity)
    parts = contributions(rig, present)
    feed = viewers_feed(rig, parts) if parts else np.zeros_like(next(iter(present.rows.values())))
    found = mix_figures(rig, parts, feed, heard.activity)

    def shown(value: float | None, digits: int = 2) -> float | None:
        return None if value is None else round(value, digits)

    return (
        {
            "voice_peak_dbfs": shown(found.voice_peak_dbfs),
            "clearance_db": {
                role: shown(found.clearance_db.get(name))
                for name, role in roles.items()
                if role != "voice"
            },
            "integrated_lufs": shown(found.integrated_lufs),
            "true_peak_dbtp": shown(found.true_peak_dbtp),
            "sii": shown(found.sii, 3),
            "trims_db": {role: found.trims_db[name] for name, role in roles.items()},
        },
        parts,
        feed,
    )


def print_mix(said: dict[str, Any]) -> None:
    """For people."""
    for text in said["moves"]:
        typer.echo(text)
    sides = [side for side in ("before", "after") if said[side]]
    typer.echo(f"{'':<24}" + "".join(f" {side:>8}" for side in sides))

    def row(name: str, unit: str, values: list[float | None]) -> None:
        cells = "".join(f" {'–' if value is None else f'{value:.2f}':>8}" for value in values)
        typer.echo(f"{name:<24}{cells} {unit}")

    for key, (name, unit) in FIGURES.items():
        row(name, unit, [said[side][key] for side in sides])
    for role in said["before"]["clearance_db"]:
        row(f"clearance over {role}", "dB", [said[side]["clearance_db"][role] for side in sides])
    for role in said["before"]["trims_db"]:
        row(f"trim of {role}", "dB", [said[side]["trims_db"][role] for side in sides])
    typer.echo(f"{said['out']}: {said['duration_s']} s")
