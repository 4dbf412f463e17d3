"""The licences of what is shipped, and of what it runs on."""

import re
from collections.abc import Iterator
from importlib import metadata, resources
from pathlib import Path

from goshawk.paths import PAGE_LICENCES


def _own() -> str:
    """Goshawk's, as the wheel or the repository has it."""
    for file in metadata.files("goshawk") or []:
        if file.name == "LICENSE":
            return file.read_text()
    beside = Path(__file__).parents[2] / "LICENSE"
    return beside.read_text() if beside.exists() else "MIT"


def _named(package: metadata.Distribution) -> str:
    """What a package says of its licence, in a line."""
    said = package.metadata
    if "License-Expression" in said:
        return said["License-Expression"]
    classes = [one for one in said.get_all("Classifier") or [] if one.startswith("License ::")]
    if classes:
        return ", ".join(one.rpartition(":: ")[2] for one in classes)
    return said["License"].strip().splitlines()[0] if "License" in said else "see the package"


def all_licences() -> Iterator[str]:
    """Line by line: Goshawk's, the page's, the voice model's card, and the names of those of Python's packages."""
    yield from ("# Goshawk", "", _own())
    yield from ("# What the page is built from", "")
    yield PAGE_LICENCES.read_text() if PAGE_LICENCES.exists() else "The page has not been built."
    yield from ("# Weights and sounds", "")
    card = resources.files("goshawk.core.dsp").joinpath("voice_model.md")
    yield card.read_text()
    yield "The sounds of the demo and the spoken words were made for Goshawk, under its own licence."
    yield from ("", "# Python packages that it runs on", "")
    for needed in metadata.requires("goshawk") or []:
        if "extra ==" in needed:
            continue
        name = re.split(r"[^A-Za-z0-9_.-]", needed, maxsplit=1)[0]
        package = metadata.distribution(name)
        yield f"{name} {package.version}: {_named(package)}"
