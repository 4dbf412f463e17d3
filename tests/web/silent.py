"""What stands in for the audio process."""

from typing import Any

from goshawk.core.rig import Rig


class SilentEngine:
    """Stands in for the engine's client and writes down what it was told."""

    is_running = True
    restarts = 0
    plan_number = 1
    lost_readings = 0

    def __init__(self) -> None:
        self.told: list[tuple[Any, ...]] = []
        self.rig: Rig | None = None

    def apply(self, rig: Rig) -> None:
        self.rig = rig

    def __getattr__(self, name: str) -> Any:
        return lambda *values: self.told.append((name, *values))
