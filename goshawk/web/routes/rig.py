"""The active rig: read it, change a setting, undo and redo."""

import json
from pathlib import Path
from typing import Any

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, ConfigDict, Field

from goshawk.core.computer import Computer
from goshawk.core.device_info import DeviceInfo, OutputInfo
from goshawk.core.rig import Rig, SettingValue
from goshawk.core.routing import Role
from goshawk.devices.catalog import FAULT_LIST, FaultInfo
from goshawk.errors import BadSetting
from goshawk.page_messages.live import LevelsNow, State
from goshawk.system.peers import is_of_another
from goshawk.web.dependencies import ApplicationDep
from goshawk.web.guard import is_own_page

router = APIRouter(prefix="/api", tags=["rig"])


class SettingChange(BaseModel):
    """One setting by its path, such as ``chain.gate.settings.range_db``, and its new value."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    path: str = Field(max_length=200)
    value: SettingValue


@router.get("/state")
async def read_state(application: ApplicationDep) -> State:
    """Everything that is set."""
    return application.state.make()


@router.get("/levels", response_model=LevelsNow | None)
async def read_levels(application: ApplicationDep) -> Response:
    """The newest figures; null until the engine plays."""
    text = application.figures.text
    if text is None:
        return Response("null", media_type="application/json")
    reach = json.dumps(application.lamps.reach)
    return Response(f'{text[:-1]},"reach":{reach}}}', media_type="application/json")


FOLDER = "recording.folder"


def check_folder(folder: str) -> None:
    """Refuse a folder for recordings that the user would not have chosen. Raises BadSetting."""
    path = Path(folder).expanduser()
    if not path.is_absolute():
        trouble = "is no whole path. Begin it with / or ~"
    elif any(part.startswith(".") for part in path.parts):
        trouble = "is hidden. Choose another, or set it on Goshawk's own page"
    elif not path.is_dir():
        trouble = "is not there. Make it first"
    elif is_of_another(path):
        trouble = "does not belong to you. Choose another, or set it on Goshawk's own page"
    else:
        return
    raise BadSetting(f"The folder {folder} {trouble}.", FOLDER)


class SettingsSchema(BaseModel):
    """Ranges, units, labels, help and defaults of every setting; what can be made to go wrong with devices."""

    schema_: dict[str, Any] = Field(alias="schema", description="JSON Schema of the rig.")
    defaults: Rig = Field(description="A new rig.")
    faults: list[FaultInfo]


@router.get("/schema")
async def read_schema() -> SettingsSchema:
    """What a page has to know of all settings before it draws one."""
    return SettingsSchema(schema=Rig.model_json_schema(), defaults=Rig(), faults=list(FAULT_LIST))


@router.patch("/rig")
async def change_setting(
    change: SettingChange, request: Request, application: ApplicationDep
) -> State:
    """Change and save one setting. A folder for recordings has to be there, and the user's own; the page may name any."""
    if change.path == FOLDER and change.value and not is_own_page(request.headers):
        check_folder(str(change.value))
    await application.changes.set_setting(change.path, change.value)
    return application.state.make()


@router.post("/rig/undo")
async def undo(application: ApplicationDep) -> State:
    """One step back."""
    await application.changes.step(-1)
    return application.state.make()


@router.post("/rig/redo")
async def redo(application: ApplicationDep) -> State:
    """One step forward again."""
    await application.changes.step(+1)
    return application.state.make()


class NewInput(BaseModel):
    """What the new input is."""

    model_config = ConfigDict(extra="forbid")
    role: Role


@router.post("/inputs", status_code=201)
async def add_input(new: NewInput, application: ApplicationDep) -> State:
    """One more input, heard by nobody yet."""
    await application.changes.add_input(new.role)
    return application.state.make()


@router.delete("/inputs/{input_id}")
async def remove_input(input_id: str, application: ApplicationDep) -> State:
    """Take an input away; undo brings it back."""
    await application.changes.remove_input(input_id)
    return application.state.make()


class NewOutput(BaseModel):
    """What is to leave (a feed's name, ``input:`` or ``came:`` and an input's id), and by which device."""

    model_config = ConfigDict(extra="forbid")
    source: str = Field(max_length=60)
    device: str = Field("", max_length=200)


@router.post("/outputs", status_code=201)
async def add_output(new: NewOutput, application: ApplicationDep) -> State:
    """One more place where a feed, or an input, leaves."""
    await application.changes.add_output(new.source, new.device)
    return application.state.make()


@router.delete("/outputs/{output_id}")
async def remove_output(output_id: str, application: ApplicationDep) -> State:
    """Take an output away; undo brings it back."""
    await application.changes.remove_output(output_id)
    return application.state.make()


class Devices(BaseModel):
    """What sound can come from and go to, and what else is known of this computer."""

    inputs: list[DeviceInfo]
    outputs: list[OutputInfo]
    computer: Computer


@router.get("/devices")
async def read_devices(application: ApplicationDep) -> Devices:
    """The devices there are, those of the computer as they were seen last; programs, and virtual devices."""
    state = application.state.make()
    return Devices(inputs=state.devices, outputs=state.output_devices, computer=state.computer)


class DeviceFault(BaseModel):
    """What should go wrong; without a value the fault's default counts."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    fault: str = Field(max_length=40)
    value: float | None = None


@router.post("/devices/{device}/faults", status_code=204)
async def make_fault(device: str, asked: DeviceFault, application: ApplicationDep) -> None:
    """Make something go wrong with a stand-in device, or mend it."""
    application.devices.fault(device, asked.fault, asked.value)
