"""Inserts: out to a unit and back, in time, shut where the voice is shut, dry where nothing returns."""

from typing import Any

import numpy as np
import pytest

from goshawk.core.dsp.insert import Insert, InsertSettings
from goshawk.core.rig import Rig, changed_together
from goshawk.core.rig_changes import with_stage
from goshawk.core.stage import Block
from goshawk.devices.inserts import UNIT_MS
from goshawk.engine.loop import AudioLoop
from goshawk.engine.plan import Plan
from goshawk.errors import BadSetting
from tests.conftest import RATE_HZ, random_sound, run

UNIT = {"sends_to": "processor", "comes_from": "processor"}


def with_insert(**settings: Any) -> Rig:
    rig = with_stage(Rig(), "voice", "insert", "trim")
    path = f"{rig.stage_path('insert')}.settings"
    return changed_together(rig, {f"{path}.{name}": value for name, value in settings.items()})


def heard(loop: AudioLoop, seconds: float) -> Block:
    """The voice behind its chain."""
    pieces = []
    for _ in range(round(seconds * RATE_HZ / loop.block_frames)):
        loop.run_block()
        pieces.append(loop.sound("input:voice")[0].copy())
    return np.concatenate(pieces)


def measured(loop: AudioLoop) -> list[tuple[str, float | None]]:
    loop.inserts.measure("insert")
    heard(loop, 0.6)
    return loop.inserts.take_measured()


def test_alone_it_only_waits_and_what_returns_takes_over_in_a_crossfade() -> None:
    sound = random_sound(3, 0.5)
    insert = Insert(InsertSettings(way_ms=10.0), 1, 1024)
    out = run(insert, sound)
    late = round(0.010 * RATE_HZ)
    np.testing.assert_array_equal(out[late:], sound[:-late])
    insert = Insert(InsertSettings(way_ms=10.0, return_db=6.0), 1, 1024)
    insert.returned[:] = 0.1
    insert.is_back[0] = 1.0
    out = run(insert, np.full((RATE_HZ, 1), 0.5, np.float32))
    assert np.abs(np.diff(out[late + 1 :, 0])).max() < 0.01, "no click"
    assert out[-1, 0] == pytest.approx(0.1 * 10 ** (6 / 20), rel=1e-3)


@pytest.mark.parametrize("block_frames", [128, 256])
def test_the_way_is_measured_and_what_returns_is_in_time(block_frames: int) -> None:
    rig = with_insert(**UNIT).model_copy(update={"block_frames": block_frames})
    loop = AudioLoop(Plan(rig=rig))
    heard(loop, 0.5)
    ((stage_id, way_ms),) = measured(loop)
    assert stage_id == "insert"
    # Out behind one block and back ahead of the next, and what the unit takes.
    assert way_ms == pytest.approx(UNIT_MS + block_frames / RATE_HZ * 1000, abs=0.05)
    aligned = changed_together(rig, {f"{rig.stage_path('insert')}.settings.way_ms": way_ms})
    quiet = {"devices.attic.preamp_gain_db": 10.0}  # The unit bends nothing that is so quiet.
    wet = AudioLoop(Plan(rig=changed_together(aligned, quiet)))
    dry = AudioLoop(
        Plan(
            rig=changed_together(
                aligned, {**quiet, f"{rig.stage_path('insert')}.is_bypassed": True}
            )
        )
    )
    pair = [heard(one, 3.0)[RATE_HZ:] for one in (wet, dry)]
    assert np.abs(pair[1]).max() > 1e-3
    assert np.abs(pair[0] - pair[1]).max() < 0.03 * np.abs(pair[1]).max()


def test_where_nothing_returns_the_voice_goes_on_dry_and_a_click_finds_nothing() -> None:
    loop = AudioLoop(Plan(rig=with_insert(sends_to="server:gone", comes_from="server:gone")))
    assert np.abs(heard(loop, 2.0)).max() > 0.01
    assert measured(loop) == [("insert", None)]


def test_nothing_goes_out_of_a_shut_microphone() -> None:
    rig = with_insert(**UNIT)
    loop = AudioLoop(Plan(rig=rig))

    def goes_out(seconds: float) -> float:
        highest = 0.0
        for _ in range(round(seconds * RATE_HZ / rig.block_frames)):
            loop.run_block()
            sent = loop.inserts._ways["insert"].block[: rig.block_frames]
            highest = max(highest, float(np.abs(sent).max()))
        return highest

    assert goes_out(2.0) > 0.01
    loop.apply(changed_together(rig, {"inputs.voice.is_muted": True}))
    goes_out(0.5)
    assert goes_out(1.0) == 0.0
    loop.apply(rig)
    assert goes_out(2.0) > 0.01
    loop.obey(loop.plan.model_copy(update={"is_coughing": True}))
    goes_out(0.5)
    assert goes_out(1.0) == 0.0


def test_two_inserts_in_a_chain_at_most() -> None:
    rig = with_stage(with_stage(Rig(), "voice", "insert", ""), "voice", "insert", "")
    with pytest.raises(BadSetting, match="at most 2 inserts"):
        with_stage(rig, "voice", "insert", "")
