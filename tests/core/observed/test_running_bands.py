"""Bands that are computed only for what is new are those of the whole, computed at once."""

import numpy as np
import pytest

from goshawk.core.masking.index import sight_of
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.mix import HeardInputs, bands_of, contributions
from goshawk.core.observed.running_bands import RunningBands
from goshawk.core.rig import changed
from tests.core.test_balance import loud_game


def _until(heard: HeardInputs, hop: int) -> HeardInputs:
    rows = {name: row[: hop * HOP_FRAMES] for name, row in heard.rows.items()}
    return HeardInputs(rows, heard.key[: hop * HOP_FRAMES], heard.activity[:hop])


def test_looks_at_what_is_new_come_to_the_bands_of_all() -> None:
    rig, heard = loud_game()
    rig = changed(rig, "inputs.game.chain.game_ducker.is_bypassed", False)
    running = RunningBands(8.0)
    for hop in (310, 311, 455, 700, 913):
        found = running.take(rig, _until(heard, hop).last(8.0))
    recent = _until(heard, 913).from_hop(113)
    # Pieces begin at every fourth hop from the first that was ever heard.
    start = recent.from_hop(116)
    frames = len(start.key)
    parts = {name: part[-frames:] for name, part in contributions(rig, recent).items()}
    whole = bands_of(rig, parts, start.activity, 116 * HOP_FRAMES)
    np.testing.assert_array_equal(found.starts, whole.starts)
    np.testing.assert_allclose(found.voice, whole.voice, rtol=1e-4)
    # EQ and ducker begin at rest at 113 there, and two seconds ahead of each look here.
    for name, powers in whole.others.items():
        late = found.starts > 330 * HOP_FRAMES
        np.testing.assert_allclose(found.others[name][late], powers[late], rtol=0.02)
    one, other = sight_of(rig, recent, found).sii, sight_of(rig, recent, whole).sii
    assert one == pytest.approx(other, abs=0.003)

    # Another rig begins anew, with all that was heard.
    quieter = changed(rig, "inputs.game.trim_db", rig.input("game").trim_db - 6.0)
    again = running.take(quieter, recent)
    share = again.others["game"].mean() / found.others["game"].mean()
    assert 10.0 * np.log10(share) == pytest.approx(-6.0, abs=0.5)
    assert len(again.starts) == len(whole.starts)

    # So does a gap longer than what is kept.
    later = HeardInputs(recent.rows, recent.key, recent.activity, recent.first_hop + 2000)
    assert running.take(quieter, later).starts.min() >= later.first_hop * HOP_FRAMES
