"""Sound on its way to the audio process: a file of samples, whole or not there."""

from pathlib import Path

import numpy as np

from goshawk.core.stage import Block
from goshawk.errors import BadInput


def write_sound(path: Path, sound: Block) -> Path:
    """Write samples as .npy. Raises BadInput if the disk does not take them: then nothing lies there."""
    try:
        np.save(path, sound)
    except OSError as error:
        path.unlink(missing_ok=True)
        raise BadInput(
            f"The sound could not be kept ({error.strerror}). Make room on the disk and try again."
        ) from None
    return path
