"""The rules of the wiring alone: sentences, mends and what they leave alone, from made-up figures."""

from typing import Any

import pytest

from goshawk.core.computer import Computer, ComputerDevice, Program, VirtualDevice
from goshawk.core.measure.alike import Alike
from goshawk.core.measure.levels import StationLevels
from goshawk.core.measure.microphone import Hum, MicrophoneHealth
from goshawk.core.rig import Rig, changed_together
from goshawk.core.rig_changes import own_rig, with_input, with_output, with_program
from goshawk.core.rules.buffer import BufferTrial, advise_buffer
from goshawk.core.rules.finding import Finding
from goshawk.core.rules.sentences import feed_sentence
from goshawk.core.rules.wiring import Wired, wiring_findings
from goshawk.devices.catalog import DEVICES
from tests.conftest import rig_with

PLAYING = {"state": "playing", "channels": 2, "rate_hz": 48_000}
STATUSES = dict.fromkeys(("attic", "laptop", "game", "player", "call", "computer"), PLAYING)
HEALTHY = MicrophoneHealth((-14.0, -75.0), (-90.0, -90.0), (None, None), (None, None), 0.0)


def found(rig: Rig, **given: Any) -> dict[str, Finding]:
    given.setdefault("outputs", {one.id: {"state": "playing"} for one in rig.outputs if one.device})
    wired = Wired(
        rig=rig,
        devices=given.pop("devices", STATUSES),
        known=DEVICES,
        health=given.pop("health", {"voice": HEALTHY}),
        delays_ms=given.pop("delays_ms", {"viewers": 20.0}),
        **given,
    )
    return {finding.key: finding for finding in wiring_findings(wired)}


def mended(rig: Rig, finding: Finding) -> Rig:
    assert finding.mend is not None
    return changed_together(rig, finding.mend.changes)


def test_a_sound_rig_has_no_finding() -> None:
    assert found(Rig()) == {}
    assert found(rig_with(is_on_break=True)) == {}, "a break is meant"


def test_what_viewers_do_not_hear_is_said_once_with_all_it_takes() -> None:
    rig = rig_with(
        feeds__viewers__is_muted=True,
        inputs__voice__is_muted=True,
        inputs__voice__sends__viewers__is_heard=False,
    )
    only = found(rig)
    assert list(only) == ["voice_missing"]
    finding = only["voice_missing"]
    assert finding.mend is not None
    assert len(finding.mend.changes) == 3
    assert found(mended(rig, finding)) == {}
    no_voice = found(
        rig_with(inputs__voice__role="voice", chained="", inputs__voice__is_muted=True)
    )
    assert "voice_missing" in no_voice


def test_an_empty_feed_offers_what_fits() -> None:
    nothing = {f"inputs.{name}.sends.you.is_heard": False for name in ("game", "music", "copilot")}
    rig = changed_together(Rig(), nothing)
    finding = found(rig)["feed_empty:you"]
    assert finding.mend is not None
    assert finding.mend.label == "Send Voice to You"
    assert finding.feeds == ["you"]
    assert found(mended(rig, finding)) == {}


def test_two_inputs_of_one_channel_are_one_sound_but_two_channels_are_two() -> None:
    rig = with_input(Rig(), "voice")
    second = {"inputs.voice_1.device": "attic", "inputs.voice_1.sends.viewers.is_heard": True}
    same = changed_together(rig, {**second, "inputs.voice_1.channels": "left"})
    finding = found(same)["heard_twice:voice:voice_1"]
    assert "same channel of the same device" in finding.evidence
    assert "two homes" in finding.text
    assert found(mended(same, finding)) == {}
    other = changed_together(rig, {**second, "inputs.voice_1.channels": "right"})
    assert found(other) == {}
    muted = changed_together(same, {"inputs.voice_1.is_muted": True})
    assert found(muted) == {}


@pytest.mark.parametrize(
    ("lag_ms", "words"),
    [
        (0.0, "at the same time"),
        (2.5, "first gap at 200 Hz"),
        (12.0, "first gap at 42 Hz"),
        (180.0, "180 ms apart: an echo"),
    ],
)
def test_how_a_copy_sounds_follows_from_its_delay(lag_ms: float, words: str) -> None:
    """The first notch of a comb filter lies where the delay is half a period."""
    alike = (Alike("game", "copilot", lag_ms, -6.0, 0.8),)
    finding = found(Rig(), alike=alike)["heard_twice:game:copilot"]
    assert words in finding.text
    assert finding.text.endswith("Heard by Viewers, You and Archive.")
    assert finding.badness == -6.0
    assert "correlation 0.80" in finding.evidence


def test_the_voice_of_the_chain_is_never_the_one_to_go() -> None:
    alike = (Alike("game", "voice", 3.0, -10.0, 0.4),)
    finding = found(Rig(), alike=alike)["heard_twice:voice:game"]
    assert finding.title == "Game is heard twice"
    assert finding.mend is not None
    assert finding.mend.label == "Take Game off Viewers and Archive"


SPEAKERS = rig_with(feeds__you__output="loudspeakers")


def test_what_loudspeakers_do_is_told_once_and_headphones_mend_it() -> None:
    alike = (
        Alike("feed/you", "voice", 9.0, -24.0, 0.1),
        Alike("game", "voice", 16.0, -35.0, 0.02),
        Alike("music", "voice", 16.0, -38.0, 0.02),
    )
    only = found(SPEAKERS, alike=alike)
    assert list(only) == ["heard_twice:loudspeakers:voice"]
    finding = only["heard_twice:loudspeakers:voice"]
    assert finding.title == "Viewers and Archive hear it twice"
    assert "24 dB down and 9 ms late" in finding.text
    assert found(mended(SPEAKERS, finding)) == {}
    # The same likeness without loudspeakers is another story.
    assert "heard_twice:voice:game" in found(Rig(), alike=alike[1:2])


def test_a_caller_in_the_microphone_hears_itself() -> None:
    alike = (Alike("copilot", "voice", 38.0, -9.0, 0.3),)
    finding = found(SPEAKERS, alike=alike)["call_hears_itself:voice"]
    assert "goes out of your loudspeakers into the microphone" in finding.text
    assert "38 ms later and 9 dB down" in finding.text
    assert found(mended(SPEAKERS, finding)) == {}
    silent = changed_together(SPEAKERS, {"inputs.voice.sends.call.is_heard": False})
    assert "call_hears_itself:voice" not in found(silent, alike=alike)


def test_a_capture_of_everything_is_no_mix_minus() -> None:
    rig = with_input(Rig(), "other")
    rig = changed_together(
        rig, {"inputs.other_1.device": "computer", "inputs.other_1.sends.call.is_heard": True}
    )
    assert "call_hears_itself:other_1" in found(rig)


def levels(body: float) -> StationLevels:
    return StationLevels(-65.0, body - 20, body - 10, body, body + 8, body + 12)


@pytest.mark.parametrize(("leak_db", "words"), [(-30.0, "does not howl yet"), (-15.0, "it howls")])
def test_the_gain_once_around_says_whether_it_howls(leak_db: float, words: str) -> None:
    """Leak −30 dB, chain +16 dB, send −2 dB: −16 dB once around."""
    rig = changed_together(
        SPEAKERS,
        {"inputs.voice.sends.you.is_heard": True, "inputs.voice.sends.you.level_db": -2.0},
    )
    stations = {"microphone": levels(-30.0), "limiter": levels(-14.0)}
    alike = (Alike("feed/you", "voice", 9.0, leak_db, 0.2),)
    finding = found(rig, alike=alike, stations=stations)["loop_howls:voice"]
    assert finding.badness == pytest.approx(leak_db + 16 - 2)
    assert words in finding.text
    wired_only = found(rig)["loop_howls:voice"]
    assert "howls." not in wired_only.text, "what was not measured is not claimed"


def test_a_voice_that_comes_back_is_told_as_that_and_not_as_an_echo_of_two_inputs() -> None:
    alike = (
        Alike("feed/call", "copilot", 185.0, -9.0, 0.4),
        Alike("voice", "copilot", 192.0, 1.0, 0.4),
    )
    only = found(rig_with(devices__call_service__sends_back=True), alike=alike)
    assert list(only) == ["voice_returns:copilot"]
    assert "185 ms later and 9 dB down" in only["voice_returns:copilot"].text


def healthy_but(**changes: Any) -> MicrophoneHealth:
    return MicrophoneHealth(**{**HEALTHY.__dict__, **changes})


@pytest.mark.parametrize(
    ("channels", "health", "codes"),
    [
        ("left", HEALTHY, []),
        ("stereo", HEALTHY, ["microphone_in_one_ear"]),
        ("sum", HEALTHY, ["microphone_in_one_ear"]),
        ("right", HEALTHY, ["microphone_in_one_ear"]),
        ("stereo", healthy_but(peaks_dbfs=(-14.0, -16.0)), []),
        ("stereo", healthy_but(peaks_dbfs=(-80.0, -80.0)), []),
        ("sum", healthy_but(peaks_dbfs=(-14.0, -14.0), correlation=-0.9), ["opposite_polarity"]),
        ("left", healthy_but(peaks_dbfs=(-14.0, -14.0), correlation=-0.9), []),
        ("left", healthy_but(flat_tops_dbfs=(-12.0, None)), ["flat_tops"]),
        ("left", healthy_but(flat_tops_dbfs=(None, -12.0)), []),
        ("left", healthy_but(flat_tops_dbfs=(0.0, None)), []),
        ("left", healthy_but(offsets_dbfs=(-30.0, -90.0)), ["constant_offset"]),
        ("left", healthy_but(hums=(Hum(50, -40.0), None)), ["hum"]),
        ("left", healthy_but(hums=(Hum(50, -75.0), None)), []),
        ("left", healthy_but(hums=(None, Hum(50, -40.0))), []),
    ],
)
def test_only_the_sides_that_are_used_are_judged(
    channels: str, health: MicrophoneHealth, codes: list[str]
) -> None:
    rig = rig_with(inputs__voice__channels=channels)
    said = found(rig, health={"voice": health})
    assert [finding.code for finding in said.values()] == codes
    for finding in said.values():
        if finding.mend:
            assert found(mended(rig, finding), health={"voice": health}) == {}


def test_every_voices_microphone_is_judged_and_who_it_is_is_said() -> None:
    guest = with_input(Rig(), "voice")
    rig = changed_together(guest, {"inputs.voice_1.device": "laptop"})
    ill = healthy_but(
        peaks_dbfs=(0.0, 0.0),
        correlation=1.0,
        hums=(Hum(50, -40.0), None),
        offsets_dbfs=(-30.0, -90.0),
    )
    said = found(rig, health={"voice": HEALTHY, "voice_1": ill, "game": ill})
    assert {finding.key: finding.title for finding in said.values()} == {
        "microphone_clips:voice_1": "Voice 2: the microphone clips",
        "constant_offset:voice_1": "Voice 2: a constant offset costs headroom",
        "hum:voice_1": "Voice 2: hum at 50 Hz",
    }
    clips = said["microphone_clips:voice_1"]
    assert clips.mend is None, "the laptop's preamp cannot be turned from here"
    attic = changed_together(rig, {"inputs.voice_1.device": "attic"})
    clips = found(attic, health={"voice_1": ill})["microphone_clips:voice_1"]
    assert clips.mend is not None
    assert list(clips.mend.changes) == ["devices.attic.preamp_gain_db"]


@pytest.mark.parametrize(
    ("status", "code", "words"),
    [
        ({"state": "unplugged"}, "device_gone", "comes back by itself"),
        ({"state": "waiting"}, "device_gone", "Open it"),
        ({"rate_hz": 44_100}, "rates_differ", "resampled"),
        ({"counted_rate_hz": 44_100.0}, "rate_untrue", "says 48 kHz and delivers 44.1 kHz"),
        ({"recent_dropouts": 3}, "dropouts", "3 times in the last minute"),
        ({"recent_dropouts": 1}, "dropouts", "1 time in"),
    ],
)
def test_what_a_device_says_of_itself(status: dict[str, Any], code: str, words: str) -> None:
    devices = {**STATUSES, "game": {**PLAYING, **status}}
    only = found(Rig(), devices=devices)
    assert list(only) == [f"{code}:game"]
    assert words in only[f"{code}:game"].text
    unused = rig_with(inputs__game__device="")
    assert found(unused, devices=devices) == {}, "what nobody uses is nobody's trouble"


def test_a_device_that_does_not_exist_is_said() -> None:
    assert "device_gone:piano" in found(rig_with(inputs__game__device="piano"))


@pytest.mark.parametrize(
    ("sound_ms", "picture_ms", "is_apart"),
    [
        (20, 0, False),
        (125, 0, False),
        (130, 0, True),
        (20, 64, False),
        (20, 70, True),
        (300, 290, False),
    ],
)
def test_lips_and_voice_by_what_viewers_notice(
    sound_ms: float, picture_ms: float, is_apart: bool
) -> None:
    """Sound later than 125 ms or earlier than 45 ms shows (ITU-R BT.1359-1)."""
    rig = rig_with(picture_delay_ms=picture_ms)
    only = found(rig, delays_ms={"viewers": float(sound_ms)})
    assert ("lips" in only) == is_apart
    if is_apart:
        assert found(mended(rig, only["lips"]), delays_ms={"viewers": float(sound_ms)}) == {}


def test_a_needless_delay_of_the_feed_is_the_first_to_go() -> None:
    rig = rig_with(feeds__viewers__delay_ms=200.0)
    finding = found(rig, delays_ms={"viewers": 220.0})["lips"]
    assert finding.mend is not None
    assert finding.mend.changes == {"feeds.viewers.delay_ms": 0.0}


@pytest.mark.parametrize(
    ("changes", "feed", "sentence"),
    [
        ({}, "viewers", "Viewers hear Voice, Game, Music and Co-pilot."),
        ({}, "you", "You hear Game, Music and Co-pilot. You do not hear Voice."),
        ({}, "call", "The call hears Voice. It does not hear Game, Music and Co-pilot."),
        (
            {"inputs__game__sends__viewers__level_db": -3.0},
            "viewers",
            "Viewers hear Voice, Game at −3 dB, Music and Co-pilot.",
        ),
        (
            {"inputs__game__sends__viewers__level_db": -3.5, "inputs__music__is_muted": True},
            "viewers",
            "Viewers hear Voice, Game at −3.5 dB, Music (muted) and Co-pilot.",
        ),
        (
            {"inputs__copilot__sends__viewers__is_heard": False},
            "viewers",
            "Viewers hear Voice, Game and Music. They do not hear Co-pilot.",
        ),
        (
            {},
            "archive",
            "The archive keeps Voice, Game and Co-pilot, Voice ahead of the fader, Game and Co-pilot as they came. "
            "It does not keep Music.",
        ),
        ({"feeds__call__is_muted": True}, "call", "The call hears nothing: the feed is muted."),
        ({"inputs__voice__sends__call__is_heard": False}, "call", "The call hears nothing."),
        ({"is_on_break": True}, "viewers", "Break: viewers hear Music until you end it."),
    ],
)
def test_who_hears_what_in_words(changes: dict[str, Any], feed: Any, sentence: str) -> None:
    assert feed_sentence(rig_with(**changes), feed) == sentence


def trial(frames: Any, late: int = 0, share: float = 0.3) -> BufferTrial:
    return BufferTrial(block_frames=frames, blocks=1000, late_blocks=late, slowest_share=share)


@pytest.mark.parametrize(
    ("trials", "frames", "words"),
    [
        ([trial(64, 3), trial(128), trial(256)], 128, "With 64, 3 came late."),
        ([trial(64, 0, 0.9), trial(128), trial(256)], 128, "With 64, one took 90 %."),
        ([trial(64), trial(128), trial(256)], 64, "none of 1000 blocks was late"),
        ([trial(64), trial(128, 2), trial(256)], 256, "With 128, 2 came late."),
        ([trial(512, 9), trial(1024, 5)], 1024, "No size held"),
    ],
)
def test_the_smallest_buffer_under_which_all_larger_hold(
    trials: list[BufferTrial], frames: int, words: str
) -> None:
    advice = advise_buffer(trials)
    assert advice.block_frames == frames
    assert words in advice.text


VIEWERS_MICROPHONE = VirtualDevice(
    key="microphone:viewers",
    device="server:gh",
    name="gh_mic",
    label="Goshawk: Viewers",
    volume=1.0,
    is_muted=False,
    is_linked=True,
)
BROADCAST = Program(
    id=1, name="Broadcast", plays=False, device="", key="microphone:viewers", volume=1.0, is_muted=False
)  # fmt: skip
SERVED = Computer(server="a server", virtual=(VIEWERS_MICROPHONE,), programs=(BROADCAST,))


def test_who_leaves_nowhere_is_told_and_a_virtual_microphone_that_is_used_is_sound() -> None:
    nowhere = found(own_rig(), devices={})
    assert {key for key in nowhere if key.startswith("feed_leaves")} == {
        f"feed_leaves_nowhere:{feed}" for feed in ("viewers", "you", "call")
    }
    assert found(with_output(Rig(), "viewers", "virtual"), computer=SERVED) == {}


@pytest.mark.parametrize(
    ("code", "computer", "words"),
    [
        ("nobody_listens", SERVED.model_copy(update={"programs": ()}), "No program listens"),
        (
            "virtual_not_unity",
            SERVED.model_copy(
                update={"virtual": (VIEWERS_MICROPHONE.model_copy(update={"volume": 0.4}),)}
            ),
            "turned in the system",
        ),
        (
            "program_played_twice",
            SERVED.model_copy(
                update={
                    "programs": (
                        BROADCAST,
                        *(
                            BROADCAST.model_copy(update={"plays": True, "name": "Box", "key": key})
                            for key in ("", "loudspeakers:game")
                        ),
                    )
                }
            ),
            "Box plays in two places",
        ),
    ],
)
def test_what_the_computer_tells(code: str, computer: Computer, words: str) -> None:
    (finding,) = found(with_output(Rig(), "viewers", "virtual"), computer=computer).values()
    assert finding.code == code
    assert words in finding.title


def test_one_device_for_two_things_and_a_feed_that_comes_back() -> None:
    desk = ComputerDevice(id="server:desk", label="Desk", direction="out", host="", channels=2)
    computer = Computer(server="a server", devices=(desk,))
    both = with_output(with_output(Rig(), "viewers", "server:desk"), "you", "server:desk")
    (finding,) = found(both, computer=computer).values()
    assert finding.code == "same_device"
    assert found(mended(both, finding), computer=computer) == {}
    round_ = changed_together(
        with_output(Rig(), "viewers", "server:desk"),
        {"inputs.game.device": "server:desk.monitor"},
    )
    playing = {**STATUSES, "server:desk.monitor": PLAYING}
    (finding,) = found(round_, computer=computer, devices=playing).values()
    assert finding.code == "feed_taken_back"
    assert found(mended(round_, finding), computer=computer, devices=playing) == {}


def test_an_output_that_does_not_play_says_why() -> None:
    rig = with_output(Rig(), "call", "server:gone")
    states = {one.id: {"state": "playing"} for one in rig.outputs}
    states[rig.outputs[-1].id] = {"state": "waiting", "said": "The device is gone."}
    (finding,) = found(rig, outputs=states).values()
    assert finding.code == "output_gone"
    assert "is gone" in finding.text
    # A program that an input takes moves with one step, and from one input to another.
    taken = with_program(with_program(Rig(), "game", "Box"), "music", "Box")
    assert [one.takes for one in taken.inputs] == ["", "", "Box", ""]
