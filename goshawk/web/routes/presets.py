"""Presets: save, take, rename, copy, delete, export and import."""

from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, ConfigDict, Field

from goshawk.core.preset import LARGEST_PRESET_BYTES
from goshawk.errors import BadPreset
from goshawk.page_messages.live import State
from goshawk.web.dependencies import ApplicationDep

router = APIRouter(prefix="/api/presets", tags=["presets"])


class NewPreset(BaseModel):
    """How the present chain is to be kept."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=200)
    description: str = Field("", max_length=2000)
    input_id: str = Field("", max_length=40, description="Whose chain; the main voice's if empty.")


class PresetChange(BaseModel):
    """What is to change; what is not given stays."""

    model_config = ConfigDict(extra="forbid")
    name: str | None = Field(None, max_length=200)
    description: str | None = Field(None, max_length=2000)
    with_present_chain: bool = False
    input_id: str = Field("", max_length=40, description="Whose chain; the main voice's if empty.")


@router.post("", status_code=201)
async def save_preset(new: NewPreset, application: ApplicationDep) -> State:
    """Keep the chain as it is now."""
    await application.presets.save(new.name, new.description, new.input_id)
    return application.state.make()


@router.post("/import", status_code=201)
async def import_preset(request: Request, application: ApplicationDep) -> State:
    """Give a preset's JSON as the request's body. It is kept; the chain stays as it is."""
    text = b""
    async for chunk in request.stream():
        text += chunk
        if len(text) > LARGEST_PRESET_BYTES:
            raise BadPreset(
                "The preset is larger than 1 MB. A preset is a small JSON file; check it."
            )
    await application.presets.take_in(text)
    return application.state.make()


@router.patch("/{preset_id}")
async def update_preset(preset_id: str, change: PresetChange, application: ApplicationDep) -> State:
    """Rename or describe a preset, or put the present chain into it."""
    await application.presets.update(
        preset_id, change.name, change.description, change.with_present_chain, change.input_id
    )
    return application.state.make()


@router.post("/{preset_id}/load")
async def load_preset(
    preset_id: str, application: ApplicationDep, input_id: Annotated[str, Query(max_length=40)] = ""
) -> State:
    """Take its chain for an input (the main voice, if none is named); undo brings the old one back."""
    await application.presets.load(preset_id, input_id)
    return application.state.make()


@router.post("/{preset_id}/copy", status_code=201)
async def copy_preset(preset_id: str, application: ApplicationDep) -> State:
    """A copy under another name."""
    await application.presets.copy(preset_id)
    return application.state.make()


@router.delete("/{preset_id}")
async def remove_preset(preset_id: str, application: ApplicationDep) -> State:
    """Forget it; the chain stays as it is."""
    await application.presets.remove(preset_id)
    return application.state.make()


@router.get("/{preset_id}/export")
async def export_preset(preset_id: str, application: ApplicationDep) -> Response:
    """Its JSON document (``goshawk schema preset`` prints the schema)."""
    preset = application.presets.named(preset_id)
    name = "".join(c if c.isascii() and c.isalnum() else "-" for c in preset.name).strip("-")
    return Response(
        preset.model_dump_json(indent=1),
        media_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{name or "preset"}.json"'},
    )
