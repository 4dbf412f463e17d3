"""Goshawk: a real-time microphone chain and gain staging for voice-led streamers."""

__version__ = "0.1.0"
