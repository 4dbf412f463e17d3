"""What must be true before going on air: told in the order of the job, with a mend that mends, from an empty rig on."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

from goshawk.core.measure.levels import StationLevels
from goshawk.core.rig import Rig, changed_together
from goshawk.core.rig_changes import own_rig
from goshawk.core.watch.before import Item, Known, disk_item, items

NOW = datetime(2026, 11, 24, 20, 0, tzinfo=UTC)
FINE = Known(
    rig=Rig(),
    microphone=StationLevels(
        quiet_dbfs=-45.0,
        noise_floor_dbfs=-62.0,
        body_low_dbfs=-40.0,
        body_high_dbfs=-25.0,
        peaks_dbfs=-17.0,
        highest_peak_dbfs=-10.0,
    ),
    device_state="playing",
    device_title="Attic interface",
    check_made=NOW - timedelta(hours=1),
    check_drift="",
    now=NOW,
    findings=[],
    reach={"viewers": "hears", "call": "hears"},
    sentences={"viewers": "Viewers hear all."},
    speech_s=8.0,
    voice_peaks_dbfs=-7.2,
    clearances_db={"game": 12.5, "music": 17.0, "copilot": 4.2},
    words=0.8,
    loudness_lufs=-16.4,
    delay_ms=37.5,
    late_in_last_minute=0,
)


def by_key(known: Known) -> dict[str, Item]:
    return {one.key: one for one in items(known)}


def test_where_all_is_well_every_line_is_good_and_says_its_number() -> None:
    found = items(FINE)
    assert {one.state for one in found} == {"good"}
    assert [one.key for one in found] == [
        "microphone", "check", "viewers", "call", "spoken", "near", "whole", "delay", "engine",
    ]  # fmt: skip
    assert "−17 dBFS" in found[0].text
    assert disk_item(8 * 3600.0, "").state == "good"
    assert disk_item(3600.0, "").title == "Disk space for 1.0 hours"
    assert disk_item(None, "No folder.").text == "No folder."


def test_on_an_empty_rig_each_line_leads_to_the_task_where_it_is_settled() -> None:
    nothing = replace(
        FINE,
        rig=own_rig(),
        microphone=None,
        device_state="",
        check_made=None,
        reach={"viewers": "closed", "call": "closed"},
        speech_s=0.0,
        voice_peaks_dbfs=None,
        clearances_db={},
        loudness_lufs=None,
        delay_ms=None,
    )
    found = items(nothing)
    assert (found[0].state, found[0].title, found[0].task) == (
        "open", "No microphone yet", "wiring",
    )  # fmt: skip
    assert (found[1].state, found[1].task) == ("open", "sound_check")
    assert all(one.state != "good" or one.mend is None for one in found)
    # The order of the tasks is that of the job.
    order = ["wiring", "sound_check", "chain", "balance", "record"]
    firsts = list(dict.fromkeys(one.task for one in found))
    assert firsts == sorted(firsts, key=order.index)


def test_every_mend_mends() -> None:
    muted = changed_together(
        Rig(),
        {"inputs.voice.is_muted": True, "is_on_break": True, "feeds.viewers.has_ceiling": False},
    )
    wrong = replace(
        FINE,
        rig=muted,
        clearances_db={"game": 6.0, "music": 18.0},
        loudness_lufs=-20.0,
        delay_ms=120.0,
    )
    found = by_key(wrong)
    assert {one.key for one in items(wrong) if one.state == "open"} == {
        "viewers", "near game", "whole", "delay",
    }  # fmt: skip
    changes = {
        path: value
        for one in found.values()
        if one.mend
        for path, value in one.mend.changes.items()
    }
    mended = changed_together(muted, changes)
    assert not mended.is_on_break
    assert mended.voice
    assert not mended.voice.is_muted
    assert mended.feeds.viewers.has_ceiling
    assert mended.picture_delay_ms == 120.0
    after = replace(wrong, rig=mended, clearances_db={"game": 12.0, "music": 18.0})
    assert {key for key, one in by_key(after).items() if one.state == "open"} == {"whole"}
    assert by_key(after)["whole"].title == "The full mix is 4.0 LU too quiet"
    assert by_key(replace(after, speech_s=1.0))["whole"].state == "waits"


def test_a_check_of_another_day_and_a_gain_that_is_off_are_open() -> None:
    old = by_key(replace(FINE, check_made=NOW - timedelta(days=3)))
    assert old["check"].title == "The last sound check was 3 days ago"
    drifted = by_key(replace(FINE, check_drift="The room is 9 dB louder."))
    assert drifted["check"].text == "The room is 9 dB louder."
    assert FINE.microphone
    low = replace(FINE.microphone, peaks_dbfs=-44.0)
    assert by_key(replace(FINE, microphone=low))["microphone"].title.endswith("too low")
    gone = by_key(replace(FINE, device_state="unplugged"))
    assert gone["microphone"].title == "Your microphone is not connected"
    soft = by_key(replace(FINE, voice_peaks_dbfs=-11.0))
    assert soft["spoken"].title == "Your voice peaks 4.0 dB below its target"
    busy = by_key(replace(FINE, late_in_last_minute=40))
    assert busy["engine"].state == "open"
