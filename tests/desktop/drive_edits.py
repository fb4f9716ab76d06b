"""A bench that is edited all the time until it is killed; run by test_kill.py. Says each edit when
it is made, and each save, so that the other side knows what may not be lost."""

from __future__ import annotations

import sys
from pathlib import Path

from PyQt6.QtCore import QTimer

from tonecomb.core.method import document as edits
from tonecomb.desktop.app import make_application
from tonecomb.desktop.state.autosave import left_behind


def main(recording: Path, pause: int) -> None:
    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    bench = Bench()
    bench.show()
    found = left_behind()
    if found:
        bench.workspace.open_session(found[0], restored=True)
    else:
        bench.opening.open_paths([recording])
    count = [0]

    def edit() -> None:
        ref = bench.store.document.current_ref
        if ref is None:
            return
        if not count[0] and ref.name.startswith("edit "):
            count[0] = int(ref.name.split()[1])
            print(f"restored {count[0]}", flush=True)
        count[0] += 1
        from dataclasses import replace

        changed = edits.change_recording(
            bench.store.document, replace(ref, name=f"edit {count[0]}")
        )
        bench.store.apply("Rename", changed)
        print(count[0], flush=True)

    timer = QTimer()
    timer.timeout.connect(edit)
    timer.start(pause)
    app.exec()


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
