"""Goshawk: a real-time microphone chain and gain staging for voice-led streamers."""

import os

__version__ = "0.1.0"

runs_kernels = True
"""Whether this process runs compiled kernels; one that does not says so before it imports the core."""

# Before anything loads numpy: its products are of small matrices, for which a thread for each processor wins nothing, but waits
# for the next one by turning idly, beside the sound.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
