"""DSP, measurement and rules: numbers in, numbers out. No files, clocks, threads, web or SQL."""
