"""When settings were changed while on air: what is found by figures of many seconds began, or ended, with the setting that made it so,
and not when the figures had come to show it."""

from collections import deque

from goshawk.core.recording.document import settings_of
from goshawk.core.rig import Rig

MOST_CHANGES = 200
"""A drag makes thirty a second, of which the newest count."""


class Causes:
    """Fed with the rig, moment by moment."""

    def __init__(self) -> None:
        self._rig: Rig | None = None
        self._settings: dict[str, object] = {}
        self._changes: deque[tuple[float, frozenset[str]]] = deque(maxlen=MOST_CHANGES)

    def follow(self, at_s: float, rig: Rig) -> None:
        """Which rig is heard from ``at_s`` on, in seconds of the evening."""
        if rig is self._rig:
            return
        settings = settings_of(rig)
        if self._rig is not None:
            old, new = self._settings, settings
            paths = {
                path for path in old.keys() | new.keys() if old.get(path, old) != new.get(path, new)
            }
            if paths:
                self._changes.append((at_s, frozenset(paths)))
        self._rig, self._settings = rig, settings

    def last_s(self, beginnings: tuple[str, ...], since_s: float) -> float | None:
        """When a setting whose path has one of these beginnings was changed last, no longer ago than ``since_s``; None if none
        was."""
        for at_s, paths in reversed(self._changes):
            if at_s < since_s:
                return None
            if any(path.startswith(beginnings) for path in paths):
                return at_s
        return None
