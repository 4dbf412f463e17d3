"""Messages that change the rig: settings, undo and redo, findings that are put aside."""

from typing import Literal

from pydantic import Field

from goshawk.core.rig import SettingValue
from goshawk.page_messages.base import FromPageModel


class TrySetting(FromPageModel):
    """Hear a value while it is being dragged; it is not saved."""

    type: Literal["try"]
    path: str = Field(max_length=200)
    value: float | bool | str


class SetSetting(FromPageModel):
    """Change and save a setting; answered by the new state.

    A nudge is one of a run of small steps, as a held key makes: it joins the one before it, so that
    undo takes the run back at once."""

    type: Literal["set"]
    path: str = Field(max_length=200)
    value: float | bool | str
    is_nudge: bool = False


class SetTogether(FromPageModel):
    """Change and save several settings as one step, as the mend of a finding does."""

    type: Literal["set_together"]
    changes: dict[str, SettingValue] = Field(min_length=1, max_length=50)


class TryTogether(FromPageModel):
    """Hear several values while a point is being dragged; they are not saved."""

    type: Literal["try_together"]
    changes: dict[str, float | bool | str] = Field(min_length=1, max_length=50)


class Undo(FromPageModel):
    """One step back."""

    type: Literal["undo"]


class Redo(FromPageModel):
    """One step forward again."""

    type: Literal["redo"]


class Dismiss(FromPageModel):
    """Put a finding aside until it gets worse."""

    type: Literal["dismiss"]
    key: str = Field(max_length=120)


class ShowAll(FromPageModel):
    """Show the findings again that were put aside."""

    type: Literal["show_all"]


class BeShown(FromPageModel):
    """Say whether this page is visible. A hidden page gets settings, lamps and alerts, but no figures."""

    type: Literal["be_shown"]
    is_on: bool
