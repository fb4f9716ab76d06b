"""``python -m tonecomb`` and the ``tone-comb`` command."""

from __future__ import annotations

import os
import sys

# OpenBLAS's threads wait in a busy loop: on few cores that takes a third of the time from all else,
# and nothing here multiplies matrices that are worth it. To be said before NumPy is loaded.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# Whatever Python this one starts takes no module out of the folder that the user is in.
os.environ.setdefault("PYTHONSAFEPATH", "1")


def main() -> None:
    try:
        from tonecomb.cli.main import entry

        entry()
    except KeyboardInterrupt:  # before the command began, which is said as by the command
        print("Stopped.", file=sys.stderr, flush=True)
        # At once: an interrupt within an import makes Python end by the signal instead (seen once).
        os._exit(130)


if __name__ == "__main__":
    main()
