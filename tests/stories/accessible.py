"""What axe-core finds on a page that is shown."""

from pathlib import Path

from playwright.sync_api import Page

AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"


def violations(page: Page) -> list[str]:
    """Each rule that is broken, with the first places."""
    if page.evaluate("!window.axe"):
        page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run(document, {resultTypes: ['violations']})")["violations"]
    return [f"{one['id']}: {[n['target'] for n in one['nodes']][:3]}" for one in found]
