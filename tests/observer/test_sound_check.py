"""The web's side of the sound check: takes that are made, kept and refused, and what is said later."""

import asyncio
from pathlib import Path

import numpy as np
import pytest
import soundfile

from goshawk.core.measure.levels import StationLevels
from goshawk.core.measure.take import TakeFigures, TakeKind
from goshawk.core.rig import Rig
from goshawk.core.rig_changes import with_more_trim, with_stages_of
from goshawk.core.rules.sound_check.advice import Wish
from goshawk.core.rules.sound_check.since import changes_since, drift_of
from goshawk.core.sound_check import measured
from goshawk.core.stage import Block
from goshawk.core.starting_points import STARTING_POINTS
from goshawk.errors import BadInput, NotFound
from goshawk.observer.drift import LASTS_S, Drift
from goshawk.observer.requests import StartTake
from goshawk.observer.sound_check import COUNT_IN_S, MOST_BEGINNINGS, SoundCheck
from goshawk.store import sound_checks
from goshawk.web.application import Application
from tests.conftest import RATE_HZ
from tests.situations import gain, takes_of
from tests.waiting import until
from tests.web.conftest import desk_of, make_application


def hear(check: SoundCheck, sound: Block) -> None:
    """The count-in, then the sound and its beginning again, in packets, for as long as the take wants."""
    count_in = np.zeros((round(COUNT_IN_S * RATE_HZ), 1), np.float32)
    frame = 0
    for piece in np.array_split(np.concatenate([count_in, sound, sound, sound]), 200):
        check.push(frame, piece)
        frame += len(piece)


def test_takes_are_made_kept_and_outlive_the_program(
    application: Application, tmp_path: Path
) -> None:
    takes = takes_of("porter")

    async def story() -> None:
        check = desk_of(application).sound_check
        await application.observer.ask(StartTake("room"))
        assert application.engine.rig is not None
        assert application.engine.rig.devices.attic.performance == "silent", "the stand-in obeys"
        assert application.desk.rig.devices.attic.performance == "talk", (
            "the rig keeps what was set"
        )
        assert check.progress is not None
        assert check.progress.begins_in_s == COUNT_IN_S
        hear(check, takes["room"])
        await until(lambda: "room" in check.state.takes)
        assert application.engine.rig.devices.attic.performance == "talk"

        # A voice is refused where the microphone gives nothing; what is broken off leaves no trace.
        await application.observer.ask(StartTake("usual"))
        hear(check, np.concatenate([takes["usual"], np.zeros((3 * RATE_HZ, 1), np.float32)]))
        await until(lambda: "usual" in check.state.refusals)
        assert "as if unplugged" in check.state.refusals["usual"]
        await application.observer.ask(StartTake("usual"))
        check.cancel()
        hear(check, takes["usual"])
        assert set(check.state.takes) == {"room"}

        # What is doubtful is kept with its doubt, but never in place of something good.
        await check._judge("usual", takes["usual"], is_live=False)
        await check._judge("usual", np.clip(gain(30) * takes["usual"], -1, 1), is_live=False)
        assert check.state.takes["usual"].doubt == ""
        assert "from before is kept" in check.state.refusals["usual"]
        with pytest.raises(BadInput, match="The low voice is missing"):
            check.run(Wish())
        await desk_of(application).close()

    asyncio.run(story())
    application.store.connection.close()
    again = desk_of(make_application(tmp_path)).sound_check
    assert set(again.state.takes) == {"room", "usual"}
    assert len(list((tmp_path / "takes").glob("*.wav"))) == 2


def test_behind_a_hole_a_take_begins_again_and_is_refused_when_there_is_no_end_to_them(
    application: Application, tmp_path: Path
) -> None:
    room = takes_of("porter")["room"]
    second = np.zeros((RATE_HZ, 1), np.float32)

    async def story() -> None:
        check = desk_of(application).sound_check
        check.start("room")
        # A hole in the count-in is nobody's loss; the last of these frames are the take's.
        for frame in (0, RATE_HZ, round(2.1 * RATE_HZ), 4 * RATE_HZ):
            check.push(frame, second)
        assert check.progress is not None
        assert (check.progress.elapsed_s, check.progress.beginnings) == (1.0, 0)
        at = 6 * RATE_HZ
        for piece in np.array_split(np.concatenate([room, room]), 100):
            check.push(at, piece)
            at += len(piece)
        await until(lambda: "room" in check.state.takes)
        (kept,) = (tmp_path / "takes").glob("*.wav")
        sound = soundfile.read(kept, dtype="float32", always_2d=True)[0]
        assert len(sound) >= 8 * RATE_HZ
        assert np.array_equal(sound, np.concatenate([room, room])[: len(sound)])

        check.start("room")
        for number in range(20):
            assert check.progress is not None, number
            check.push(2 * number * RATE_HZ, second)
            if "room" in check.state.refusals:
                break
        assert check.progress is None
        assert number == COUNT_IN_S + MOST_BEGINNINGS + 1
        assert "again and again" in check.state.refusals["room"]
        assert "room" in check.state.takes, "the one from before is kept"
        await desk_of(application).close()

    asyncio.run(story())


def test_a_check_is_computed_accepted_and_compared_with_later_ones(
    application: Application,
) -> None:
    takes = takes_of("porter")

    async def story() -> None:
        check = desk_of(application).sound_check
        with pytest.raises(BadInput, match="Nothing has been computed"):
            await application.check.accept(None)
        for kind, sound in takes.items():
            await check._judge(kind, sound, is_live=False)
        assert check.state.run is not None, "it begins by itself"
        await asyncio.sleep(0)
        check.stop_run()  # while it only starts, too
        assert check.state.run is None
        await application.changes.set_setting("feeds.viewers.ceiling_dbtp", -5.0)
        check.run(Wish(steadiness="natural"))
        assert check.state.wish.ceiling_dbtp == -6.0, "under the ceiling of this rig"
        await until(lambda: check.outcome is not None)
        for side in ("before", "after"):
            assert application.check.sound(check.state.heard, "usual", side).is_file()
        with pytest.raises(NotFound, match="Compute the check again"):
            application.check.sound(99, "usual", "after")
        await application.check.accept(["compressor"])
        assert check.outcome is not None
        suggested = next(s for s in check.outcome.chain if s.stage == "compressor")
        assert suggested in application.desk.rig.chain
        assert "leveller" in [slot.stage for slot in application.desk.rig.chain], (
            "the rest stays as it was"
        )
        await application.check.accept(None)
        assert application.desk.rig.chain == check.outcome.chain
        assert check.state.is_accepted

        # The preamp was turned: the trim makes up for it, in one step.
        for kind in ("room", "low", "usual", "big"):
            await check._judge(kind, takes[kind] * gain(-6), is_live=False)
        check.stop_run()
        (change,) = check.state.changes
        assert (change.code, change.gain_db) == ("gain_changed", pytest.approx(6, abs=0.3))
        trims = [slot for slot in application.desk.rig.chain if slot.stage == "trim"]
        before = trims[0].settings.gain_db if trims else 0.0
        await application.check.make_up(change.gain_db)
        trim = next(slot for slot in application.desk.rig.chain if slot.stage == "trim")
        assert trim.settings.gain_db == pytest.approx(before + change.gain_db, abs=0.1)
        assert check.state.changes == []
        await desk_of(application).close()

    asyncio.run(story())
    kept = sound_checks.load_check(application.store.connection)
    assert kept is not None
    assert set(kept.figures) == {"room", "low", "usual", "big"}


def test_what_changed_is_told_apart() -> None:
    takes = takes_of("keeper")
    kept = measured(takes)

    def codes(**gains_db: float) -> list[str]:
        now: dict[TakeKind, TakeFigures] = measured(
            {kind: sound * gain(gains_db.get(kind, 0.0)) for kind, sound in takes.items()}
        )
        return [change.code for change in changes_since(kept, now)]

    assert codes() == []
    assert codes(room=6, low=6, usual=6, big=6) == ["gain_changed"]
    assert codes(low=-5, usual=-5, big=-5) == ["distance_changed"]
    assert codes(room=6) == ["room_changed"]
    assert codes(big=-6) == [], "one voice alone is a mood"


def test_a_drift_is_said_once_when_it_lasts() -> None:
    kept = measured(takes_of("keeper"))

    def heard(noise_floor_dbfs: float, peaks_dbfs: float) -> StationLevels:
        blank = dict.fromkeys(StationLevels.__dataclass_fields__)
        return StationLevels(
            **{**blank, "noise_floor_dbfs": noise_floor_dbfs, "peaks_dbfs": peaks_dbfs}
        )

    assert drift_of(kept, heard(-65, -14)) == ""
    assert "8 dB louder than at the sound check" in drift_of(kept, heard(-58, -14))
    assert "softer than your low voice" in drift_of(kept, heard(-66, -45))
    assert "louder than your big voice" in drift_of(kept, heard(-66, 6))
    now = [0.0]
    drift = Drift(lambda: now[0])
    assert drift.push("It drifts.") == ""
    now[0] = LASTS_S - 1
    assert [drift.push(text) for text in ("", "It drifts.")] == ["", ""]
    now[0] += LASTS_S + 1
    assert [drift.push("It drifts."), drift.push("It drifts.")] == ["It drifts.", ""]


def test_stages_of_another_chain_take_their_places() -> None:
    rig = Rig()
    other = STARTING_POINTS["start_noisy"].chain
    mixed = with_stages_of(rig, other, {"gate", "leveller"})
    stages = [slot.stage for slot in mixed.chain]
    assert stages == [slot.stage for slot in rig.chain if slot.stage != "leveller"]
    gates = [next(s for s in chain if s.stage == "gate") for chain in (mixed.chain, other)]
    assert gates[0].settings == gates[1].settings
    bare = with_stages_of(rig, (), {"trim"})
    assert with_more_trim(bare, 3.0).chain[0].settings.model_dump()["gain_db"] == 3.0
