"""What routes ask for."""

from typing import Annotated

from fastapi import Depends
from starlette.requests import HTTPConnection

from goshawk.web.application import Application


def _application(connection: HTTPConnection) -> Application:
    application: Application = connection.app.state.application
    return application


ApplicationDep = Annotated[Application, Depends(_application)]
