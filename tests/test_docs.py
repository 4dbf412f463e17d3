"""The documents say what is: commands, pictures, modules and links that a reader would follow."""

import re
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from goshawk.cli.main import app
from goshawk.core.graph.chain import STAGES
from goshawk.paths import FRONTEND_DIR
from goshawk.web.app import create_app

ROOT = Path(__file__).parents[1]
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_and_pictures_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
        assert (page.parent / target).exists(), target


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_files_that_are_named_exist(page: Path) -> None:
    bases = (ROOT, ROOT / "goshawk", ROOT / "frontend" / "src")
    for name in re.findall(r"`([a-z_]+/[a-z_/.]+\.(?:py|ts|tsx|json))`", page.read_text()):
        assert any((base / name).exists() for base in bases), name


def test_every_command_is_in_the_readme() -> None:
    readme = (ROOT / "README.md").read_text()
    shown = [command for command in app.registered_commands if not command.hidden]
    assert len(shown) >= 6
    for command in shown:
        assert command.callback is not None
        name = command.name or command.callback.__name__
        if name != "demo":  # the demo is started by its script
            assert f"goshawk {name}" in readme, name
    assert "./scripts/demo" in readme


def test_every_stage_is_in_the_readme_and_every_picture_is_used() -> None:
    readme = (ROOT / "README.md").read_text()
    for stage in STAGES:
        assert stage.replace("_", "-") in readme.lower(), stage
    for picture in (ROOT / "docs" / "screenshots").glob("*.png"):
        assert picture.name in readme, picture.name


def test_the_built_page_is_served_and_only_its_hashed_parts_are_kept_by_browsers(
    tmp_path: Path,
) -> None:
    client = TestClient(create_app(tmp_path), base_url="http://127.0.0.1:8610")
    page = client.get("/")
    assert page.status_code == 200
    assert page.headers["cache-control"] == "no-cache"
    asset = next((FRONTEND_DIR / "assets").glob("*.js"))
    assert "immutable" in client.get(f"/assets/{asset.name}").headers["cache-control"]
    assert client.get("/player.js").headers["cache-control"] == "no-cache"
    # Nothing is fetched from elsewhere at run time.
    for text in (page.text, *(p.read_text() for p in (FRONTEND_DIR / "assets").glob("*.css"))):
        assert not re.search(
            r"""(?:src|href)=["']https?:|url\(["']?https?:|@import ["']https?:""", text
        )
    missing = client.get("/api/nothing")
    assert missing.status_code == 404
    assert missing.headers["content-type"] == "application/problem+json"
