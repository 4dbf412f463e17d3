"""What routes ask for."""

from typing import Annotated

from fastapi import Depends
from starlette.requests import HTTPConnection

from goshawk.web.studio import Studio


def _studio(connection: HTTPConnection) -> Studio:
    studio: Studio = connection.app.state.studio
    return studio


StudioDep = Annotated[Studio, Depends(_studio)]
