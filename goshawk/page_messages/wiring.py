"""Messages of Wiring: inputs, devices, delays, the buffer, the guided minute."""

from typing import Literal

from pydantic import Field

from goshawk.core.routing import FeedName, Role
from goshawk.core.rules.buffer import MOST_SHARE, BufferAdvice, BufferTrial
from goshawk.page_messages.base import FromPageModel, FromServerModel


class AddInput(FromPageModel):
    """One more input, heard by nobody yet."""

    type: Literal["add_input"]
    role: Role


class RemoveInput(FromPageModel):
    """Take an input away; undo brings it back."""

    type: Literal["remove_input"]
    input_id: str = Field(max_length=40)


class MoveInput(FromPageModel):
    """Move an input up (negative) or down in the list."""

    type: Literal["move_input"]
    input_id: str = Field(max_length=40)
    by: int = Field(ge=-20, le=20)


class AddOutput(FromPageModel):
    """One more place where a feed, or an input, leaves."""

    type: Literal["add_output"]
    source: str = Field(max_length=60)
    device: str = Field(max_length=200)


class RemoveOutput(FromPageModel):
    """Take an output away; undo brings it back."""

    type: Literal["remove_output"]
    output_id: str = Field(max_length=40)


class FeedAs(FromPageModel):
    """Let one listener get just what another hears, as one step."""

    type: Literal["feed_as"]
    feed: FeedName
    other: FeedName


class TakeProgram(FromPageModel):
    """Lead a program's sound into an input's virtual loudspeakers, now and whenever it plays; "" gives it back."""

    type: Literal["take_program"]
    input_id: str = Field(max_length=40)
    program: str = Field(max_length=80)


class HandMicrophone(FromPageModel):
    """Let a program that records have the virtual microphone of a source; if it has it, give it back what it had."""

    type: Literal["hand_microphone"]
    program_id: int
    source: str = Field(max_length=60)


class SetUnity(FromPageModel):
    """Let a virtual device pass sound as it is: neither muted nor turned down in the system."""

    type: Literal["set_unity"]
    key: str = Field(max_length=100)


class Cough(FromPageModel):
    """Silence the voices for everyone while a key is held. Ends by itself with the page."""

    type: Literal["cough"]
    is_on: bool


class WatchDevices(FromPageModel):
    """Whether this page shows the levels of all devices. Ends by itself with the page."""

    type: Literal["watch_devices"]
    is_on: bool


class MeasureDelay(FromPageModel):
    """Send a click through; the measured delays come with the levels, some two seconds later."""

    type: Literal["measure_delay"]


class FindBuffer(FromPageModel):
    """Start the search for the smallest buffer that holds, or break it off."""

    type: Literal["find_buffer"]
    is_on: bool


class MeasureGain(FromPageModel):
    """Start the guided minute for the microphone's gain, or break it off."""

    type: Literal["measure_gain"]
    is_on: bool


class Fault(FromPageModel):
    """Make something go wrong with a stand-in device; without a value the fault's default counts."""

    type: Literal["fault"]
    device: str = Field(max_length=40)
    fault: str = Field(max_length=40)
    value: float | None = None


class BufferSearchState(FromServerModel):
    """The search for the smallest buffer that holds."""

    is_running: bool = False
    was_cancelled: bool = False
    sizes: list[int] = Field(default_factory=list)
    trials: list[BufferTrial] = Field(default_factory=list)
    trying: int | None = None
    most_share: float = MOST_SHARE
    progress: float = 0.0
    advice: BufferAdvice | None = None


class EngineHealth(FromServerModel):
    """How the audio process does."""

    load_percent: float
    late_blocks: int
    missed_blocks: int
    late_in_last_minute: int
    block_frames: int
    is_realtime: bool
    restarts: int
    figures_every_s: float
    """How often figures are made now: less often when time is short."""
    lost_pieces: int
    """Readings and pieces of sound that the audio process could not hand on, or that came too late to be read."""


class DeviceStatus(FromServerModel):
    """How an input device does. Rates as it says them; ``counted_rate_hz`` if it delivers another."""

    state: str
    said: str = ""
    """Why it does not play; "" if it does."""
    channels: int
    rate_hz: int
    clock_ppm: int
    fill_ms: float
    dropouts: int
    overruns: int
    counted_rate_hz: float | None
    peaks_dbfs: list[float]
    recent_dropouts: int
    processing: list[str] = Field(default_factory=list)
    age_ms: float = 0.0
    position_s: float | None = None
    duration_s: float | None = None


class OutputStatus(FromServerModel):
    """How an output does: "playing", or "waiting" and why; its highest peak since the last levels; from the engine to the air,
    and of it what the device says, as far as it is known; counts since it was wanted."""

    state: str
    said: str = ""
    peak_dbfs: float
    delay_ms: float | None = None
    device_ms: float | None = None
    clock_ppm: int = 0
    rate_hz: int = 48_000
    dropouts: int = 0
    overruns: int = 0
    grown: int = 0


class EncoderStatus(FromServerModel):
    """What the broadcast encoder gets: its highest peak lately, gaps so far, and if it is silence."""

    peak_dbfs: float
    gaps: int
    is_silent: bool


class LedgerEntry(FromServerModel):
    """One part of the delay from the microphone to a listener; stages by their id."""

    name: str
    ms: float


class AddressInfo(FromServerModel):
    """A token by which a program hears; itself is kept nowhere. Times in seconds since 1970; ``used_at`` None: never.
    ``hearing`` is how many hear by it now."""

    id: str
    name: str
    made_at: float
    used_at: float | None
    hearing: int
