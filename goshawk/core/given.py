"""What a process gives to the core when it starts, since the core reads no files."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from goshawk.errors import GoshawkError

if TYPE_CHECKING:  # Every process loads this module first: NumPy would hold up its start.
    from numpy.typing import NDArray


class DamagedModel(GoshawkError):
    """The weights are not those that belong to this version, or nobody gave any."""

    code = "damaged_model"


def _nobody() -> "dict[str, NDArray[Any]]":
    raise DamagedModel("The voice model was not given to this process.")


class Given:
    """``voice_weights`` gives the arrays of the suppressor's voice model, by their names, when they are first asked for."""

    def __init__(self) -> None:
        self.voice_weights: Callable[[], dict[str, NDArray[Any]]] = _nobody


given = Given()
