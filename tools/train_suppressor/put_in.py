"""Puts trained weights into the package: python -m tools.train_suppressor.put_in [FILE]

Writes the weights file with a fixed order and no times in it, so that the same weights are the same file, and their hash into
model_file.py. Checks first that the program's inference gives what PyTorch gave (build/train/check.npz), and keeps some
seconds of that for the tests.
"""

import hashlib
import io
import re
import sys
import zipfile
from pathlib import Path

import numpy as np

from goshawk.core.dsp.voice_features import BANDS
from goshawk.core.dsp.voice_model import UNITS, advance, packed
from goshawk.model_file import WEIGHTS_FILE

TRAINED = Path("build/train/voice_model.npz")
TESTED = Path("tests/data/voice_model_check.npz")
TESTED_STEPS = 300
CODE = Path("goshawk/model_file.py")
BESIDE = Path("goshawk/core/dsp")
WITHIN = 1e-4
"""Of a gain (1 is what comes), beside PyTorch's, which computes in float32 too."""


def difference(arrays: dict[str, np.ndarray], check: Path) -> float:
    """The greatest between the program's own steps and PyTorch's: of a gain, and of the probability."""
    weights, found = packed(arrays), dict(np.load(check))
    worst = 0.0
    for n, seen in enumerate(found["seen"]):
        states, scratch = np.zeros((2, UNITS), np.float32), np.zeros((2, 3 * UNITS), np.float32)
        more_db = np.zeros(BANDS + 1, np.float32)
        for t, row in enumerate(seen):
            speaks = advance(weights, row, states, scratch, more_db)
            ours, theirs = (
                10 ** (np.minimum(0.0, db) / 20) for db in (more_db[:BANDS], found["gain_db"][n, t])
            )
            worst = max(worst, float(np.abs(ours - theirs).max()))
            worst = max(worst, abs(speaks - float(found["speech"][n, t])))
    return worst


def written(arrays: dict[str, np.ndarray]) -> bytes:
    """As ``numpy.load`` reads it, without the time at which it was written."""
    raw = io.BytesIO()
    with zipfile.ZipFile(raw, "w", zipfile.ZIP_DEFLATED) as archive:
        for name in sorted(arrays):
            one = io.BytesIO()
            np.lib.format.write_array(one, arrays[name], allow_pickle=False)
            archive.writestr(zipfile.ZipInfo(f"{name}.npy", (2026, 1, 1, 0, 0, 0)), one.getvalue())
    return raw.getvalue()


def main() -> None:
    file = Path(sys.argv[1]) if len(sys.argv) > 1 else TRAINED
    arrays = dict(np.load(file, allow_pickle=False))
    packed(arrays)
    check = file.with_name("check.npz")
    if check.exists():
        worst = difference(arrays, check)
        print(f"beside PyTorch: {worst:.1e}")
        if worst > WITHIN:
            raise SystemExit("The program's inference is not PyTorch's: nothing was put in.")
        first = {name: one[0, :TESTED_STEPS] for name, one in np.load(check).items()}
        np.savez_compressed(TESTED, **first)
    raw = written(arrays)
    digest = hashlib.sha256(raw).hexdigest()
    (BESIDE / WEIGHTS_FILE).write_bytes(raw)
    code = re.sub(r'WEIGHTS_SHA256 = "[0-9a-f]*"', f'WEIGHTS_SHA256 = "{digest}"', CODE.read_text())
    CODE.write_text(code)
    print(f"{len(raw) / 1000:.0f} kB, sha256 {digest}")


if __name__ == "__main__":
    main()
