"""All that differs from system to system: processes and what ties them together, priorities, locks, leftovers, the desktop.

Nothing else asks which system it runs on. Where one offers less, there is a portable way; ``GOSHAWK_PORTABLE=1`` takes it
everywhere, and the tests run both."""
