"""The texts of alerts: what is wrong, how bad, what to do."""

from dataclasses import dataclass

from goshawk.core.text.figures import listed, minus, times


@dataclass(frozen=True)
class AlertText:
    """Text of one alert; ``help`` says what to do."""

    title: str
    text: str
    help: str = ""


LISTENERS = {"viewers": "viewers", "call": "the call", "archive": "the archive", "you": "you"}
"""Names of the feeds' listeners within a sentence."""

CUT_OFF_BY_LOOP = "A loop or a replay plays in place of your microphone."
CUT_OFF_BY_COUGH = "The cough key is held."
CUT_OFF_BY_BREAK = "The break is on."


def let_hear(feeds: list[str]) -> str:
    """Return the button's label that lets listeners hear the main voice again."""
    return f"Let {listed([LISTENERS[feed] for feed in feeds])} hear me"


def is_muted(name: str) -> str:
    """Return why a listener hears nothing: an input is muted."""
    return f"{name} is muted."


def feed_is_muted(feed: str) -> str:
    """Return why a listener hears nothing: the feed is muted."""
    return f"The {feed.capitalize()} feed is muted."


def is_not_sent(feed: str) -> str:
    """Return why a listener hears nothing: the voice is not sent there."""
    return f"Your voice is not sent to {LISTENERS[feed]}."


def talk_unheard(feeds: list[str], why: str, button: str) -> AlertText:
    """Somebody talks, and listeners who should hear it cannot."""
    does = "do" if feeds[0] == "viewers" or len(feeds) > 1 else "does"
    names = listed([LISTENERS[feed] for feed in feeds])
    return AlertText(
        f"You talk, but {names} {does} not hear you",
        why,
        button or "Send your voice there in Wiring, or end the loop or replay.",
    )


VOICE_MISSING = AlertText(
    "You talk, but your voice does not reach viewers",
    "Nothing is muted. The chain lets no sound through.",
    "Lower the gate's open threshold in Chain.",
)


def clips(advice: str) -> AlertText:
    """A microphone reaches full scale at its converter."""
    return AlertText(
        "The microphone clips", "It reaches full scale.", advice or "Turn its preamp down by 6 dB."
    )


def mix_limiter(reduction_db: float) -> AlertText:
    """The ceiling of the Viewers feed takes a lot off the mix."""
    return AlertText(
        "The mix limiter works hard",
        f"It takes {reduction_db:.1f} dB off the whole mix.",
        "Lower the loudest input in Balance.",
    )


def device_lost(name: str, state: str, said: str) -> AlertText:
    """An input has no device any more; ``said`` is the device's own sentence."""
    return AlertText(
        f"{name}: device disconnected",
        said or f"The device is {state}.",
        "Plug it in again; it reconnects by itself. Or choose another device in Wiring.",
    )


DEVICE_SILENT = AlertText(
    "The microphone is silent",
    "Its device runs, but delivers digital silence.",
    "Check the mute switch of the microphone and of its interface.",
)


def sound_lost(missed_s: float) -> AlertText:
    """The audio process made no sound for a while."""
    return AlertText(
        "Sound was lost",
        f"{missed_s:.2f} s are missing: the CPU was overloaded, or the audio process restarted.",
        "Close other programs, or choose a larger buffer in Wiring.",
    )


def dropouts(name: str, count: int) -> AlertText:
    """A device delivered no audio in time."""
    return AlertText(
        f"{name}: dropouts",
        f"The device delivered no audio {times(count)}.",
        "Check its cable, or choose a larger device buffer in Wiring.",
    )


def room_changed(drift: str) -> AlertText:
    """Room or voice differ from the sound check; ``drift`` says by how much."""
    return AlertText(
        "Your room or voice has changed", drift, "Run the sound check again in a pause."
    )


def covered(name: str, over_db: float, target_db: float) -> AlertText:
    """Peaks of another input reach those of the voice."""
    return AlertText(
        f"{name} is above your voice",
        f"Its peaks are {minus(over_db, 1)} dB above yours (target: {target_db:.0f} dB below).",
        f"Match {name} to its target in Balance, and hold it there.",
    )


def loudness_off(found_lufs: float, target_lufs: float) -> AlertText:
    """The mix is far from its target loudness."""
    side = "loud" if found_lufs > target_lufs else "quiet"
    return AlertText(
        f"The mix is {abs(found_lufs - target_lufs):.0f} LU too {side}",
        f"{minus(found_lufs, 1)} LUFS over the last minute (target {minus(target_lufs)}).",
        "Change the Viewers fader, or find the input that is off target in Balance.",
    )


def delay_grown(feed: str, now_ms: float, grown_ms: float) -> AlertText:
    """The delay to a listener is longer than when the broadcast began."""
    return AlertText(
        "The delay has grown",
        f"{now_ms:.0f} ms to {LISTENERS[feed]}, {grown_ms:.0f} ms more than when you went live.",
        "Delay the video by the same amount, or see Wiring, Delay.",
    )
