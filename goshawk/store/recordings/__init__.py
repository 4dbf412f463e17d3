"""Recordings as folders of open files: written, read, listed, mended, handed over."""
