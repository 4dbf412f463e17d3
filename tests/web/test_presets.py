"""Presets through the API: kept, taken, changed, exported, imported and refused."""

import json
from pathlib import Path
from typing import Any

import pytest
from starlette.testclient import TestClient

from goshawk.core.preset import Preset
from goshawk.store.database import database_path, open_to_read
from goshawk.store.presets import list_presets
from goshawk.web.app import create_app
from tests.web.test_api import HOST, PAGE, change


@pytest.fixture
def client(tmp_path: Path) -> Any:
    with TestClient(
        create_app(tmp_path / "data"), base_url=f"http://{HOST}", headers=PAGE
    ) as client:
        yield client


def own(state: dict[str, Any]) -> list[dict[str, Any]]:
    return [preset for preset in state["presets"] if preset["is_own"]]


def test_a_preset_is_saved_changed_taken_and_survives(client: TestClient, tmp_path: Path) -> None:
    state = client.get("/api/state").json()
    assert state["rig"]["inputs"][0]["preset_id"] == "start_whole"
    assert "voice" not in state["changed_presets"]
    assert len(state["presets"]) >= 5
    assert (
        "voice"
        in change(client, "inputs.voice.chain.gate.settings.range_db", 40)["changed_presets"]
    )
    state = client.post("/api/presets", json={"name": " Attic ", "description": "Rain."}).json()
    (kept,) = own(state)
    assert kept["name"] == "Attic"
    assert state["rig"]["inputs"][0]["preset_id"] == kept["id"]
    assert "voice" not in state["changed_presets"]
    # Tweaks stay, and are seen; undo goes across presets.
    assert (
        "voice"
        in change(client, "inputs.voice.chain.gate.settings.range_db", 30)["changed_presets"]
    )
    talk = client.post("/api/presets/start_talk/load").json()
    assert "gate" not in [slot["id"] for slot in talk["rig"]["inputs"][0]["chain"]]
    back = client.post("/api/rig/undo").json()
    assert back["rig"]["inputs"][0]["preset_id"] == kept["id"]
    assert "voice" in back["changed_presets"]
    renamed = client.patch(
        f"/api/presets/{kept['id']}", json={"name": "Attic, rain", "with_present_chain": True}
    ).json()
    assert own(renamed)[0]["name"] == "Attic, rain"
    assert "voice" not in renamed["changed_presets"]
    beside = open_to_read(database_path(tmp_path / "data"))
    assert beside is not None
    assert [one.name for one in list_presets(beside).values()] == ["Attic, rain"]
    beside.close()


def test_a_preset_is_copied_exported_imported_and_deleted(client: TestClient) -> None:
    state = client.post("/api/presets/start_game/copy").json()
    (copy,) = own(state)
    assert copy["name"] == "Over a game, copy"
    exported = client.get(f"/api/presets/{copy['id']}/export")
    assert 'filename="Over-a-game--copy.json"' in exported.headers["content-disposition"]
    chain = state["rig"]["inputs"][0]["chain"]
    state = client.post("/api/presets/import", content=exported.content).json()
    assert len(own(state)) == 2
    assert state["rig"]["inputs"][0]["chain"] == chain, "importing changes nothing that is heard"
    taken = client.post(f"/api/presets/{own(state)[1]['id']}/load").json()["rig"]["inputs"][0][
        "chain"
    ]
    assert taken == json.loads(exported.content)["chain"]
    gone = client.delete(f"/api/presets/{own(state)[1]['id']}").json()
    assert len(own(gone)) == 1
    assert gone["rig"]["inputs"][0]["chain"] == taken
    assert "voice" in gone["changed_presets"]


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "sentence"),
    [
        ("POST", "/api/presets", {"name": "  "}, 422, "name must not be empty"),
        ("POST", "/api/presets/nowhere/load", None, 404, "not there any more"),
        ("DELETE", "/api/presets/start_talk", None, 422, "Starting points stay"),
        ("PATCH", "/api/presets/start_talk", {"name": "Mine"}, 422, "Copy this one"),
        ("POST", "/api/presets/import", "no json", 422, "not a JSON document"),
        ("POST", "/api/presets/import", "x" * 1_100_000, 422, "larger than 1 MB"),
        ("POST", "/api/presets/import", '{"format":"goshawk-preset","version":99}', 422, "newer"),
        (
            "POST",
            "/api/presets/import",
            Preset(name="x").model_dump_json().replace('"range_db":18.0', '"range_db":900'),
            422,
            "range_db must be at most 80",
        ),
    ],
)
def test_what_is_refused_changes_nothing(
    client: TestClient, method: str, path: str, body: Any, status: int, sentence: str
) -> None:
    before = client.get("/api/state").json()
    given = {"content": body} if isinstance(body, str) else {"json": body} if body else {}
    reply = client.request(method, path, **given)
    assert reply.status_code == status
    assert sentence in reply.json()["detail"]
    after = client.get("/api/state").json()
    assert after["presets"] == before["presets"]
    assert after["rig"] == before["rig"]
