"""Measurements: levels, true peak, loudness, speech activity, clearance."""
