"""The recorder: a process of its own for one recording, which reads the shared memory and writes tracks. Other parts import
``goshawk.recorder.client`` and ``goshawk.recorder.messages`` only."""
