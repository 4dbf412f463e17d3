"""Findings about the wiring: what the rig says, and what the signals say, each with its one mend.

Rules that follow from the rig alone speak at once; those that need sound (``alike``, ``health``) wait
for it, and give their evidence.
"""

from goshawk.core.rules.finding import Finding
from goshawk.core.rules.wiring.devices import devices
from goshawk.core.rules.wiring.echoes import call_hears_itself, loops, returning_voice, twice
from goshawk.core.rules.wiring.lips import lips
from goshawk.core.rules.wiring.listeners import ceilings, private_inputs, silent_listeners
from goshawk.core.rules.wiring.microphone import microphones
from goshawk.core.rules.wiring.outputs import outputs
from goshawk.core.rules.wiring.wired import Wired

__all__ = ["Wired", "wiring_findings"]


def wiring_findings(wired: Wired) -> list[Finding]:
    """All findings, the gravest kind first."""
    return [
        *silent_listeners(wired),
        *private_inputs(wired),
        *call_hears_itself(wired),
        *loops(wired),
        *twice(wired),
        *returning_voice(wired),
        *microphones(wired),
        *devices(wired),
        *outputs(wired),
        *ceilings(wired),
        *lips(wired),
    ]
