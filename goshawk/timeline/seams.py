"""Whether sound goes on: what has a hole in it is not spliced, averaged or believed."""


class Seams:
    """Looks at the pieces of one sound, one after the other."""

    def __init__(self) -> None:
        self._next_frame: int | None = None

    def begin_anew(self) -> None:
        """The next piece is a first one."""
        self._next_frame = None

    def goes_on(self, frame: int, frames: int) -> bool:
        """Whether the piece that begins with ``frame`` follows the one before, or is a first one."""
        expected, self._next_frame = self._next_frame, frame + frames
        return expected in (None, frame)
