"""What somebody gets who installs the wheel: no repository, no Node.js, kernels that are compiled already; and the demo's first minute."""

import os
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from tests.server.running import Server
from tests.stories.conftest import open_page
from tests.stories.test_first_evening import lamp

pytestmark = pytest.mark.browser
REPOSITORY = Path(__file__).parents[2]
LARGEST_WHEEL_BYTES = 25_000_000


@pytest.fixture
def installed(tmp_path: Path) -> Iterator[Server]:
    """The wheel in an environment of its own, with the packages it needs and nothing else, in a home whose name is no plain one."""
    done = subprocess.run([REPOSITORY / "scripts" / "build"], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr[-2000:]
    (wheel,) = (REPOSITORY / "dist").glob("*.whl")
    assert wheel.stat().st_size < LARGEST_WHEEL_BYTES
    assert "-none-any" not in wheel.name
    names = zipfile.ZipFile(wheel).namelist()
    assert not [name for name in names if name.startswith(("tests/", "tools/", "frontend/"))]
    home = tmp_path / "Zuhause für Ömer"
    environment = home / "env"
    subprocess.run([sys.executable, "-m", "venv", "--without-pip", environment], check=True)
    python = environment / "bin" / "python"
    # What it depends on is there already; a path brings it, but not the editable Goshawk beside it.
    (site,) = environment.glob("lib/python*/site-packages")
    (site / "needed.pth").write_text(f"{Path(pytest.__file__).parents[1]}\n")
    install = ["install", "--quiet", "--no-deps", "--no-index", wheel]
    subprocess.run([sys.executable, "-m", "pip", "--python", python, *install], check=True)
    env = {
        "HOME": str(home),
        "PATH": os.pathsep.join([str(environment / "bin"), "/usr/bin", "/bin"]),
        "PULSE_SERVER": "/nonexistent",
    }
    where = subprocess.run(
        [python, "-c", "import goshawk; print(goshawk.__file__)"],
        env=env, cwd=home, capture_output=True, text=True, check=True,
    ).stdout  # fmt: skip
    assert where.startswith(str(home)), "that is the repository's"
    server = Server(home / "data", env, python=str(python), cwd=home, patience_s=400.0)
    yield server
    server.stop()


def test_the_wheel_plays_its_demo_and_names_what_it_ships(
    installed: Server, browser: Browser
) -> None:
    assert "Compiling" not in installed.said
    page = open_page(browser, installed)
    page.get_by_role("button", name="Listen", exact=True).click()
    expect(page.get_by_role("button", name="Listening")).to_be_visible()
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")
    page.get_by_role("button", name="Keys").click()
    with page.context.expect_page() as opened:
        page.get_by_role("link", name="Third-party licenses").click()
    expect(opened.value.get_by_text("Name: react-dom")).to_be_visible()
    opened.value.close()
    page.close()
    assert "Traceback" not in installed.said
