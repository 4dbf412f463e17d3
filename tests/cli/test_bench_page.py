"""What the page costs in a browser, as the command line tells it."""

import json

import pytest

from goshawk.cli.bench_page import VIEWS, as_lines
from tests.cli.test_cli import goshawk


def test_a_view_that_there_is_not_is_one_sentence() -> None:
    done = goshawk("bench-app", "--view", "Kitchen")
    assert done.returncode == 2
    assert "there is no view 'Kitchen'. There are: " + ", ".join(VIEWS) in done.stderr


def test_people_read_a_line_for_each_view() -> None:
    figures = {"renderer": 20.0, "gpu-process": 5.0, "heap_mb": 9.0}
    first, second = as_lines({"Chain": figures, "Watch": figures})
    assert first.split()[0] == "Chain"
    assert json.loads(second.partition(" ")[2]) == figures


@pytest.mark.browser
def test_a_page_is_measured_view_by_view() -> None:
    done = goshawk("bench-app", "--seconds", "2", "--view", "Watch", "--view", "Chain", "--json")
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert list(told) == ["Watch", "Chain"]
    for figures in told.values():
        assert figures["renderer"] > 0.0
        assert figures["heap_mb"] > 1.0
