"""The observer is tested with the web process's side of it: an application without processes."""

from tests.web.conftest import application

__all__ = ["application"]
