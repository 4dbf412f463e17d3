"""The processes that Goshawk starts, where what they need is gone before they come to it."""

import pytest

from goshawk.system.processes import start_process


@pytest.mark.parametrize("module", ["engine", "observer", "recorder"])
def test_a_process_whose_memory_is_gone_says_one_sentence_and_ends(
    module: str, capfd: pytest.CaptureFixture[str]
) -> None:
    """Its parent was killed while it started, and the next Goshawk has swept what that one left."""
    name = f"goshawk.{module}.process"
    process, end = start_process(name, "goshawk-0-gone", keeps_borders=module == "engine")
    try:
        if module == "engine":
            end.close()  # It waits for its first plan only as long as somebody is there.
        assert process.wait(60.0) == 1
    finally:
        process.kill()
        end.close()
    said = capfd.readouterr().err
    assert "What the processes share is gone. Start Goshawk again." in said
    assert "Traceback" not in said
    assert len(said.strip().splitlines()) == 1


def test_any_other_error_of_a_process_is_told_in_full(capfd: pytest.CaptureFixture[str]) -> None:
    process, end = start_process("goshawk.nothing_of_that_name", "goshawk-0-gone")
    try:
        assert process.wait(60.0) == 1
    finally:
        process.kill()
        end.close()
    assert "ModuleNotFoundError" in capfd.readouterr().err
