"""Entry of every process that the application starts: python -m goshawk.child MODULE PLACE MEMORY

It takes its end of the link before it loads what takes time, then calls the module's ``run`` with it and with the name of the
shared memory."""

import atexit
import os
import sys
from importlib import import_module

from goshawk.errors import GoshawkError
from goshawk.model_file import give_weights
from goshawk.system.desktop import leave_the_end_to_who_started_it
from goshawk.system.links import find


def main() -> None:
    leave_the_end_to_who_started_it()
    module, place, memory_name = sys.argv[1:4]
    give_weights()
    end = find(place)
    try:
        import_module(module).run(end, memory_name)
        code = 0
    except GoshawkError as error:
        # The shared memory may be gone before a slow start comes to it: whoever started this process was killed meanwhile.
        print(f"goshawk: {error}", file=sys.stderr)
        code = 1
    # It has put everything away. The interpreter would take half a second more to take itself and the compiler apart, for
    # which whoever ends or starts anew would wait.
    atexit._run_exitfuncs()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(code)


if __name__ == "__main__":
    main()
