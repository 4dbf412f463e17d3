"""Opening the browser at the application's address, where there is a screen to open it on."""

import threading
import time
import urllib.request
import webbrowser

PATIENCE_S = 240.0
"""The first start compiles."""


def open_when_there(url: str) -> None:
    """Open it once it answers; nothing waits for that."""
    threading.Thread(target=_open, args=(url,), name="opening the browser", daemon=True).start()


def _open(url: str) -> None:
    # A proxy is for addresses elsewhere, and answers with an error of its own for this computer's.
    directly = urllib.request.build_opener(urllib.request.ProxyHandler({}))
    until = time.monotonic() + PATIENCE_S
    while time.monotonic() < until:
        try:
            directly.open(f"{url}/api/state", timeout=5.0).close()
        except OSError:
            time.sleep(0.2)
            continue
        webbrowser.open(url)
        return
