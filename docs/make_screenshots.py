"""Makes the pictures in docs/screenshots from the demo data: ``./run screenshots``."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
SHOTS = Path(__file__).parent / "screenshots"
SIZE = (1280, 800)


def main() -> None:
    with tempfile.TemporaryDirectory() as home:
        os.environ |= {"XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home}
        bench_pictures()
        report_picture(Path(home))


def bench_pictures() -> None:
    from PyQt6.QtTest import QTest

    from tonecomb.core.recording import Stretch
    from tonecomb.desktop.app import make_application

    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    bench = Bench()
    bench.resize(*SIZE)
    bench.show()

    def settle() -> None:
        QTest.qWait(100)
        while bench.results.busy or bench.jobs.running:
            QTest.qWait(20)
        QTest.qWait(100)

    bench.opening.open_demo()
    settle()
    bench.store.edit_method("Choose stretch", stretch=Stretch(12.0, 32.0))
    settle()
    spectrum = bench.stage.spectrum
    spectrum.set_limits(0, 900)
    settle()
    bench.grab().save(str(SHOTS / "bench-paper.png"))
    bench.toggle_theme()
    bench.readings.table.selectRow(10)
    settle()
    bench.grab().save(str(SHOTS / "bench-night.png"))
    bench.toggle_theme()
    bench.method_line.edit("window")
    QTest.qWait(100)
    popover = bench.method_line.popover
    assert popover is not None
    popover.grab().save(str(SHOTS / "window-popover.png"))
    popover.close()
    bench.store.mark_saved(Path("screenshots"), bench.store.document)
    bench.close()
    del app


def report_picture(folder: Path) -> None:
    """The report as a browser shows it."""
    from tonecomb.demo import ropeway

    command = [sys.executable, "-m", "tonecomb", "analyse", ropeway.folder() / ropeway.FILES[0],
               "--channel", "2", "--range", "0:900", "--out", folder]  # fmt: skip
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    browser = ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run",
               "--disable-background-networking", "--disable-component-update", "--disable-sync",
               "--hide-scrollbars", f"--user-data-dir={folder / 'browser'}",
               "--window-size=1080,1960", f"--screenshot={SHOTS / 'report.png'}",
               (folder / "report.html").as_uri()]  # fmt: skip
    subprocess.run(browser, check=True, stderr=subprocess.DEVNULL)


if __name__ == "__main__":
    main()
