"""Evenings on air, in a database of their own: no setting waits for it, and none is lost with it."""
