"""What somebody gets who installs the wheel: no repository, no Node.js, kernels to be compiled; and the demo's first minute."""

import os
import shutil
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from goshawk.cli.first_run import MANY_KERNELS
from tests.server.running import Server
from tests.stories.conftest import open_page
from tests.stories.test_first_evening import lamp

pytestmark = pytest.mark.browser
REPOSITORY = Path(__file__).parents[2]
LARGEST_WHEEL_BYTES = 25_000_000


def lend_kernels(package: Path) -> None:
    """Give a package the repository's largest compiled kernels, which setting it up compiled from nothing just so: too few to pass
    for a package that was started before, but what is left to compile takes seconds instead of most of a minute."""
    indices = list((REPOSITORY / "goshawk").rglob("*.nbi"))
    largest = sorted(indices, key=kernel_bytes, reverse=True)[: MANY_KERNELS - 1]
    for index in largest:
        source = index.parents[1] / f"{index.name.partition('.')[0]}.py"
        copy = package / source.relative_to(REPOSITORY / "goshawk")
        copy.parent.joinpath("__pycache__").mkdir(exist_ok=True)
        assert copy.read_bytes() == source.read_bytes()
        shutil.copystat(source, copy)  # a kernel belongs to a file of a certain age
        for file in index.parent.glob(f"{index.stem}.*nb*"):
            shutil.copy(file, copy.parent / "__pycache__")


def kernel_bytes(index: Path) -> int:
    return sum(file.stat().st_size for file in index.parent.glob(f"{index.stem}.*nbc"))


@pytest.fixture
def installed(tmp_path: Path) -> Iterator[Server]:
    """The wheel in an environment of its own, with the packages it needs and nothing else, in a home whose name is no plain one."""
    done = subprocess.run([REPOSITORY / "scripts" / "build"], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr[-2000:]
    (wheel,) = (REPOSITORY / "dist").glob("*.whl")
    assert wheel.stat().st_size < LARGEST_WHEEL_BYTES
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
    lend_kernels(Path(where.strip()).parent)
    server = Server(home / "data", env, python=str(python), cwd=home, patience_s=400.0)
    yield server
    server.stop()


def test_the_wheel_plays_its_demo_and_names_what_it_ships(
    installed: Server, browser: Browser
) -> None:
    assert "The first start" in installed.said
    page = open_page(browser, installed)
    page.get_by_role("button", name="Listen", exact=True).click()
    expect(page.get_by_role("button", name="Listening")).to_be_visible()
    expect(lamp(page, "Viewers")).to_have_text("Viewers hear you")
    page.get_by_role("button", name="Keys").click()
    with page.context.expect_page() as opened:
        page.get_by_role("link", name="Licences of what is shipped").click()
    expect(opened.value.get_by_text("Name: react-dom")).to_be_visible()
    opened.value.close()
    page.close()
    assert "Traceback" not in installed.said
