"""Says once that something has drifted away, when it has lasted for a while."""

import time
from collections.abc import Callable

LASTS_S = 60.0
"""A lorry passes, a kettle boils: what goes by itself is not worth a sentence."""


class Drift:
    """Hears with each set of figures what stands out now."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._since: float | None = None
        self._is_said = False

    def forget(self) -> None:
        """There is a new check: begin anew."""
        self._since, self._is_said = None, False

    def push(self, sentence: str) -> str:
        """The sentence, once, when one has stood for LASTS_S; else ""."""
        if not sentence:
            self._since = None
            return ""
        now = self._clock()
        if self._since is None:
            self._since = now
        if self._is_said or now - self._since < LASTS_S:
            return ""
        self._is_said = True
        return sentence
