"""What the core is given by whoever starts a process, since it reads no files itself."""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goshawk.errors import GoshawkError


class DamagedModel(GoshawkError):
    """The weights are not those that belong to this version, or nobody gave any."""

    code = "damaged_model"


def _nobody() -> dict[str, NDArray[np.float32]]:
    raise DamagedModel("The voice model was not given to this process.")


class Given:
    """``voice_weights`` gives the arrays of the suppressor's voice model, by their names, when they are first asked for."""

    def __init__(self) -> None:
        self.voice_weights: Callable[[], dict[str, NDArray[Any]]] = _nobody


given = Given()
