"""The file of the suppressor's voice model, read and checked for the core."""

import hashlib
from importlib import resources
from io import BytesIO
from typing import TYPE_CHECKING, Any

from goshawk.core.given import DamagedModel, given

if TYPE_CHECKING:
    from numpy.typing import NDArray

WEIGHTS_FILE = "voice_model.npz"
WEIGHTS_SHA256 = "1fe70422c72989d7e998e73a025440cd106732864c91f0bbfd89a4b7c470bc34"


def read_weights() -> "dict[str, NDArray[Any]]":
    """The arrays that ship with Goshawk, by their names. Raises DamagedModel."""
    import numpy as np  # Only a process that builds a suppressor needs it.

    try:
        raw = resources.files("goshawk.core.dsp").joinpath(WEIGHTS_FILE).read_bytes()
    except OSError as error:
        raise DamagedModel(
            f"The voice model cannot be read ({error}). Install Goshawk again."
        ) from error
    if hashlib.sha256(raw).hexdigest() != WEIGHTS_SHA256:
        raise DamagedModel("The voice model is damaged. Install Goshawk again.")
    with np.load(BytesIO(raw), allow_pickle=False) as found:
        return dict(found)


def give_weights() -> None:
    """Tell the core where to get the weights. Every process that may build a chain calls this once; they are read when first needed."""
    given.voice_weights = read_weights
