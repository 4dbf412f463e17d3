"""A clock that tests drive, and a way back to where all began: there only where the environment asks for it."""

import contextlib
from typing import Annotated

from fastapi import APIRouter, Query

from goshawk.errors import ObserverLost
from goshawk.observer.requests import CatchUp
from goshawk.web.dependencies import ApplicationDep

router = APIRouter(prefix="/api/test-clock")


@router.post("", status_code=204)
async def let_time_pass(
    application: ApplicationDep, seconds: Annotated[float, Query(gt=0.0, le=600.0)]
) -> None:
    """Let so much sound pass, as fast as the machine allows; all that is measured goes with it."""
    await application.engine.hurry(seconds)
    with contextlib.suppress(ObserverLost):
        await application.observer.ask(CatchUp(application.engine.heard_frames))


@router.post("/back", status_code=204)
async def take_all_back(application: ApplicationDep) -> None:
    """Undo everything that was ever set."""
    while application.desk.can_undo:
        await application.desk.step(-1)
