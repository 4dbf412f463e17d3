"""The sound check from files."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import typer

from goshawk.cli.offline import write_preset
from goshawk.core.measure.take import TakeKind
from goshawk.core.preset import make_preset
from goshawk.core.rules.sound_check.advice import Wish
from goshawk.core.rules.sound_check.verdicts import TAKE_NAMES, judged
from goshawk.core.sound_check import (
    PRESET_NAME,
    activities_of,
    describe,
    measured,
    run_sound_check,
)
from goshawk.core.stage import Block
from goshawk.devices.take_file import read_take_file
from goshawk.errors import BadInput
from goshawk.units import SAMPLE_RATE_HZ

_FIGURES = {
    "usual_peak_dbfs": ("usual peaks", "dBFS"),
    "spread_db": ("low to big voice", "dB"),
    "noise_in_pauses_dbfs": ("noise in pauses", "dBFS"),
    "snr_db": ("voice over the noise", "dB"),
    "true_peak_dbtp": ("true peak", "dBTP"),
    "integrated_lufs": ("loudness, usual voice", "LUFS"),
    "harshness_db": ("harshness", "dB"),
    "cut_syllables": ("cut first syllables", ""),
}


def check_files(
    files: dict[TakeKind, Path], wish: Wish, out: Path | None, tell: Callable[[str], None]
) -> dict[str, Any]:
    """Check the takes in ``files`` and write the preset. Raises BadInput."""
    takes: dict[TakeKind, Block] = {}
    said: dict[TakeKind, list[str]] = {}
    for kind, path in files.items():
        takes[kind], rate_hz = read_take_file(path)
        said[kind] = (
            [f"It was recorded at {rate_hz / 1000:g} kHz and brought to 48 kHz."]
            if rate_hz != SAMPLE_RATE_HZ
            else []
        )
    activities = activities_of(takes)
    figures = measured(takes, activities)
    for kind, one in figures.items():
        verdict = judged(one, {other: f for other, f in figures.items() if other != kind})
        if verdict.refusal:
            raise BadInput(f"{files[kind].name} ({TAKE_NAMES[kind]}): {verdict.refusal}")
        if verdict.doubt:
            tell(f"{files[kind].name} ({TAKE_NAMES[kind]}): {verdict.doubt}")
            said[kind].append(verdict.doubt)
    outcome = run_sound_check(
        takes, wish, lambda text, share: tell(f"{share * 100:3.0f} % {text}"), activities
    )
    if out:
        write_preset(make_preset(PRESET_NAME, describe(outcome, wish), outcome.chain), out)
    document = outcome.model_dump(
        mode="json", exclude={"chain": True, "before": {"levels"}, "after": {"levels"}}
    )
    for kind, texts in said.items():
        document["takes"][kind]["findings"] = texts
    return {**document, "preset": str(out) if out else None}


def print_check(said: dict[str, Any]) -> None:
    """For people."""
    typer.echo("Found")
    for one in said["findings"]:
        typer.echo(f"  {one['text']}")
    typer.echo("\nSuggested")
    for one in said["advice"]:
        typer.echo(f"  {one['stage']:<12} {one['title']}\n{'':<15}{one['reason']}")
    typer.echo(f"\n{'The same takes':<24} {'before':>8} {'after':>8}")
    for key, (name, unit) in _FIGURES.items():
        before, after = (
            "–" if said[side][key] is None else f"{said[side][key]:.1f}"
            for side in ("before", "after")
        )
        typer.echo(f"{name:<24} {before:>8} {after:>8} {unit}")
    for text in said["shortfalls"]:
        typer.echo(text)
    if said["preset"]:
        typer.echo(f"The chain is in {said['preset']}.")
