"""What axe-core finds on a page that is shown."""

from pathlib import Path

from playwright.sync_api import Page

OF_COLOURS = ["color-contrast", "link-in-text-block"]
AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"


def violations(page: Page, *, colours: bool = False) -> list[str]:
    """Each rule that is broken, with the first places; of colours alone, where all else was looked at before."""
    if page.evaluate("!window.axe"):
        page.evaluate(AXE.read_text())
    options = {"resultTypes": ["violations"], **({"runOnly": OF_COLOURS} if colours else {})}
    found = page.evaluate("options => axe.run(document, options)", options)["violations"]
    return [f"{one['id']}: {[n['target'] for n in one['nodes']][:3]}" for one in found]
