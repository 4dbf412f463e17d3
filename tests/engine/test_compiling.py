"""Compiling ahead of the first start: every kernel that the engine runs, from parts that processes share out."""

import pytest

from goshawk import kernel_note
from goshawk.cli.first_run import ABOUT_SO_MANY
from goshawk.core.graph.chain import STAGES
from goshawk.engine import compiling


def test_all_parts_are_compiled_noted_and_counted_meanwhile() -> None:
    counts: list[int] = []
    compiling.compile_all(counts.append)
    assert counts == sorted(counts)
    assert kernel_note.are_compiled()
    # The share that is shown at a first start goes by this number. (Tests compile some more.)
    assert 0.9 * ABOUT_SO_MANY <= counts[-1] <= 1.5 * ABOUT_SO_MANY


def test_the_parts_that_take_longest_begin_and_none_is_left_out(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    begun: list[str] = []

    class Pool:
        """Does everything at once, in this process."""

        def __init__(self, processes: int, *_: object, **__: object) -> None:
            assert processes >= 1

        def __enter__(self) -> "Pool":
            return self

        def __exit__(self, *_: object) -> None: ...

        def submit(self, _work: object, part: str) -> "compiling.Future[None]":
            begun.append(part)
            done: compiling.Future[None] = compiling.Future()
            if part == "gate":
                done.set_exception(ValueError("no such instruction"))
            else:
                done.set_result(None)
            return done

    noted: list[bool] = []
    monkeypatch.setattr(compiling, "ProcessPoolExecutor", Pool)
    monkeypatch.setattr(compiling.kernel_note, "note_compiled", lambda: noted.append(True))
    with pytest.raises(ValueError, match="no such instruction"):
        compiling.compile_all(lambda count: None)
    assert begun[0] == "suppressor"
    assert sorted(begun) == sorted([*STAGES, *compiling._PARTS])
    assert not noted, "what failed is tried again at the next start"


@pytest.mark.parametrize("part", sorted(compiling._PARTS))
def test_a_part_by_itself_needs_nothing_of_the_others(part: str) -> None:
    compiling._compile(part)


def test_an_unknown_part_is_an_error() -> None:
    with pytest.raises(KeyError):
        compiling._compile("nothing of that name")
