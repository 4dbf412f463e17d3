"""Where things lie that ship with the application."""

from pathlib import Path

PACKAGE = Path(__file__).resolve().parent

FRONTEND_DIR = PACKAGE / "page"
"""The built page. ``scripts/setup`` makes it here; a wheel has it."""

PAGE_LICENCES = FRONTEND_DIR / "licences.txt"
"""Of everything that the page is built from."""
