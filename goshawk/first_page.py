"""The page that a browser shows while Goshawk is being set up: the steps, how long each has taken, and the share that is done where that
is known. It uses Python's own library alone, because ``scripts/demo`` runs this file before anything is installed:

    python3 goshawk/first_page.py PORT FILE

shows the steps that are written into a file: ``begin STEP``, ``end STEP``."""

from __future__ import annotations

import json
import sys
import threading
import time
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

LOOKS_EVERY_S = 0.2

_PAGE = """<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>Goshawk is being set up</title>
<style>
  :root { color-scheme: dark; background: #1c232b; color: #ece6d9; font: 18px/1.5 system-ui, sans-serif; }
  main { max-width: 36rem; margin: 12vh auto 0; padding: 0 1.5rem; }
  h1 { font-size: 1.6rem; margin: 0 0 .5rem; }
  p { color: #b6c0ca; margin: 0 0 2rem; }
  ul { list-style: none; margin: 0; padding: 0; }
  li { display: flex; justify-content: space-between; gap: 1rem; padding: .6rem 0; border-top: 1px solid #3a4654; }
  li span { color: #b6c0ca; font-variant-numeric: tabular-nums; white-space: nowrap; }
  progress { width: 100%; height: .6rem; accent-color: #f0a840; margin-top: 1.5rem; }
</style>
<main>
  <h1>Goshawk is being set up</h1>
  <p id="note">This happens once. The page changes by itself when Goshawk is ready.</p>
  <ul id="steps"></ul>
  <progress id="share" aria-label="How far it is" max="1" hidden></progress>
</main>
<script>
  const isReady = () => fetch("/api/state").then((reply) => reply.ok, () => false);
  let failures = 0;
  async function look() {
    try {
      const reply = await fetch("/progress.json");
      if (!reply.ok) throw new Error("somebody else answers");
      const { steps, share } = await reply.json();
      failures = 0;
      document.getElementById("steps").replaceChildren(...steps.map((step) => {
        const row = document.createElement("li");
        const seconds = document.createElement("span");
        seconds.textContent = (step.is_done ? "done, " : "") + Math.round(step.seconds) + " s";
        row.append(step.text, seconds);
        return row;
      }));
      const bar = document.getElementById("share");
      bar.hidden = share === null;
      if (share !== null) bar.value = share;
    } catch {
      if (await isReady()) return location.reload();
      failures += 1;
      if (failures === 40) document.getElementById("note").textContent = "Nothing answers any more. The terminal says what is wrong.";
    }
    setTimeout(look, 500);
  }
  look();
</script>
</html>
"""


@dataclass
class _Step:
    text: str
    begun: float
    ended: float | None = None


@dataclass
class Progress:
    """The steps so far. Any thread may tell it something."""

    share: float | None = None
    """How much of the last step is done, 0 to 1, where that is known."""
    _steps: list[_Step] = field(default_factory=list)

    def begin(self, text: str) -> None:
        """Begin a step. Others may go on beside it."""
        self._steps.append(_Step(text, time.monotonic()))

    def end(self, text: str) -> None:
        """End a step."""
        for one in self._steps:
            if one.text == text and one.ended is None:
                one.ended = time.monotonic()

    def as_json(self) -> bytes:
        """Return the steps as the page reads them."""
        now = time.monotonic()
        steps = [
            {
                "text": one.text,
                "seconds": (one.ended or now) - one.begun,
                "is_done": one.ended is not None,
            }
            for one in self._steps
        ]
        return json.dumps({"steps": steps, "share": self.share}).encode()


class FirstPage:
    """Serves the page, to this computer alone."""

    def __init__(self, port: int, progress: Progress) -> None:
        """Raises OSError if the port cannot be used."""

        class Handler(BaseHTTPRequestHandler):
            timeout = 5.0

            def do_GET(self) -> None:
                if self.path == "/progress.json":
                    self._answer(200, "application/json", progress.as_json())
                elif self.path.startswith("/api/"):
                    self._answer(503, "text/plain", b"Goshawk is still being set up.")
                else:
                    self._answer(200, "text/html; charset=utf-8", _PAGE.encode())

            def _answer(self, status: int, kind: str, body: bytes) -> None:
                self.send_response(status)
                self.send_header("Content-Type", kind)
                self.send_header("Content-Length", str(len(body)))
                self.send_header("Cache-Control", "no-store")
                self.send_header("Connection", "close")
                self.end_headers()
                self.wfile.write(body)

            def log_message(self, format: str, *args: Any) -> None:
                """Nobody reads that."""

        self._server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
        self._server.daemon_threads = True
        threading.Thread(target=self._server.serve_forever, args=(0.05,), daemon=True).start()

    def close(self) -> None:
        """Free the port."""
        self._server.shutdown()
        self._server.server_close()


def follow(file: Path, progress: Progress) -> None:
    """Pass on the steps that are written into a file, until the program ends."""
    with file.open(encoding="utf-8") as lines:
        while True:
            line = lines.readline()
            if not line:
                time.sleep(LOOKS_EVERY_S)
                continue
            what, _, text = line.strip().partition(" ")
            if what == "begin":
                progress.begin(text)
            elif what == "end":
                progress.end(text)


def main() -> None:
    port, file = int(sys.argv[1]), Path(sys.argv[2])
    progress = Progress()
    try:
        FirstPage(port, progress)
    except OSError:
        return  # The set-up goes on without; whoever starts then is told that the port is taken.
    try:
        follow(file, progress)
    except KeyboardInterrupt:
        return


if __name__ == "__main__":
    main()
