"""Rules of the sound check: measured takes in; verdicts, findings and settings out, each with its reason."""
