"""The helper process: it goes on after a loss, and never outlives the program."""

import asyncio
import os
import subprocess
import sys
import time

import pytest

from goshawk.errors import HelperLost
from goshawk.web.helper import Helper

PROGRAM = """
import asyncio, os
from goshawk.web.helper import Helper

if __name__ == "__main__":
    print(asyncio.run(Helper().run(os.getpid)), flush=True)
    os.kill(os.getpid(), 9)
"""


def is_alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    # A process that has ended may wait for somebody to take note of it.
    with open(f"/proc/{pid}/stat") as stat:
        return stat.read().split(")")[-1].split()[0] != "Z"


def test_it_ends_with_the_program_however_that_ends(
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    script = tmp_path_factory.mktemp("program") / "program.py"
    script.write_text(PROGRAM)
    done = subprocess.run([sys.executable, script], capture_output=True, text=True, check=False)
    assert done.returncode == -9
    helper = int(done.stdout)
    for _ in range(100):
        if not is_alive(helper):
            return
        time.sleep(0.1)
    raise AssertionError("the helper outlived its program")


def test_after_a_loss_another_is_started() -> None:
    async def story() -> None:
        helper = Helper()
        with pytest.raises(HelperLost, match="Try it again"):
            await helper.run(os._exit, 1)
        assert await helper.run(os.getpid) != os.getpid()
        assert await helper.run(os.nice, 0) > 0, "the sound on air goes first"
        helper.close()

    asyncio.run(story())
