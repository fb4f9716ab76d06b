"""``python -m tests.endure.live MINUTES FOLDER``: a bench on a stream of which one packet in a
hundred gets lost. Prints what came of it as JSON."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from pathlib import Path

LOSS_PERCENT = 1.0
RATE, CHANNELS = 12_800, 3
_LOOK_S = 10


def main(minutes: float, folder: Path) -> None:
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = str(folder)
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from PyQt6.QtTest import QTest

    from tonecomb.desktop.app import give_memory_back, make_application
    from tonecomb.desktop.bench import Bench
    from tonecomb.desktop.stage.bars.live_bar import Last
    from tonecomb.desktop.state.memory import resident

    give_memory_back()
    app = make_application(["tone-comb"])
    described = folder / "node.sdp"
    node = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "tonecomb",
            "node",
            "--rate",
            f"{RATE}",
            "--channels",
            f"{CHANNELS}",
            "--port",
            f"{30_000 + os.getpid() % 20_000}",
            "--loss",
            f"{LOSS_PERCENT}",
            "--sdp",
            str(described),
        ],
        stdout=subprocess.DEVNULL,
        stdin=subprocess.DEVNULL,
    )
    bench = Bench()
    bench.resize(1280, 800)
    bench.show()
    try:
        while not described.exists():
            QTest.qWait(20)
        bench.stage.live_bar.choice.choose(Last(1.0))
        bench.live.go(str(described))
        bench.stage.show_pane("spectrogram")
        begun, looks, oldest = time.monotonic(), [], 0.0
        while time.monotonic() < begun + 60 * minutes:
            QTest.qWait(1000 * _LOOK_S)
            looks.append(resident() >> 20)
            progressed = bench.live.progressed
            assert progressed is not None
            oldest = max(oldest, progressed.age)
        seconds, counts = time.monotonic() - begun, progressed.counts
        print(
            json.dumps(
                {
                    "minutes": round(seconds / 60, 2),
                    "taken": counts.taken,
                    "lost": counts.lost,
                    "lost samples": counts.lost_samples,
                    "seconds behind": round(oldest, 2),
                    "memory MB": [looks[len(looks) // 4], max(looks), looks[-1]],
                }
            )
        )
    finally:
        bench.live.end()
        bench.store.mark_saved(folder / "saved", bench.store.document)
        bench.close()
        node.kill()
        node.wait()
        app.processEvents()


if __name__ == "__main__":
    main(float(sys.argv[1]), Path(sys.argv[2]))
