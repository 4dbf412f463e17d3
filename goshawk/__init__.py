"""Goshawk: a real-time microphone chain and gain staging for voice-led streamers."""

__version__ = "0.1.0"

runs_kernels = True
"""Whether this process runs compiled kernels; one that does not says so before it imports the core."""
