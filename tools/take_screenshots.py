"""Take the pictures of docs/screenshots: python tools/take_screenshots.py [URL]

Wants a running demo that has talked for ten seconds, with a sound server (``python -m tests.sound_servers``), and Chromium.
"""

import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking"]


def stage(page: Page, name: str) -> None:
    page.get_by_label("Level path").get_by_text(name, exact=True).click()


def view(page: Page, name: str) -> None:
    page.get_by_role("radio", name=name, exact=True).click()


def main() -> None:
    url = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8610"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        page.goto(url)
        page.get_by_text("Level path").wait_for()
        page.wait_for_timeout(11_000)  # until the pictures' ten seconds are full

        def take(name: str) -> None:
            page.wait_for_timeout(400)
            page.screenshot(path=OUT / f"{name}.png")

        for name in ("Suppressor", "Gate", "EQ", "Compressor"):
            stage(page, name)
            page.wait_for_timeout(1500)  # until its spectra have come
            if name == "Compressor":  # with a setting's own help
                page.get_by_role("button", name="Help: Threshold").click()
            take(f"chain-{name.lower()}")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Guide: this stage").click()
        page.get_by_role("searchbox", name="Search the guide").wait_for()
        take("guide")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Sound check").click()
        page.get_by_role("button", name="Record all").click()
        page.get_by_label("Recording the take: Quiet voice").get_by_text("Recording").wait_for(
            timeout=60_000
        )
        page.wait_for_timeout(3000)
        take("soundcheck-takes")
        page.get_by_role("button", name="Apply all").wait_for(timeout=300_000)
        take("soundcheck")
        view(page, "Proof")
        take("soundcheck-proof")
        page.get_by_role("button", name="Balance").click()
        game = page.get_by_role("textbox", name="Game fader, type a value")
        game.fill("0")  # a little too loud, so that there is something to help
        game.press("Enter")
        page.wait_for_timeout(30_000)  # until what would help has been tried on half a minute
        take("balance")
        page.get_by_role("button", name="Replay the last").click()
        page.wait_for_timeout(1000)
        game.fill("-8")
        game.press("Enter")
        page.get_by_role("region", name="Replay figures").get_by_text("on the same").wait_for()
        view(page, "10 min")
        page.wait_for_timeout(3000)
        take("balance-replay")
        page.get_by_role("button", name="End replay").click()
        page.get_by_role("button", name="Wiring").click()
        take("wiring")
        view(page, "Outputs")
        page.get_by_role("button", name="Add output").click()
        page.get_by_role("menuitem", name="Viewers", exact=True).click()
        page.get_by_role("combobox", name="Destination").click()
        page.get_by_role("option", name="Virtual microphone").click()
        page.wait_for_timeout(8000)  # until its clock is nearly known
        take("wiring-outputs")
        page.get_by_role("button", name="Remove this output of Viewers").click()
        view(page, "Delay")
        page.get_by_role("button", name="Send a click").click()
        page.wait_for_timeout(2500)
        take("wiring-delay")
        view(page, "Addresses")
        page.get_by_label("Name of the program").fill("Broadcasting program")
        page.keyboard.press("Enter")
        page.get_by_role("textbox", name="Address", exact=True).wait_for()
        take("wiring-addresses")
        page.get_by_role("button", name="Revoke: Broadcasting program").click()
        page.keyboard.press("6")
        page.wait_for_timeout(13_000)  # until all is known that is looked at
        take("watch-before")
        page.get_by_role("button", name="Go live").click()
        page.wait_for_timeout(45_000)
        page.keyboard.press("k")
        page.wait_for_timeout(30_000)
        page.keyboard.press("5")
        page.wait_for_timeout(3000)
        take("record")
        page.keyboard.press("6")
        page.keyboard.press("p")
        page.wait_for_timeout(12_000)  # until talk on a break is told
        take("watch")
        page.get_by_role("button", name="Let viewers hear me", exact=True).click()
        page.wait_for_timeout(15_000)
        page.get_by_role("button", name="End broadcast").click()
        page.get_by_label("Next time").wait_for()
        page.wait_for_timeout(1500)
        take("watch-report")
        page.keyboard.press("1")
        view(page, "Devices")
        page.get_by_role("button", name="Use the light theme").click()
        page.wait_for_timeout(4000)  # until the laptop's clock is known
        take("wiring-devices-daylight")
        browser.close()


if __name__ == "__main__":
    main()
