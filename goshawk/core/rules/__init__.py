"""Rules: plain functions from measured numbers and settings to findings, each with its reason."""
