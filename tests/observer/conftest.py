"""The observer is tested with the web process's side of it: a studio without processes."""

from tests.web.conftest import studio

__all__ = ["studio"]
