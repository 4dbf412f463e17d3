"""The page's texts have one home, and every view has room for a longer language."""

from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser

from tests.server.running import Server
from tests.waiting import SHOWN_MS

pytestmark = pytest.mark.browser
LOOK = (Path(__file__).parent / "shown_text.js").read_text().strip().rstrip(";")
SIZES = [(1280, 800), (1024, 700)]
NAMED = {"name", "preview", "device", "takes", "program", "folder", "host", "source"}
"""Fields with what users and devices are called: the same in every language."""


def names_in(sent: Any) -> set[str]:
    if isinstance(sent, dict):
        own = {
            str(value) for field, value in sent.items() if field in NAMED and isinstance(value, str)
        }
        return {name for name in own if len(name) > 1} | names_in(list(sent.values()))
    return set().union(*map(names_in, sent)) if isinstance(sent, list) else set()


@pytest.mark.parametrize("size", SIZES, ids=["wide", "narrow"])
def test_every_view_has_room_for_a_language_40_percent_longer_and_no_text_outside_the_catalog(
    browser: Browser, server: Server, size: tuple[int, int]
) -> None:
    server.pass_time(12.0)
    page = browser.new_page(viewport={"width": size[0], "height": size[1]}, reduced_motion="reduce")
    page.set_default_timeout(SHOWN_MS)
    page.goto(f"{server.url}?lang=pseudo")
    tasks = page.get_by_role("navigation").first.get_by_role("button")
    tasks.nth(5).wait_for()
    found: list[str] = []
    names = sorted(
        names_in(
            page.evaluate(
                "Promise.all(['state', 'levels'].map((of) => fetch('/api/' + of).then((r) => r.json())))"
            )
        )
    )

    def look(view: str) -> None:
        page.wait_for_timeout(500)  # until its pictures and figures have come
        wrong = page.evaluate(f"({LOOK})", names)
        found.extend(f"{view}: {kind}: {text}" for kind, texts in wrong.items() for text in texts)

    for task in range(6):
        tasks.nth(task).click()
        page.get_by_role("main").get_by_role("button").first.wait_for()
        if task == 0:
            views = page.get_by_role("main").get_by_role("radiogroup").first.get_by_role("radio")
            for n in range(views.count()):
                views.nth(n).click()
                look(f"wiring {n}")
        elif task == 2:
            stages = page.locator("button:has([data-live])")
            for n in range(1, stages.count() - 1):
                stages.nth(n).dispatch_event("click")
                look(f"stage {n}")
        else:
            look(f"task {task + 1}")
    page.keyboard.press("?")
    page.get_by_role("dialog").wait_for()
    page.keyboard.press("Escape")
    page.close()
    assert found == []
