"""Judge the sound check in every situation: python -m tools.measure_sound_check

Prints the table of docs/measurements.md. Takes a minute or two.
"""

import time

from goshawk.core.rules.sound_check.advice import Wish
from goshawk.core.sound_check import run_sound_check
from tests.core.test_sound_check import Judge
from tests.situations import SITUATIONS, clean_and_even


def main() -> None:
    print("| situation | peaks, dBFS | low to big, dB | noise under speech, dB | stages | time |")
    print("|---|---|---|---|---|---|")
    for name, make in {**SITUATIONS, "clean and even": clean_and_even}.items():
        takes = make()
        began = time.monotonic()
        outcome = run_sound_check(takes, Wish())
        took_s = time.monotonic() - began
        raw, after = Judge(takes, ()), Judge(takes, outcome.chain)
        stages = ", ".join(slot.stage.replace("_", "-") for slot in outcome.chain)
        print(
            f"| {name} | {raw.peaks_dbfs:.1f} → {after.peaks_dbfs:.1f} "
            f"| {raw.spread_db:.1f} → {after.spread_db:.1f} | {raw.snr_db:.0f} → {after.snr_db:.0f} "
            f"| {stages} | {took_s:.1f} s |".replace("-0.0", "0.0").replace(" -", " −"),
            flush=True,
        )


if __name__ == "__main__":
    main()
