"""Makes the suppressor's voice model: see README.md."""
