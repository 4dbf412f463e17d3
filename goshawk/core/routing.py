"""What comes in, who hears it, and the knobs of the devices themselves."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from goshawk.core.chain_slots import Chain, background_chain, check_chain, default_chain
from goshawk.core.dsp.limiter import LOWEST_CEILING_DBTP
from goshawk.core.feeds import (
    EXPECTED as EXPECTED,
)
from goshawk.core.feeds import (
    FEED_LABELS as FEED_LABELS,
)
from goshawk.core.feeds import (
    FEED_PATTERN,
)
from goshawk.core.feeds import (
    FEEDS as FEEDS,
)
from goshawk.core.feeds import (
    FeedName as FeedName,
)
from goshawk.core.settings import (
    DELAY_READS,
    LEVEL_READS,
    PLAIN_TEXT,
    DeviceName,
    Id,
    Settings,
    choice,
    number,
)

Role = Literal["voice", "game", "music", "call", "other"]
Channels = Literal["left", "right", "sum", "stereo"]
Tap = Literal["after_fader", "before_fader", "as_it_came"]
Performance = Literal["silent", "murmur", "talk", "laugh", "type"]
YouOutput = Literal["headphones", "loudspeakers"]
Name = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40), PLAIN_TEXT
]
MOST_INPUTS = 12
LONGEST_FEED_DELAY_MS = 1000.0
LONGEST_INPUT_DELAY_MS = 1000.0
MOST_STAGES_IN_ALL = 80
MOST_PREAMP_GAIN_DB = 60.0


class SendSettings(Settings):
    """How one input goes into one feed."""

    is_heard: bool = choice(False, "Heard", "Whether this listener hears this input.")
    level_db: float = number(
        0.0,
        -60.0,
        12.0,
        "dB",
        "Send",
        "Level of this input in this listener's mix.",
        step=0.5,
        reads=LEVEL_READS,
    )
    tap: Tap = choice(
        "after_fader",
        "Tap",
        "Post-fader follows the fader. Pre-fader is the processed sound at its own level. Raw is the sound ahead of "
        "the chain.",
    )


HEARD = SendSettings(is_heard=True)
UNHEARD = SendSettings()


class Sends(Settings):
    """An input's ways into the four feeds."""

    viewers: SendSettings = UNHEARD
    you: SendSettings = UNHEARD
    call: SendSettings = UNHEARD
    archive: SendSettings = UNHEARD

    def to(self, feed: FeedName) -> SendSettings:
        """The send into one feed."""
        send: SendSettings = getattr(self, feed)
        return send


MOST_TRIM_DB = 40.0


class InputSettings(Settings):
    """Something that makes sound. Its trim brings it to its target; its fader is the user's hand on it."""

    id: Id
    name: Name = Field(title="Name")
    role: Role = choice("other", "Role", "What this input is: it decides its colour and target.")
    device: DeviceName = Field("", title="Device")
    channels: Channels = choice(
        "stereo",
        "Channels",
        "Left or right alone, heard on both sides; the sum (mean) of both; or a stereo pair.",
    )
    fader_db: float = number(
        0.0,
        -60.0,
        12.0,
        "dB",
        "Fader",
        "Level of this input in every post-fader mix.",
        reads=LEVEL_READS,
    )
    trim_db: float = number(
        0.0,
        -MOST_TRIM_DB,
        MOST_TRIM_DB,
        "dB",
        "Trim",
        "Gain that brings this input to its target. Goshawk sets it when you match targets; the fader stays as you set it.",
        reads=(
            (-40, "turns it far down"),
            (-12, "turns it down"),
            (-0.5, "leaves it as it comes"),
            (0.6, "turns it up"),
            (12, "turns it far up"),
        ),
    )
    is_held: bool = choice(
        False, "Hold at target", "Keeps this input at its target with slow changes of a few dB."
    )
    takes: Annotated[str, StringConstraints(max_length=80), PLAIN_TEXT] = Field(
        "",
        title="Routed program",
        description="Program that is routed to this input whenever it plays.",
    )
    chain: Chain = ()
    preset_id: str = Field("", max_length=60, description="What the chain came from.")
    delay_ms: float = number(
        0.0,
        0.0,
        LONGEST_INPUT_DELAY_MS,
        "ms",
        "Delay",
        "Delays this input, if it arrives too early.",
        step=1.0,
        reads=DELAY_READS,
    )
    is_muted: bool = choice(False, "Mute", "Mutes this input in every mix.")
    is_private: bool = choice(
        False, "Private", "Not meant for viewers. Goshawk warns you if they can hear it."
    )
    sends: Sends = Sends()


class FeedSettings(Settings):
    """What one listener hears, as a whole."""

    fader_db: float = number(
        0.0,
        -60.0,
        12.0,
        "dB",
        "Mix fader",
        "Level of the whole mix.",
        reads=LEVEL_READS,
    )
    is_muted: bool = choice(False, "Mute", "Mutes the whole mix.")
    has_ceiling: bool = choice(True, "Ceiling", "Limits the whole mix to its ceiling.")
    ceiling_dbtp: float = number(
        -3.0,
        LOWEST_CEILING_DBTP,
        0.0,
        "dBTP",
        "Mix ceiling",
        "True peaks of the whole mix stay at or below this.",
        reads=(
            (-30, "stands very low"),
            (-9, "leaves much room"),
            (-4, "leaves room for encoders"),
            (-1.5, "leaves little room for encoders"),
            (-0.5, "leaves none: encoders may clip"),
        ),
    )
    delay_ms: float = number(
        0.0,
        0.0,
        LONGEST_FEED_DELAY_MS,
        "ms",
        "Delay",
        "Delays the whole mix, to wait for a slower video.",
        step=5.0,
        reads=DELAY_READS,
    )


class YouFeedSettings(FeedSettings):
    """What the streamer hears, and where it is played."""

    output: YouOutput = choice(
        "headphones", "Monitor on", "Loudspeakers reach the microphone; headphones do not."
    )


class Feeds(Settings):
    """The four listeners."""

    viewers: FeedSettings = FeedSettings()
    you: YouFeedSettings = YouFeedSettings(ceiling_dbtp=-6.0)
    call: FeedSettings = FeedSettings()
    archive: FeedSettings = FeedSettings(ceiling_dbtp=-1.0)

    def of(self, feed: FeedName) -> FeedSettings:
        """One listener's feed."""
        settings: FeedSettings = getattr(self, feed)
        return settings


VIRTUAL = "virtual"
"""An output's device: a microphone that Goshawk makes at the sound server, for other programs to choose."""

LOUDSPEAKERS = "loudspeakers:"
"""How an input's device begins that Goshawk makes at the sound server, for other programs to play into; the id of the input
that it was made for follows."""

INPUT_SOURCE, CAME_SOURCE = "input", "came"
"""How an output's source begins that is one input, behind its chain or as it came; its id follows after a colon."""

MOST_OUTPUTS = 16
LONGEST_OUTPUT_DELAY_MS = 1000.0


class OutputSettings(Settings):
    """Where a feed, or one input, leaves Goshawk."""

    id: Id
    source: str = Field(
        "viewers",
        max_length=60,
        pattern=rf"^({FEED_PATTERN}|({INPUT_SOURCE}|{CAME_SOURCE}):[a-z0-9_]+)$",
        title="Source",
    )
    device: DeviceName = Field("", title="Destination")
    level_db: float = number(
        0.0,
        -60.0,
        12.0,
        "dB",
        "Level",
        "Level of this output, in addition to the mix fader.",
        reads=LEVEL_READS,
    )
    delay_ms: float = number(
        0.0,
        0.0,
        LONGEST_OUTPUT_DELAY_MS,
        "ms",
        "Delay",
        "Delays this output, to be in time with a slower one.",
        step=1.0,
        reads=DELAY_READS,
    )
    is_muted: bool = choice(False, "Mute", "Nothing leaves here.")

    @property
    def input_id(self) -> str:
        """Of the input that leaves here; "" if it is a feed."""
        return self.source.partition(":")[2]


Outputs = tuple[OutputSettings, ...]


def default_outputs() -> Outputs:
    """The attic's evening: the broadcast, her ears, and the call."""
    return (
        OutputSettings(id="broadcast", source="viewers", device="encoder"),
        OutputSettings(id="ears", source="you", device="monitor"),
        OutputSettings(id="caller", source="call", device="call"),
    )


def check_outputs(outputs: Outputs, inputs: "Inputs") -> None:
    """Every output has its own id and leads something that is there. Raises ValueError with a sentence."""
    if len(outputs) > MOST_OUTPUTS:
        raise ValueError(f"there can be {MOST_OUTPUTS} outputs at most. Remove one first.")
    ids = [one.id for one in outputs]
    if len(set(ids)) < len(ids):
        raise ValueError("two outputs have the same id. Give each an id of its own.")
    there = {one.id for one in inputs}
    for one in outputs:
        if one.input_id and one.input_id not in there:
            raise ValueError(
                f"an output leads {one.input_id!r}, which is no input. Choose another."
            )
    virtual = [one.source for one in outputs if one.device == VIRTUAL]
    if len(set(virtual)) < len(virtual):
        raise ValueError(
            "it has a virtual microphone already: any number of programs can choose it."
        )


class AtticSettings(Settings):
    """The stand-in microphone and its two-channel interface."""

    performance: Performance = choice("talk", "Practice voice", "What the practice voice does.")
    preamp_gain_db: float = number(
        36.0,
        0.0,
        MOST_PREAMP_GAIN_DB,
        "dB",
        "Preamp",
        "The stand-in interface's own gain, before its converter.",
        step=1.0,
        reads=(
            (0, "is for very loud sources"),
            (20, "is for lively microphones"),
            (40, "is for quiet microphones"),
            (55, "is as much as there is; its own noise is heard"),
        ),
    )


class PlayerSettings(Settings):
    """The music player's own knobs."""

    volume_db: float = number(
        0.0,
        -60.0,
        12.0,
        "dB",
        "Player volume",
        "The player's own volume knob.",
        step=1.0,
        reads=LEVEL_READS,
    )


class CallServiceSettings(Settings):
    """The call service's own switches."""

    is_talking: bool = choice(True, "Caller talks", "Makes the practice caller talk.")
    has_gain_control: bool = choice(
        False, "Call gain control", "The call service changes the level of the voice that you send."
    )
    has_suppression: bool = choice(
        False,
        "Call noise suppression",
        "The call service removes noise from the voice that you send.",
    )
    sends_back: bool = choice(
        False, "Call echo", "Your own voice comes back late with the caller's voice."
    )


class LoudspeakerSettings(Settings):
    """How the loudspeakers stand in the room."""

    leak_db: float = number(
        -24.0,
        -60.0,
        12.0,
        "dB",
        "Loudspeaker bleed",
        "How loudly the loudspeakers reach the microphone, at its preamp's default gain.",
        step=1.0,
        reads=(
            (-60, "is not heard in the microphone"),
            (-40, "is hardly heard in the microphone"),
            (-25, "is heard in pauses"),
            (-8, "is heard under every word"),
        ),
    )


class FileSettings(Settings):
    """The sound file that plays as a device."""

    file_id: str = Field("", max_length=64, title="Sound file")
    is_looped: bool = choice(True, "Loop", "Start the file again at its end.")


class DeviceSettings(Settings):
    """The devices' own knobs, as far as they can be turned from here."""

    attic: AtticSettings = AtticSettings()
    player: PlayerSettings = PlayerSettings()
    call_service: CallServiceSettings = CallServiceSettings()
    loudspeakers: LoudspeakerSettings = LoudspeakerSettings()
    file: FileSettings = FileSettings()


Inputs = tuple[InputSettings, ...]


def check_inputs(inputs: Inputs, chained: str) -> None:
    """Every input has its own id and name, every stage its own id; the voice that all is set by exists and is a voice.

    Raises ValueError with a sentence."""
    if len(inputs) > MOST_INPUTS:
        raise ValueError(f"there can be {MOST_INPUTS} inputs at most. Remove one first.")
    names = [one.name.casefold() for one in inputs]
    for number_, one in enumerate(inputs):
        if one.name.casefold() in names[:number_]:
            raise ValueError(f"another input is called {one.name!r}. Choose another name.")
    ids = [one.id for one in inputs]
    if len(set(ids)) < len(ids):
        raise ValueError("two inputs have the same id. Give each an id of its own.")
    for one in inputs:
        check_chain(one.chain)
    stages = [slot.id for one in inputs for slot in one.chain]
    if len(stages) > MOST_STAGES_IN_ALL:
        raise ValueError(
            f"all chains together have at most {MOST_STAGES_IN_ALL} stages. Remove some first."
        )
    if len(set(stages)) < len(stages):
        twice = next(name for name in stages if stages.count(name) > 1)
        raise ValueError(f"two stages are called {twice!r}. Give each stage an id of its own.")
    if not chained:
        return
    voice = next((one for one in inputs if one.id == chained), None)
    if voice is None:
        raise ValueError("the main voice does not exist. Choose one of the inputs.")
    if voice.role != "voice":
        raise ValueError(
            f"{voice.name} is the main voice, so its role must be voice. "
            "Make another input the main voice first."
        )
    if any(slot.stage == "ducker" for slot in voice.chain):
        raise ValueError(
            f"{voice.name} is the main voice, and cannot dip under itself. "
            "Take the ducker out of its chain first."
        )


def default_inputs() -> Inputs:
    """The attic's evening: the storyteller, her game, her music and her co-pilot."""
    dry = SendSettings(is_heard=True, tap="before_fader")
    raw = SendSettings(is_heard=True, tap="as_it_came")
    return (
        InputSettings(
            id="voice",
            name="Voice",
            role="voice",
            device="attic",
            channels="left",
            chain=default_chain(),
            preset_id="start_whole",
            sends=Sends(viewers=HEARD, call=HEARD, archive=dry),
        ),
        InputSettings(
            id="game",
            name="Game",
            role="game",
            chain=background_chain("game"),
            device="game",
            fader_db=-8.0,
            sends=Sends(viewers=HEARD, you=HEARD, archive=raw),
        ),
        InputSettings(
            id="music",
            name="Music",
            role="music",
            chain=background_chain("music"),
            device="player",
            fader_db=-19.0,
            sends=Sends(viewers=HEARD, you=HEARD),
        ),
        InputSettings(
            id="copilot",
            name="Co-pilot",
            role="call",
            chain=background_chain("copilot"),
            device="call",
            channels="sum",
            fader_db=-5.0,
            sends=Sends(viewers=HEARD, you=HEARD, archive=raw),
        ),
    )
