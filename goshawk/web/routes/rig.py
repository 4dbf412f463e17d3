"""The active rig: read it, change a setting, undo and redo."""

from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from goshawk.core.rig import Rig
from goshawk.web.dependencies import StudioDep
from goshawk.web.messages import Levels, State

router = APIRouter(prefix="/api", tags=["rig"])


class Change(BaseModel):
    """One setting by its path, such as ``chain.gate.settings.range_db``, and its new value."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    path: str = Field(max_length=200)
    value: float | bool | str


@router.get("/state")
async def read_state(studio: StudioDep) -> State:
    """Everything that is set."""
    return studio.state()


@router.get("/levels")
async def read_levels(studio: StudioDep) -> Levels | None:
    """The newest figures; null until the engine plays."""
    return studio.levels


@router.get("/schema")
async def read_schema() -> dict[str, Any]:
    """JSON Schema of the rig and a new rig's values: ranges, units, labels, help and defaults."""
    return {"schema": Rig.model_json_schema(), "defaults": Rig().model_dump(mode="json")}


@router.patch("/rig")
async def change_setting(change: Change, studio: StudioDep) -> State:
    """Change and save one setting."""
    return await studio.set_setting(change.path, change.value)


@router.post("/rig/undo")
async def undo(studio: StudioDep) -> State:
    """One step back."""
    return await studio.step(-1)


@router.post("/rig/redo")
async def redo(studio: StudioDep) -> State:
    """One step forward again."""
    return await studio.step(+1)
