"""Where things lie that ship with the application."""

from pathlib import Path

FRONTEND_DIR = Path(__file__).resolve().parents[1] / "frontend" / "dist"
"""The built page."""
