"""Lists the sound cards as JSON, in a process of its own: a driver that hangs or crashes takes nothing else with it, and
PortAudio sees what was plugged in lately only when it is initialised."""

import sys

import goshawk

goshawk.runs_kernels = False  # a list every few seconds is not to cost what loading kernels does

import msgspec  # noqa: E402

from goshawk.devices.cards import list_cards  # noqa: E402

if __name__ == "__main__":
    sys.stdout.buffer.write(msgspec.json.encode(list_cards()))
