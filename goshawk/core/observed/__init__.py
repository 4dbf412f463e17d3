"""What is kept of the engine's readings, and the figures made from it: windows, the balance, the inputs' sound."""
