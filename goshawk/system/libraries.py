"""The libraries that are used in ways which they do not promise: the versions for which that was looked at, and no other."""

from importlib.metadata import requires, version

from packaging.requirements import Requirement

from goshawk.errors import LibraryDiffers

RELIED_ON = ("numba", "soundfile")
"""How numba lays out arrays (``core/compiled.py``); libsndfile's commands (``store/recordings/track_file.py``)."""


def check_libraries() -> None:
    """Look whether they are the versions that Goshawk asks for. Raises LibraryDiffers."""
    for one in (Requirement(line) for line in requires("goshawk") or ()):
        if one.name in RELIED_ON and not one.specifier.contains(version(one.name)):
            raise LibraryDiffers(
                f"{one.name} {version(one.name)} is installed, and Goshawk works with {one.specifier} alone. "
                f"Install that: pip install '{one}'"
            )
