"""Where things lie that ship with the application."""

from pathlib import Path

FRONTEND_DIR = Path(__file__).resolve().parent / "page"
"""The built page. ``scripts/setup`` makes it here; a wheel has it."""

PAGE_LICENCES = FRONTEND_DIR / "licences.txt"
"""Of everything that the page is built from."""
