"""What leaves the audio process: sound and readings in shared memory, each with its frame number. One process writes;
any number read, each with a place of its own, and none is waited for."""
