"""Mixes two sets of weights, of which one went on from the other: python -m tools.train_suppressor.mix ONE OTHER SHARE OUT

Their weighted mean does better than either where each does well at something else (M. Wortsman et al., "Model soups", ICML 2022);
SHARE is the other's.
"""

import sys

import numpy as np


def main() -> None:
    one, other = (dict(np.load(file, allow_pickle=False)) for file in sys.argv[1:3])
    share = float(sys.argv[3])
    mixed = {name: (1 - share) * one[name] + share * other[name] for name in one}
    np.savez(sys.argv[4], **{name: array.astype(np.float32) for name, array in mixed.items()})


if __name__ == "__main__":
    main()
