"""What can go wrong, in the domain's words. Each message is a sentence a person can act on.

GoshawkError
├── BadInput          what the user or a program gave cannot be used
│   ├── BadSetting    a setting's value is refused (``field`` names it)
│   ├── BadSoundFile  a file is no sound, empty, too long, cut short or holds NaN
│   ├── BadPreset     a preset cannot be read
│   └── BadRecording  a recording cannot be read
├── NotFound          the thing named does not exist
├── NotAllowed        a token is missing or worth nothing any more
├── EngineLost        the audio process does not answer
├── ObserverLost      the process that makes the figures was lost
├── ObserverSilent    the process that makes the figures does not answer in time
├── NoSoundServer     there is no sound server, or it does not answer
├── SoundServerRefused  the sound server does not do what was asked
├── RecorderLost      the process that records does not answer
├── TimelineLost      the memory that the processes share cannot be had
├── StoreUnusable     the database cannot be used
├── DriveSilent       a drive does not answer
└── LibraryDiffers    a library is another version than the one that is relied on
"""


class GoshawkError(Exception):
    """Root of all errors that Goshawk raises on purpose."""

    code = "goshawk_error"


class BadInput(GoshawkError):
    """What was given cannot be used; the message says why and what to do."""

    code = "bad_input"


class BadSetting(BadInput):
    """A setting's value is refused."""

    code = "bad_setting"

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field


class BadSoundFile(BadInput):
    """A sound file cannot be used."""

    code = "bad_sound_file"


class BadPreset(BadInput):
    """A preset cannot be read; the chain stays as it is."""

    code = "bad_preset"


class BadRecording(BadInput):
    """A recording cannot be read, or not as it should be."""

    code = "bad_recording"


class NotFound(GoshawkError):
    """The thing named does not exist."""

    code = "not_found"


class NotAllowed(GoshawkError):
    """A token is missing, or worth nothing any more."""

    code = "not_allowed"


class EngineLost(GoshawkError):
    """The audio process does not answer."""

    code = "engine_lost"


class ObserverLost(GoshawkError):
    """The process that makes the figures was ended from outside; another is started."""

    code = "observer_lost"

    def __init__(self) -> None:
        super().__init__("The computation broke off. Try it again.")


class ObserverSilent(GoshawkError):
    """The process that makes the figures does not answer in time."""

    code = "observer_silent"

    def __init__(self) -> None:
        super().__init__("The computer is too busy to answer that now. Try again in a moment.")


class RecorderLost(GoshawkError):
    """Nothing is recorded, or the process that records does not answer."""

    code = "recorder_lost"


class TimelineLost(GoshawkError):
    """The memory that the processes share cannot be had."""

    code = "timeline_lost"


class StoreUnusable(GoshawkError):
    """The database cannot be used."""

    code = "store_unusable"


class DriveSilent(GoshawkError):
    """A drive does not answer."""

    code = "drive_silent"


class NoSoundServer(GoshawkError):
    """There is no sound server, or it does not answer."""

    code = "no_sound_server"


class SoundServerRefused(GoshawkError):
    """The sound server does not do what was asked."""

    code = "sound_server_refused"


class LibraryDiffers(GoshawkError):
    """A library is another version than the one that is relied on."""

    code = "library_differs"
