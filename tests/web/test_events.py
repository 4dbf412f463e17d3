"""The bus, and the table that says who publishes and who hears what."""

import ast
from collections import defaultdict
from pathlib import Path

import pytest

from goshawk.bus import Bus
from goshawk.web import events

WEB = Path(events.__file__).parent


def test_an_event_reaches_all_who_hear_its_class_and_an_error_keeps_it_from_nobody(
    caplog: pytest.LogCaptureFixture,
) -> None:
    bus, heard = Bus(), list[str]()

    def fail(_: str) -> None:
        raise ValueError("first")

    bus.subscribe(str, heard.append)
    bus.subscribe(str, fail)
    bus.subscribe(str, lambda text: heard.append(text.upper()))
    bus.publish(3)
    bus.publish("a")
    assert heard == ["a", "A"]
    assert "could not be handled: str" in caplog.text


def _calls(owner: ast.AST, name: str) -> list[ast.Call]:
    calls = (node for node in ast.walk(owner) if isinstance(node, ast.Call))
    return [node for node in calls if ast.unparse(node.func).endswith(name)]


def test_the_table_of_events_says_what_the_code_does() -> None:
    """Read from the source: who subscribes to what, and who publishes it."""
    hears, publishes = defaultdict[str, set[str]](set), defaultdict[str, set[str]](set)
    for path in WEB.glob("*.py"):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        for owner in (node for node in tree.body if isinstance(node, ast.ClassDef)):
            kinds = [call.args[0] for call in _calls(owner, "bus.subscribe")]
            loops = (node.iter for node in ast.walk(owner) if isinstance(node, ast.For))
            kinds += [one for row in loops if isinstance(row, ast.Tuple) for one in row.elts]
            for kind in kinds:
                hears[ast.unparse(kind)].add(owner.name)
            for call in _calls(owner, "bus.publish"):
                if isinstance(call.args[0], ast.Call):
                    publishes[ast.unparse(call.args[0].func)].add(owner.name)
    lines = [line for line in (events.__doc__ or "").splitlines() if line.startswith("| ")][1:]
    for name, publishers, hearers in (line.strip("| ").split(" | ") for line in lines):
        assert set(hearers.split(", ")) == hears[name], name
        if not publishers.startswith("whoever"):
            assert set(publishers.split(", ")) == publishes[name], name
    assert len(lines) == sum(isinstance(one, type) and one.__module__ == events.__name__ for one in vars(events).values())  # fmt: skip
