"""``python -m tonecomb`` and the ``tone-comb`` command."""

from __future__ import annotations

import atexit
import contextlib
import os
import sys

# OpenBLAS's threads wait in a busy loop: on few cores that takes a third of the time from all else,
# and nothing here multiplies matrices that are worth it. To be said before NumPy is loaded.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# Whatever Python this one starts takes no module out of the folder that the user is in.
os.environ.setdefault("PYTHONSAFEPATH", "1")


STOPPED = 130
_code: list[object] = []


def _leave_by_code() -> None:
    """An interrupt within an import makes Python end by the signal, whoever caught it: registered
    first, and so the last to be called, this ends with the code that was meant."""
    if STOPPED in _code:
        for stream in (sys.stdout, sys.stderr):
            with contextlib.suppress(OSError, ValueError):  # nobody listens any more
                stream.flush()
        os._exit(STOPPED)


def main() -> None:
    atexit.register(_leave_by_code)
    try:
        from tonecomb.cli.main import entry

        entry()
    except SystemExit as left:
        _code.append(left.code)
        raise
    except KeyboardInterrupt:  # before the command began, which is said as by the command
        print("Stopped.", file=sys.stderr, flush=True)
        os._exit(STOPPED)


if __name__ == "__main__":
    main()
