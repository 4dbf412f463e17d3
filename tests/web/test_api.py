"""The HTTP interface, the live link and the sound link, with a real engine behind them."""

import asyncio
import json
import logging
import os
import signal
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any, ClassVar, cast

import numpy as np
import pytest
import soundfile
from fastapi.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from goshawk.core.rig import Rig
from goshawk.web.app import create_app
from goshawk.web.routes.audio import audio
from tests.situations import takes_of
from tests.waiting import wait_for

HOST = "127.0.0.1:8610"
PAGE = {"origin": f"http://{HOST}"}
"""What a browser says of our own page's requests."""

JSON = {"content-type": "application/json"}


@pytest.fixture(scope="module")
def client(tmp_path_factory: pytest.TempPathFactory) -> Iterator[TestClient]:
    app = create_app(tmp_path_factory.mktemp("data"))
    with TestClient(app, base_url=f"http://{HOST}", headers=PAGE) as client:
        levels_when(client, lambda levels: True)
        yield client


def levels_when(client: TestClient, is_there: Callable[[Any], bool]) -> Any:
    """The levels as soon as they are as wanted."""

    def look() -> Any:
        levels = client.get("/api/levels").json()
        return levels if levels is not None and is_there(levels) else None

    return wait_for("the levels", look)


def change(client: TestClient, path: str, value: Any) -> dict[str, Any]:
    reply = client.patch("/api/rig", json={"path": path, "value": value})
    assert reply.status_code == 200, reply.text
    state: dict[str, Any] = reply.json()
    return state


def link_to(client: TestClient, name: str) -> Any:
    return client.websocket_connect(f"ws://{HOST}/api/{name}")


def next_of(socket: Any, kind: str) -> dict[str, Any]:
    """The next message of a kind on the live link."""
    for _ in range(500):
        message: dict[str, Any] = json.loads(socket.receive_text())
        if message["type"] == kind:
            return message
    raise AssertionError(f"no {kind}")


def state_with(socket: Any, fader_db: float) -> dict[str, Any]:
    """The next state in which the game's fader stands there, as it is saved."""
    while (state := next_of(socket, "state"))["rig"]["inputs"][1]["fader_db"] != fader_db:
        pass
    return state


def wav(tmp_path: Path, sound: np.ndarray, rate_hz: int = 48_000) -> bytes:
    path = tmp_path / "given.wav"
    soundfile.write(path, sound, rate_hz, subtype="FLOAT")
    return path.read_bytes()


def test_a_setting_is_changed_undone_and_redone(client: TestClient) -> None:
    state = change(client, "inputs.voice.chain.gate.settings.range_db", 30)
    assert state["rig"]["inputs"][0]["chain"][3]["settings"]["range_db"] == 30
    assert (
        client.post("/api/rig/undo").json()["rig"]["inputs"][0]["chain"][3]["settings"]["range_db"]
        == 18
    )
    assert (
        client.post("/api/rig/redo").json()["rig"]["inputs"][0]["chain"][3]["settings"]["range_db"]
        == 30
    )
    assert client.post("/api/rig/undo").json()["can_redo"]


def test_refusals_are_problem_documents_with_a_sentence(client: TestClient) -> None:
    before = client.get("/api/state").json()["rig"]
    for body, sentence in [
        ({"path": "inputs.voice.chain.gate.settings.range_db", "value": 99}, "at most 80"),
        (
            {"path": "inputs.voice.chain.gate.settings.close_threshold_dbfs", "value": -1},
            "Lower the closing",
        ),
        ({"path": "nowhere", "value": 1}, "no setting"),
        ({"path": "inputs.game.fader_db"}, "value"),
        ({"path": "devices.file.file_id", "value": "none"}, "Choose another"),
    ]:
        reply = client.patch("/api/rig", json=body)
        assert reply.status_code in (404, 422)
        assert reply.headers["content-type"] == "application/problem+json"
        assert sentence in reply.json()["detail"]
    assert client.patch("/api/rig", content=b"{").status_code == 422
    assert client.get("/api/state").json()["rig"] == before


@pytest.mark.parametrize(
    "headers",
    [{"host": "goshawk.example"}, {"origin": "http://elsewhere.example"}, {"origin": "null"}],
)
def test_requests_from_elsewhere_are_refused(client: TestClient, headers: dict[str, str]) -> None:
    assert client.get("/api/state", headers=headers).status_code == 403
    for name in ("live", "audio"):
        with (
            pytest.raises(WebSocketDisconnect) as closed,
            client.websocket_connect(f"ws://{HOST}/api/{name}", headers=headers),
        ):
            pass
        assert "refused" in closed.value.reason


def test_a_program_reads_without_a_token_and_changes_or_hears_with_one(client: TestClient) -> None:
    """It was refused at /api/silence, and might PATCH the rig. Origins have a scheme."""
    assert client.get("/api/state", headers=PAGE).status_code == 200
    assert client.get("/api/state", headers={"origin": f"https://{HOST}"}).status_code == 403
    mute = {"path": "inputs.voice.is_muted", "value": False}
    token = client.post("/api/addresses", json={"name": "key pad"}).json()["token"]
    program = TestClient(client.app, base_url=f"http://{HOST}")
    for path in ("/api/state", "/api/levels", "/api/recordings", "/api/schema", "/"):
        assert program.get(path).status_code == 200, path
    for method, path, body in (
        ("PATCH", "/api/rig", mute),
        ("POST", "/api/addresses", {"name": "mine"}),
        ("POST", "/api/rig/undo", None),
        ("GET", "/api/recordings/abcd/listen", None),
        ("GET", "/api/recordings/abcd/tracks/viewers", None),
        ("GET", "/api/sound-check/sound/1/usual/before", None),
        ("GET", "/api/watch/listen", None),
    ):
        for given in ({}, {"authorization": "Bearer wrong"}):
            reply = program.request(method, path, json=body, headers=given)
            assert reply.status_code == 401, (method, path)
            assert "Make one in Goshawk" in reply.json()["detail"]
    for link in ("live", "audio"):
        with (
            pytest.raises(WebSocketDisconnect),
            program.websocket_connect(f"ws://{HOST}/api/{link}"),
        ):
            pass
    given = {"authorization": f"Bearer {token}"}
    assert program.patch("/api/rig", json=mute, headers=given).status_code == 200
    assert program.get("/api/watch/listen", headers=given).status_code != 401
    with program.websocket_connect(f"ws://{HOST}/api/live?token={token}") as socket:
        assert socket.receive_json()["type"] == "state"


def test_a_program_may_choose_only_a_folder_of_the_users_for_recordings(
    client: TestClient, tmp_path: Path
) -> None:
    token = client.post("/api/addresses", json={"name": "film"}).json()["token"]
    program = TestClient(
        client.app, base_url=f"http://{HOST}", headers={"authorization": f"Bearer {token}"}
    )
    (tmp_path / ".hidden").mkdir()
    (tmp_path / "film").mkdir()
    for folder, sentence in (
        (tmp_path / "missing", "is not there"),
        (tmp_path / ".hidden", "is hidden"),
        ("/usr", "does not belong to you" if os.getuid() else ""),
        ("film", "whole path"),
    ):
        if sentence:
            reply = program.patch(
                "/api/rig", json={"path": "recording.folder", "value": str(folder)}
            )
            assert reply.status_code == 422, folder
            assert sentence in reply.json()["detail"]
    for folder in (str(tmp_path / "film"), ""):
        change(program, "recording.folder", folder)


def test_the_schema_tells_every_numbers_unit_range_and_help(client: TestClient) -> None:
    schema = client.get("/api/schema").json()["schema"]
    numbers = [
        field
        for name, model in schema["$defs"].items()
        if name != "Dismissal"  # not set by a control
        for field in model.get("properties", {}).values()
        if field.get("type") == "number"
    ]
    assert len(numbers) > 20
    for field in numbers:
        assert {"unit", "step", "minimum", "maximum", "default", "title", "description"} <= set(
            field
        )


def test_two_windows_show_the_same_and_a_try_is_taken_back(client: TestClient) -> None:
    with link_to(client, "live") as one, link_to(client, "live") as two:
        next_of(one, "state")
        next_of(two, "state")
        one.send_json({"type": "set", "path": "inputs.game.fader_db", "value": -11})
        assert not state_with(two, -11)["is_saved"], "it is heard first"
        assert state_with(two, -11)["is_saved"]
        one.send_json({"type": "try", "path": "inputs.game.fader_db", "value": -40})
        assert next_of(two, "tried")["values"] == {"inputs.game.fader_db": -40}
        one.close()
        assert state_with(two, -11)["is_saved"]
        two.send_json({"type": "undo"})
        state_with(two, Rig().inputs[1].fader_db)


def test_bad_messages_are_refused_and_the_link_stays(client: TestClient) -> None:
    with link_to(client, "live") as link:
        for text, sentence in [
            ("no json", "not understood"),
            ('{"type": "format the disk"}', "not understood"),
            ('{"type": "set", "path": "inputs.game.fader_db", "value": 99}', "at most 12"),
            ('{"type": "set", "path": "inputs.game.fader_db", "value": NaN}', "finite"),
            ("x" * 10_000, "at most"),
        ]:
            link.send_text(text)
            assert sentence in next_of(link, "refused")["text"]
        assert next_of(link, "readings")["peak_dbfs"]["microphone"]


def test_the_feed_is_heard_over_the_sound_link(client: TestClient) -> None:
    with link_to(client, "audio") as link:
        link.send_json({"listen": True, "hear": "nobody"})
        assert "not understood" in json.loads(link.receive_text())["text"]
        link.send_json({"listen": True, "hear": "viewers"})
        sound = np.concatenate([np.frombuffer(link.receive_bytes(), "<f4") for _ in range(60)])
    assert np.isfinite(sound).all()
    assert 0.001 < np.abs(sound).max() <= 10 ** (-3 / 20) * 1.02


def test_a_microphone_over_the_sound_link_reads_its_level(client: TestClient) -> None:
    change(client, "inputs.voice.device", "browser")
    levels_when(client, lambda levels: levels["devices"]["browser"]["state"] == "waiting")
    with link_to(client, "audio") as link:
        link.send_bytes(b"\0" * 64)
        assert "before its sound" in json.loads(link.receive_text())["text"]
        link.send_json({"microphone": {"rate_hz": 48_000, "channels": 1}})
        link.send_bytes(b"\0" * 7)
        assert "whole frames" in json.loads(link.receive_text())["text"]
        started, n = time.monotonic(), 0
        while time.monotonic() - started < 2.0:
            if n / 48_000 < time.monotonic() - started + 0.08:
                at = np.arange(n, n + 480)
                link.send_bytes(
                    (0.1 * np.sin(2 * np.pi * 1000 * at / 48_000)).astype("<f4").tobytes()
                )
                n += 480
            else:
                time.sleep(0.002)
        # Without a page, figures come twice a second.
        levels_when(client, lambda levels: levels["devices"]["browser"]["state"] == "playing")
        levels_when(
            client,
            lambda levels: (levels["stations"]["microphone"]["highest_peak_dbfs"] or -99) > -21,
        )
    with link_to(client, "live") as page:
        levels_when(client, lambda levels: levels["devices"]["browser"]["state"] == "waiting")
        assert next_of(page, "state")["rig"]["inputs"][0]["device"] == "browser"
    change(client, "inputs.voice.device", "attic")


def test_a_file_is_given_played_and_removed(client: TestClient, tmp_path: Path) -> None:
    t = np.arange(44_100) / 44_100
    sound = wav(tmp_path, 0.1 * np.sin(2 * np.pi * 1000 * t), 44_100)
    file = client.post("/api/sound-files?name=tone.wav", content=sound).json()
    assert (file["rate_hz"], file["channels"], file["duration_s"]) == (44_100, 1, 1.0)
    change(client, "devices.file.file_id", file["id"])
    change(client, "inputs.voice.device", "file")

    def is_tone(levels: Any) -> bool:
        floor = levels["stations"]["microphone"]["noise_floor_dbfs"]
        return floor is not None and abs(floor - -23.0) < 0.3

    levels_when(client, is_tone)
    with link_to(client, "live") as page:
        assert client.delete(f"/api/sound-files/{file['id']}").status_code == 204
        assert "was removed" in next_of(page, "notice")["text"]
    levels_when(client, lambda levels: levels["devices"]["file"]["state"] == "no file")
    change(client, "inputs.voice.device", "attic")
    assert client.delete(f"/api/sound-files/{file['id']}").status_code == 404


def test_bad_files_are_refused_over_the_interface(client: TestClient, tmp_path: Path) -> None:
    for content, sentence in [
        (b"", "is empty"),
        (b"no sound at all", "cannot be read as sound"),
        (wav(tmp_path, np.full(100, np.nan, np.float32)), "no numbers"),
    ]:
        reply = client.post("/api/sound-files?name=bad.wav", content=content)
        assert reply.status_code == 422
        assert sentence in reply.json()["detail"]
    assert client.get("/api/state").json()["sound_files"] == []


def test_inputs_are_added_and_removed_and_faults_asked_for(client: TestClient) -> None:
    state = client.post("/api/inputs", json={"role": "other"}).json()
    fresh = state["rig"]["inputs"][-1]
    assert fresh["name"] == "Input"
    assert "do not hear Input" in state["sentences"]["viewers"]
    change(client, f"inputs.{fresh['id']}.device", "laptop")
    levels_when(client, lambda levels: levels["devices"]["laptop"]["peaks_dbfs"][0] > -90)
    asked = {"fault": "unplug"}
    assert client.post("/api/devices/laptop/faults", json=asked).status_code == 204

    def is_said(levels: Any) -> bool:
        return any(finding["code"] == "device_gone" for finding in levels["findings"])

    found = levels_when(client, is_said)["findings"]
    key = next(finding["key"] for finding in found if finding["code"] == "device_gone")
    with link_to(client, "live") as page:
        next_of(page, "state")
        page.send_json({"type": "dismiss", "key": key})
        assert next_of(page, "state")["rig"]["dismissed"] == [{"key": key, "badness": 0.0}]
        levels_when(client, lambda levels: not is_said(levels) and levels["findings_aside"] == 1)
        page.send_json({"type": "show_all"})
        levels_when(client, is_said)
        page.send_json({"type": "dismiss", "key": "nothing"})
        assert "gone already" in next_of(page, "refused")["text"]
        page.send_json({"type": "fault", "device": "laptop", "fault": "replug"})
        levels_when(client, lambda levels: not is_said(levels))
        page.send_json({"type": "fault", "device": "piano", "fault": "unplug"})
        assert "no device" in next_of(page, "refused")["text"]
    reply = client.post("/api/devices/laptop/faults", json={"fault": "rate", "value": 3})
    assert (reply.status_code, "takes 8000 to" in reply.json()["detail"]) == (422, True)
    assert client.delete(f"/api/inputs/{fresh['id']}").status_code == 200
    assert client.delete(f"/api/inputs/{fresh['id']}").status_code == 422


def test_a_lost_engine_comes_back_with_its_settings(client: TestClient) -> None:
    """The audio process is killed while it plays: the user is told, and the sound returns."""
    change(client, "inputs.voice.is_muted", True)
    levels_when(client, lambda levels: levels["reach"]["viewers"] == "closed")
    with link_to(client, "live") as page:
        application = client.app.state.application  # type: ignore[attr-defined]
        os.kill(application.engine.pid, signal.SIGKILL)
        assert "started again" in next_of(page, "notice")["text"]
    levels = levels_when(client, lambda levels: levels["engine"]["restarts"] == 1)
    assert levels["reach"]["viewers"] == "closed"
    change(client, "inputs.voice.is_muted", False)
    levels_when(client, lambda levels: levels["reach"]["viewers"] == "hears")


def test_the_committed_interface_document_is_the_present_one(client: TestClient) -> None:
    document = Path(__file__).parents[2] / "docs" / "openapi.json"
    assert json.loads(document.read_text()) == json.loads(json.dumps(client.app.openapi())), (  # type: ignore[attr-defined]
        "make it anew: .venv/bin/goshawk openapi > docs/openapi.json, then npm run api"
    )


def test_settings_are_as_they_were_left(tmp_path: Path) -> None:
    for expected, value in ((Rig().targets.voice_peaks_dbfs, -9.0), (-9.0, -10.0)):
        with TestClient(create_app(tmp_path), base_url=f"http://{HOST}", headers=PAGE) as client:
            assert client.get("/api/state").json()["rig"]["targets"]["voice_peaks_dbfs"] == expected
            change(client, "targets.voice_peaks_dbfs", value)


def test_a_sound_check_over_the_interface(client: TestClient, tmp_path: Path) -> None:
    """Files in, a chain out, and every refusal a sentence; a take that was accepted outlives what is refused."""
    base = "/api/sound-check"
    takes = takes_of("porter")

    def give(kind: str, sound: bytes, name: str = "take.wav") -> Any:
        return client.put(f"{base}/takes/{kind}?name={name}", content=sound)

    assert client.post(f"{base}/run", json={}).json()["detail"].endswith("Take it first.")
    assert "Compute it first" in client.post(f"{base}/accept", json={}).json()["detail"]
    assert client.delete(f"{base}/takes/low").status_code == 404
    assert give("song", b"").status_code == 422
    for sound, sentence in (
        (b"no sound at all", "cannot be read as sound"),
        (wav(tmp_path, takes["usual"][:48_000]), "too short"),
        (wav(tmp_path, np.zeros((5 * 48_000, 1), np.float32)), "not even noise"),
        (wav(tmp_path, takes["room"]), "Speak for longer"),
    ):
        refused = give("usual", sound)
        assert refused.status_code == 422
        assert refused.headers["content-type"] == "application/problem+json"
        assert sentence in refused.json()["detail"]
    # One dead side, another rate, longer than is listened to: all the same take.
    dead = np.hstack([takes["usual"], takes["usual"] * np.float32(1e-4)])
    assert give("usual", wav(tmp_path, np.tile(dead, (4, 1)))).status_code == 200
    for kind in ("room", "low", "big"):
        reply = give(kind, wav(tmp_path, takes[kind][::3], 16_000))
        assert reply.status_code == 200, reply.text
    kept = reply.json()["takes"]
    assert set(kept) == {"room", "low", "usual", "big"}
    assert kept["usual"]["figures"]["duration_s"] == 15.0
    assert give("low", b"no sound at all").status_code == 422
    assert set(client.get(base).json()["takes"]) == set(kept), "what was kept stays"

    assert client.post(f"{base}/run", json={"steadiness": "wild"}).status_code == 422
    assert client.post(f"{base}/run", json={"adjusted": {"gate.range_db": 900}}).status_code == 202
    assert "range_db must be at most 80" in until_computed(client)["failure"]
    client.post(f"{base}/run", json={"steadiness": "natural", "voice_peaks_dbfs": 5.0})
    state = until_computed(client)
    assert state["wish"]["voice_peaks_dbfs"] == -7.0, "the rig's targets go before"
    assert state["outcome"]["after"]["spread_db"] == pytest.approx(14, abs=2)
    sound = client.get(f"{base}/sound/{state['heard']}/usual/after")
    assert sound.content[:4] == b"RIFF"
    assert client.get(f"{base}/sound/{state['heard'] + 1}/usual/after").status_code == 404
    before = client.get("/api/state").json()["rig"]["inputs"][0]["chain"]
    accepted = client.post(f"{base}/accept", json={}).json()
    assert accepted["rig"]["inputs"][0]["chain"] != before
    assert client.get(base).json()["is_accepted"]
    for gain_db in (500.0, "NaN"):
        refused = client.post(f"{base}/make-up", content=f'{{"gain_db": {gain_db}}}')
        assert refused.status_code == 422
    assert client.post("/api/rig/undo").json()["rig"]["inputs"][0]["chain"] == before
    for kind in kept:
        assert client.delete(f"{base}/takes/{kind}").status_code == 204
    assert client.get(base).json()["takes"] == {}


def until_computed(client: TestClient) -> dict[str, Any]:
    def computed() -> dict[str, Any] | None:
        state: dict[str, Any] = client.get("/api/sound-check").json()
        is_over = state["run"] is None and (state["outcome"] or state["failure"])
        return state if is_over else None

    return cast(dict[str, Any], wait_for("the check", computed))


def test_whatever_a_page_asks_of_the_balance_the_link_stays(client: TestClient) -> None:
    with link_to(client, "live") as link:
        for asked, sentence in (
            ({"type": "bring_to_target", "input_id": "nobody"}, "not there any more"),
            ({"type": "bring_to_target", "input_id": "x" * 50}, "not understood"),
            ({"type": "suggest_ducker", "input_id": "voice"}, "Only a background input"),
            ({"type": "suggest_ducker", "input_id": "nobody"}, "Only a background input"),
            ({"type": "choose_targets", "set_id": "loudest"}, "no such set"),
            ({"type": "replay_last", "seconds": 500}, "not understood"),
            ({"type": "replay_last", "seconds": "all"}, "not understood"),
            ({"type": "replay_hear", "heard": "before"}, "Nothing is replayed"),
            ({"type": "replay_hear", "heard": "tomorrow"}, "not understood"),
            (
                {"type": "set", "path": "targets.voice_peaks_dbfs", "value": -1.5},
                "cannot peak at -1.5 dBFS",
            ),
            (
                {
                    "type": "set",
                    "path": "inputs.game.chain.game_ducker.settings.depth_db",
                    "value": 31,
                },
                "at most 30",
            ),
            (
                {
                    "type": "set_together",
                    "changes": {"inputs.game.chain.game_eq.settings.bell_9.gain_db": 3},
                },
                "no setting",
            ),
        ):
            link.send_text(json.dumps(asked))
            assert sentence in next_of(link, "refused")["text"], asked
        for asked in (
            {"type": "replay_stop"},
            {"type": "count_anew"},
            {"type": "watch_balance", "is_on": True},
            {"type": "watch_balance", "is_on": False},
        ):
            link.send_text(json.dumps(asked))
        assert next_of(link, "readings")["peak_dbfs"]["microphone"]
    assert client.get("/api/state").json()["rig"]["targets"] == Rig().targets.model_dump()


def test_every_reply_says_who_may_frame_and_embed_it(client: TestClient) -> None:
    for path in ("/", "/api/state", "/api/nowhere"):
        headers = client.get(path).headers
        assert "frame-ancestors 'none'" in headers["content-security-policy"]
        assert "default-src 'self'" in headers["content-security-policy"]
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["cross-origin-resource-policy"] == "same-origin"
        assert headers["referrer-policy"] == "no-referrer"


@pytest.mark.parametrize(
    "headers",
    [
        {"sec-fetch-site": "cross-site"},
        {"sec-fetch-site": "same-site"},
        {"sec-fetch-site": "cross-site", "sec-fetch-mode": "navigate", "sec-fetch-dest": "iframe"},
        *(
            {"host": host}
            for host in ("[", "[::1:80", "127.0.0.1:x", "a@127.0.0.1:8610", "[::1]]", "")
        ),
        *({"origin": origin} for origin in ("http://[", "http://127.0.0.1:99999", "\x7f")),
    ],
)
def test_whatever_stands_in_the_headers_the_answer_is_a_refusal(
    client: TestClient, headers: dict[str, str]
) -> None:
    for path in ("/api/state", "/api/sound-check/sound/1/usual/before"):
        assert client.get(path, headers=headers).status_code == 403
    assert client.patch("/api/rig", headers=headers, json={}).status_code == 403
    with (
        pytest.raises(WebSocketDisconnect),
        client.websocket_connect(f"ws://{HOST}/api/live", headers=headers),
    ):
        pass


def test_a_link_from_elsewhere_opens_the_page(client: TestClient) -> None:
    opened = {
        "sec-fetch-site": "cross-site",
        "sec-fetch-mode": "navigate",
        "sec-fetch-dest": "document",
    }
    assert client.get("/", headers=opened).status_code == 200
    assert client.get("/api/state", headers=opened).status_code == 403


def test_a_body_that_is_too_large_is_refused_before_it_is_read(client: TestClient) -> None:
    large = b'{"path": "name", "value": "' + b"x" * 3_000_000 + b'"}'

    def in_pieces() -> Iterator[bytes]:
        for start in range(0, len(large), 100_000):
            yield large[start : start + 100_000]

    for content in (large, in_pieces()):
        reply = client.patch("/api/rig", content=content)
        assert reply.status_code == 413
        assert "larger than" in reply.json()["detail"]
    # What has no length but is small is taken as ever.
    small = json.dumps({"path": "inputs.game.fader_db", "value": -8.0}).encode()
    pieces = iter([small[:5], small[5:]])
    assert client.patch("/api/rig", content=pieces, headers=JSON).status_code == 200


def test_a_body_that_is_given_up_is_no_error(
    client: TestClient, caplog: pytest.LogCaptureFixture
) -> None:
    """A hundred of them wrote a hundred tracebacks."""
    app, sent = client.app, []

    async def receive() -> Any:
        return {"type": "http.disconnect"}

    async def send(message: Any) -> None:
        sent.append(message)

    scope = {
        "type": "http", "method": "POST", "path": "/api/sound-files", "raw_path": b"/api/sound-files", "query_string": b"name=a.wav",
        "headers": [(b"host", HOST.encode()), (b"origin", f"http://{HOST}".encode()), (b"content-length", b"9000")],
        "scheme": "http", "http_version": "1.1", "root_path": "", "client": None, "server": ("127.0.0.1", 8610),
    }  # fmt: skip
    client.portal.call(app, scope, receive, send)
    assert sent[0]["status"] == 400
    assert not [one for one in caplog.records if one.levelno >= logging.WARNING]


def test_names_hold_nothing_that_cannot_be_seen(client: TestClient) -> None:
    for name in ("a\x00b", "a\u202eb", "a\u2066b", "\ud83d", "a\nb", "a\u200bb"):
        for path in ("name", "inputs.game.name"):
            body = json.dumps({"path": path, "value": name})
            reply = client.patch("/api/rig", content=body, headers=JSON)
            assert reply.status_code == 422, (path, name)
            if name != "\ud83d":
                assert "cannot be seen" in reply.json()["detail"]
        preset = json.dumps({"name": name})
        assert client.post("/api/presets", content=preset, headers=JSON).status_code == 422
    kept = change(client, "inputs.game.name", "Spiel 🎮 ‍für nachts")
    assert kept["rig"]["inputs"][1]["name"] == "Spiel 🎮 ‍für nachts"
    client.post("/api/rig/undo")


@pytest.mark.parametrize(
    "document",
    [
        {"chain": None},
        {"chain": [None, 3, "x"]},
        {"chain": [{"stage": "trim", "id": "t", "settings": None}]},
        {"chain": [{"stage": "trim", "id": "t", "settings": ["channel"]}]},
        {"chain": {"stage": "trim"}},
        {"name": "\u202e"},
    ],
)
@pytest.mark.parametrize("version", [1, 2, 3])
def test_a_preset_of_any_shape_is_refused_with_a_sentence(
    client: TestClient, document: dict[str, Any], version: int
) -> None:
    whole = {"format": "goshawk-preset", "version": version, **document}
    reply = client.post("/api/presets/import", content=json.dumps(whole))
    assert reply.status_code == 422
    assert reply.json()["title"] == "bad_preset"


def test_a_take_of_a_few_samples_is_too_short(client: TestClient, tmp_path: Path) -> None:
    for frames in (1, 10, 479, 480, 9000):
        sound = np.full(frames, 0.1, np.float32)
        reply = client.put(
            "/api/sound-check/takes/usual?name=short.wav", content=wav(tmp_path, sound)
        )
        assert reply.status_code == 422
        assert "too short" in reply.json()["detail"]


def test_a_refusal_that_nobody_waits_for_any_more_is_no_error() -> None:
    """A page sends nonsense over the sound link and is gone before it can be told."""

    class Gone:
        came: ClassVar = [
            {"type": "websocket.receive", "text": "nonsense"},
            {"type": "websocket.disconnect"},
        ]

        async def accept(self) -> None: ...

        async def receive(self) -> dict[str, str]:
            return self.came.pop(0)

        async def send_text(self, text: str) -> None:
            raise WebSocketDisconnect(code=1006)

    left: list[object] = []
    application = SimpleNamespace(
        microphone=SimpleNamespace(leave=left.append),
        points=SimpleNamespace(listen=lambda listener, _: left.append(listener)),
    )
    asyncio.run(audio(cast(Any, Gone()), cast(Any, application)))
    assert len(left) == 2
