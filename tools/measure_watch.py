"""How quiet the rules of the time on air are where nothing is wrong: hours of the demo, and minutes of keys, game and call while
muted, faster than time.

    python -m tools.measure_watch --hours 2
"""

import argparse
import time

from goshawk.core.rig import Rig, changed_together
from tests.observer.test_watching import OnAir


def told(on_air: OnAir) -> str:
    """Every event, in a line each."""
    lines = [
        f"  {one.rule} {one.subject}: {one.began_s:.1f} to {one.ended_s or on_air.at_s:.1f} s, {one.count} times, "
        f"worst {one.worst:.1f}"
        for one in on_air.events.values()
    ]
    return "\n".join(lines) or "  nothing"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--hours", type=float, default=2.0)
    parser.add_argument("--minutes", type=float, default=10.0)
    asked = parser.parse_args()
    for name, changes in (
        ("keys", {"devices.attic.performance": "type"}),
        ("game and call, you silent", {"devices.attic.performance": "silent"}),
        (
            "the same out of loudspeakers",
            {"devices.attic.performance": "silent", "feeds.you.output": "loudspeakers"},
        ),
    ):
        on_air = OnAir(changed_together(Rig(), {"inputs.voice.is_muted": True, **changes}))
        on_air.pass_by(asked.minutes * 60.0)
        print(f"muted, {name}, {asked.minutes:g} min:\n{told(on_air)}", flush=True)
    began = time.monotonic()
    on_air = OnAir()
    on_air.pass_by(asked.hours * 3600.0)
    took_s = time.monotonic() - began
    print(f"the demo, {asked.hours:g} h ({took_s:.0f} s):\n{told(on_air)}", flush=True)


if __name__ == "__main__":
    main()
