"""What all messages of the live link have in common."""

from pydantic import BaseModel, ConfigDict


class FromPageModel(BaseModel):
    """What a page says; anything that is not foreseen is refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class FromServerModel(BaseModel):
    """What a page is told; every field is there."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)
