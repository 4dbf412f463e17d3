"""The sentences of a broadcast's report."""

from collections.abc import Mapping

from goshawk.core.text.figures import minus, span, times

_NEXT_TIME: Mapping[str, str] = {
    "talk_unheard": "You talked {times} while you were not heard, {long} in total. Keep Spoken alerts on, and check the lamps "
    "after each break.",
    "voice_missing": "Your voice did not reach viewers for {long}, although nothing was muted. Check the gate's open threshold.",
    "clips": "The microphone clipped {times}. Turn its preamp down by 6 dB, and run the sound check again.",
    "ceiling": "The mix limiter worked hard {times}. Lower the loudest input, or compress it.",
    "device_lost": "A device disconnected {times}. Try another cable or another socket.",
    "device_silent": "The microphone was silent for {long}. Check its mute switch.",
    "device_drifts": "A device's clock drifted {times}. Set all devices to one sample rate.",
    "echo": "Somebody heard the same sound twice for {long}. Wiring shows the paths.",
    "dropouts": "Sound was lost {times}. Choose a larger buffer, and close other programs.",
    "gate_chops": "The gate cut your speech for {long}. Lower its open threshold.",
    "room_changed": "Your room or voice had changed. Run the sound check before the next broadcast.",
    "covered": "{subject} was above your voice {times}, {long} in total. Duck it under your voice, or hold it at target.",
    "loudness_off": "The loudness was off target for {long}. Change the Viewers fader.",
    "delay_grown": "The delay grew. See Wiring, Delay, before the next broadcast.",
    "limiter_hard": "The limiter worked all the time for {long}. Lower the makeup gain.",
}

STAGES_CHANGED = "Inputs, outputs or stages were added, removed or moved."


def next_time(rule: str, *, subject: str, count: int, seconds: float) -> str:
    """Return what to do about alerts of one rule; ``subject`` is the input's name, "" for none. Raises KeyError."""
    return _NEXT_TIME[rule].format(
        subject=subject or "Something", times=times(count), long=span(seconds)
    )


def loudness_was(found_lufs: float, target_lufs: float) -> str:
    """Return how far the broadcast's loudness was from its target, and by how much to move the fader."""
    verb = "Lower" if found_lufs > target_lufs else "Raise"
    return (
        f"Broadcast loudness was {minus(found_lufs, 1)} LUFS (target {minus(target_lufs)}). "
        f"{verb} the Viewers fader by {abs(found_lufs - target_lufs):.1f} dB."
    )


def too_close(name: str, short_db: float) -> str:
    """Return by how much an input was too loud against the voice."""
    return f"{name} was {short_db:.1f} dB too close to your voice. Lower it by {short_db:.1f} dB."


def intelligibility_was(found: float, good_from: float) -> str:
    """Return the Speech Intelligibility Index of a broadcast in which words were lost."""
    return (
        f"Intelligibility was {found:.2f} (good: {good_from} or more). Balance shows which bands are covered, "
        "and what to change."
    )
