"""Evenings as they are kept: whole or not at all, small, and readable when parts of them are not."""

import sqlite3
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest

from goshawk.core.rig import Rig, changed
from goshawk.core.rules.health.event import Event
from goshawk.core.watch.evening_meter import EveningMeter
from goshawk.core.watch.report import Evening, advice, differences, shares_of
from goshawk.core.watch.second import BroadcastHistory, Second
from goshawk.errors import NotFound, StoreUnusable
from goshawk.store.evenings import evenings
from goshawk.store.evenings.database import evenings_path, open_evenings


def an_evening(seconds: int = 150) -> tuple[Evening, BroadcastHistory]:
    """Some seconds with a gap in the middle, in which a column comes late."""
    history, rng = BroadcastHistory(), np.random.default_rng(1)
    for n in range(seconds):
        if 70 <= n < 80:
            continue
        values = {"over:game": 12.0 + rng.normal(), "speech": 0.8, "viewers": float(n >= 75)}
        if n > 100:
            values["words"] = 0.712
        history.put(Second(number=n, values=values))
    evening = Evening(
        id="aa11", title="Lantern night", started_utc=datetime.now(UTC), seconds=seconds, rig=Rig()
    )
    return evening, history


def an_event(number: int, rule: str = "covered", **more: object) -> Event:
    usual = {"title": "Game is over you", "text": "", "help": "", "subject": "game"}
    return Event.model_validate(
        {"number": number, "rule": rule, "began_s": 10.0 * number, **usual, **more}
    )


def test_an_evening_comes_back_as_it_was_with_gaps_and_late_columns(tmp_path: Path) -> None:
    db = open_evenings(evenings_path(tmp_path)).connection
    evening, history = an_evening()
    minutes = {n: history.packed_minute(n) for n in range(3)}
    evenings.write(db, evening, minutes, [an_event(1), an_event(2)], b"meter")
    evenings.write(db, evening.model_copy(update={"is_over": True}), {}, [], None)
    found, kept, meter = evenings.read(db, "aa11")
    assert [one.number for one in found.events] == [1, 2]
    assert meter == b"meter"
    assert kept.seconds == 150
    for name in history.columns:
        np.testing.assert_array_equal(kept.column(name), history.column(name))
    assert np.isnan(kept.column("over:game")[70:80]).all()
    assert np.isnan(kept.column("words")[:100]).all()
    assert kept.column("words")[120] == pytest.approx(0.71)
    lanes = kept.lanes(0, 150, 15)
    assert lanes.means["viewers"][:7] == [0.0] * 7
    assert lanes.means["viewers"][7] is None
    assert shares_of(kept).viewers == pytest.approx(0.5)
    later = evening.model_copy(
        update={
            "id": "cc",
            "started_utc": datetime.now(UTC),
            "rig": changed(Rig(), "is_on_break", True),
        }
    )
    assert differences(evenings.before(db, later), later).settings == {"is_on_break": True}
    assert differences(evenings.before(db, evening), evening).before == ""
    (one,) = evenings.listed(db)
    assert (one.title, one.events, one.is_over) == ("Lantern night", 2, True)
    assert evenings.left_open(db) == []


def test_what_was_deleted_comes_back_within_a_day_and_is_gone_then(tmp_path: Path) -> None:
    path = evenings_path(tmp_path)
    db = open_evenings(path).connection
    evening, history = an_evening()
    evenings.write(db, evening, {0: history.packed_minute(0)}, [], None)
    # As a database was before anything could be brought back.
    db.executescript("ALTER TABLE evenings DROP COLUMN deleted_s; PRAGMA user_version = 1;")
    db.close()
    db = open_evenings(path).connection
    evenings.remove(db, "aa11")
    with pytest.raises(NotFound):
        evenings.read(db, "aa11")
    with pytest.raises(NotFound):
        evenings.remove(db, "aa11")
    assert evenings.listed(db) == []
    evenings.restore(db, "aa11")
    assert evenings.read(db, "aa11")[1].seconds == 60
    evenings.remove(db, "aa11")
    db.execute("UPDATE evenings SET deleted_s = deleted_s - 90000")
    db.close()
    db = open_evenings(path).connection
    with pytest.raises(NotFound):
        evenings.restore(db, "aa11")
    assert db.execute("SELECT count(*) FROM minutes").fetchone()[0] == 0


def test_what_is_damaged_is_left_out_or_kept_aside_and_said(tmp_path: Path) -> None:
    path = evenings_path(tmp_path)
    db = open_evenings(path).connection
    evening, history = an_evening()
    evenings.write(db, evening, {0: history.packed_minute(0), 1: b"nonsense"}, [an_event(1)], None)
    db.execute("UPDATE events SET document = '{'")
    db.execute(
        "INSERT INTO evenings (id, started_utc, document) VALUES ('bb', '2026', 'no document')"
    )
    found, kept, _ = evenings.read(db, "aa11")
    assert (kept.seconds, found.events) == (60, [])
    assert [one.id for one in evenings.listed(db)] == ["aa11"]
    db.close()
    for ending in ("-wal", "-shm"):
        Path(f"{path}{ending}").unlink(missing_ok=True)
    path.write_bytes(b"this is no database, however one looks at it" * 200)
    opened = open_evenings(path)
    assert "damaged" in (opened.notice or "")
    assert len(list(tmp_path.glob("evenings-*.db"))) == 1
    opened.connection.execute("PRAGMA user_version = 9")
    opened.connection.close()
    with pytest.raises(StoreUnusable, match="newer"):
        open_evenings(path)


def test_a_full_disk_keeps_all_or_nothing_of_a_write(tmp_path: Path) -> None:
    db = open_evenings(evenings_path(tmp_path)).connection
    evening, history = an_evening()
    evenings.write(db, evening, {0: history.packed_minute(0)}, [], None)
    pages = db.execute("PRAGMA page_count").fetchone()[0]
    db.execute(f"PRAGMA max_page_count = {pages}")
    many = [an_event(n, text="x" * 900) for n in range(1, 200)]
    with pytest.raises(StoreUnusable, match="disk is full"):
        evenings.write(db, evening, {1: history.packed_minute(1)}, many, None)
    found, kept, _ = evenings.read(db, "aa11")
    assert (kept.seconds, found.events) == (60, [])


def test_figures_are_put_down_and_taken_up_and_damage_is_told(tmp_path: Path) -> None:
    meter = EveningMeter()
    meter.push_words(0.8, 5.0)
    meter.push_words(0.6, 15.0)
    assert EveningMeter.unpacked(meter.packed()).figures(Rig()).intelligibility == 0.65
    for damaged in (b"", b"nonsense", meter.packed()[:-9]):
        with pytest.raises(ValueError, match="damaged"):
            EveningMeter.unpacked(damaged)


def test_the_advice_says_what_to_do_first_of_what_was_most() -> None:
    evening, _ = an_evening(3600)
    events = [
        an_event(1, ended_s=15.0),
        an_event(2, began_s=100.0, ended_s=700.0, count=3),
        an_event(3, "talk_unheard", subject="viewers", began_s=1000.0, ended_s=1030.0),
    ]
    figures = {"loudness_lufs": -20.0, "intelligibility": 0.5}
    whole = Evening.model_validate(
        {
            **evening.model_dump(),
            "events": [one.model_dump() for one in events],
            "figures": figures,
            "clearances_db": {"game": 7.0},
        }
    )
    said = advice(whole)
    assert "Raise the Viewers fader by 4.0 dB" in said[0]
    assert "Game was 5.0 dB too close to your voice" in said[1]
    assert "0.50" in said[2]
    assert said[3].startswith("Game was above your voice 4 times, 10 min in total")
    assert "You talked once while you were not heard, 30 s" in said[4]


def test_a_year_of_evenings_is_small(tmp_path: Path) -> None:
    """By what one hour takes: 300 evenings of four hours are 1,200 of them."""
    db: sqlite3.Connection = open_evenings(evenings_path(tmp_path)).connection
    rng, history = np.random.default_rng(1), BroadcastHistory()
    lately = np.array([12.0, 18.0, 4.0, -7.0, -16.0, 0.7])
    names = ("over:game", "over:music", "over:copilot", "voice_peaks", "loudness", "words")
    for n in range(3600):
        lately += rng.normal(0.0, [0.5, 0.3, 0.4, 0.2, 0.4, 0.01])
        values = dict(zip(names, map(float, lately), strict=True))
        values |= {"speech": float(rng.random()), "viewers": 1.0, "call": 1.0, "recording": 1.0}
        history.put(Second(number=n, values=values | {"lost": 0.0}))
    evening, _ = an_evening()
    evenings.write(db, evening, {n: history.packed_minute(n) for n in range(60)}, [], None)
    db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    assert evenings_path(tmp_path).stat().st_size * 1200 < 300e6
