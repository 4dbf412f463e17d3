"""The audio process: clock, devices, mixer. Other parts import ``goshawk.engine.client`` only."""
