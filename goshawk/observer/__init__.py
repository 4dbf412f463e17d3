"""The observer: a process at lower priority that makes all figures, spectra, findings and suggestions, and the sound
check, from what the audio process leaves in shared memory. Other parts import ``goshawk.observer.client`` only."""
