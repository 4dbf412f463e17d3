"""An evening on air with all processes at work, on a clock that the test drives: planted faults, a kill, other programs."""

import json
import urllib.request
from typing import Any

import pytest

from tests.server.running import Server
from tests.waiting import PATIENCE_S, wait_for
from tools.kill_recordings import running


def report(server: Server, evening: str) -> Any:
    return server.ask(f"/api/evenings/{evening}", "GET")["evening"]


def token(server: Server) -> str:
    return str(server.ask("/api/addresses", body={"name": "key pad"})["token"])


def with_token(server: Server, path: str, given: str, method: str = "GET", body: Any = None) -> Any:
    request = urllib.request.Request(
        server.url + path,
        None if body is None else json.dumps(body).encode(),
        {"Authorization": f"Bearer {given}", "Content-Type": "application/json"},
        method=method,
    )
    with urllib.request.urlopen(request, timeout=PATIENCE_S) as reply:
        return json.loads(reply.read())


@pytest.mark.endurance
def test_an_evening_with_five_planted_faults_and_a_kill_is_found_in_its_report(
    server: Server,
) -> None:
    assert server.ask("/api/watch/begin")["stage"] == "on_air"
    assert server.refused("/api/watch/begin") == 422
    wait_for("a recording", lambda: server.ask("/api/recordings/current", "GET")["id"])
    server.pass_time(30.0)
    planted: dict[str, float] = {}

    def seconds() -> float:
        (one,) = [e for e in server.ask("/api/evenings", "GET") if not e["is_over"]]
        return float(one["seconds"])

    def plant(rule: str, wrong: dict[str, Any], right: dict[str, Any], lasts_s: float) -> None:
        wait_for("the evening's list", lambda: server.ask("/api/evenings", "GET"))
        server.pass_time(1.0)
        planted[rule] = len(planted)
        for path, value in wrong.items():
            server.change(path, value)
        server.pass_time(lasts_s)
        for path, value in right.items():
            server.change(path, value)
        server.pass_time(14.0)

    wait_for("the evening's list", lambda: server.ask("/api/evenings", "GET"))
    plant("talk_unheard", {"is_on_break": True}, {"is_on_break": False}, 14.0)
    plant("covered", {"inputs.game.trim_db": 24.0}, {"inputs.game.trim_db": 0.0}, 45.0)
    plant("delay_grown", {"feeds.viewers.delay_ms": 300.0}, {"feeds.viewers.delay_ms": 0.0}, 15.0)
    path = "inputs.copilot.sends.call.is_heard"
    plant("echo", {path: True}, {path: False}, 15.0)
    path = "inputs.voice.chain.gate.settings.range_db"
    opens = "inputs.voice.chain.gate.settings.open_threshold_dbfs"
    plant("voice_missing", {path: 80.0, opens: 0.0}, {path: 18.0, opens: -37.0}, 20.0)

    # A kill in the middle: the evening goes on where it was, and what was away is an event.
    before = seconds()
    wait_for("it on the disk", lambda: (e := server.evening_on_disk()) and e.seconds >= before)
    server.kill()
    server.start()
    (one,) = wait_for("the evening", lambda: server.ask("/api/evenings", "GET"))
    assert not one["is_over"]
    assert one["seconds"] >= before - 1.0
    wait_for("its recording, which goes on too", lambda: running(server))
    server.pass_time(20.0)
    server.ask("/api/watch/end")
    (one,) = wait_for(
        "its end", lambda: [e for e in server.ask("/api/evenings", "GET") if e["is_over"]]
    )
    found = report(server, one["id"])
    told = [event for event in found["events"] if event["rule"] != "dropouts"]
    assert {event["rule"] for event in told} >= set(planted)
    by_rule = {event["rule"]: event for event in reversed(told)}
    assert [by_rule[rule]["began_s"] for rule in planted] == sorted(
        by_rule[rule]["began_s"] for rule in planted
    )
    assert all(event["ended_s"] is not None for event in found["events"])
    assert "Goshawk was away" in {event["title"] for event in found["events"]}
    changed = {path for change in found["changes"] for path in change["settings"]}
    assert {"is_on_break", "inputs.game.trim_db", "feeds.viewers.delay_ms"} <= changed
    assert found["recording"]
    assert -24.0 < found["figures"]["loudness_lufs"] < -10.0
    assert found["figures"]["clearance_db"] is not None
    assert found["advice"]
    with urllib.request.urlopen(f"{server.url}/api/evenings/{one['id']}/report.html") as reply:
        page = reply.read().decode()
    assert "<h2>Events</h2>" in page
    assert "<script" not in page
    with urllib.request.urlopen(f"{server.url}/api/evenings/{one['id']}/seconds.csv") as reply:
        rows = reply.read().decode().splitlines()
    assert rows[0].startswith("second,utc,")
    assert len(rows) > 100
    lanes = server.ask(f"/api/evenings/{one['id']}/lanes?points=50", "GET")
    assert {len(lane) for lane in lanes["means"].values()} == {50}
    changed_to = {"title": "Lantern night", "note": "a good one"}
    assert server.ask(f"/api/evenings/{one['id']}", "PATCH", changed_to)["note"] == "a good one"
    server.ask(f"/api/evenings/{one['id']}", "DELETE")
    assert server.ask("/api/evenings", "GET") == []
    assert "Traceback" not in server.said


def test_another_program_sees_the_lamps_and_may_be_silent_with_a_token_alone(
    server: Server,
) -> None:
    for path, method, body in (
        ("/api/watch", "GET", None),
        ("/api/watch/events", "GET", None),
        ("/api/silence", "POST", {"mute": True}),
    ):
        assert server.refused(path, method, body) == 401
    given = token(server)
    facts = with_token(server, "/api/watch", given)
    assert (facts["is_on_air"], facts["is_muted"]) == (False, False)
    request = urllib.request.Request(
        f"{server.url}/api/watch/events", headers={"Authorization": f"Bearer {given}"}
    )
    with urllib.request.urlopen(request, timeout=PATIENCE_S) as stream:
        assert stream.headers["Content-Type"].startswith("text/event-stream")

        def next_facts() -> Any:
            while True:
                line = stream.readline().decode()
                if line.startswith("data: "):
                    return json.loads(line.removeprefix("data: "))

        assert not next_facts()["is_muted"]
        muted = with_token(server, "/api/silence", given, "POST", {"mute": True, "cough": True})
        assert (muted["is_muted"], muted["is_coughing"]) == (True, True)
        for _ in range(100):
            if next_facts()["is_muted"]:
                break
        else:
            raise AssertionError("the mute was not told")
    back = with_token(server, "/api/silence", given, "POST", {"mute": False, "cough": False})
    assert (back["is_muted"], back["is_coughing"]) == (False, False)
