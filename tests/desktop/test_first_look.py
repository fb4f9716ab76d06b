"""The bench's ground is seen before the bench is there."""

from __future__ import annotations

import subprocess
import sys
from typing import Any

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QApplication

from tonecomb.desktop.bench import Bench
from tonecomb.desktop.first_look import FirstLook
from tonecomb.desktop.kit.theme import current_theme

HEAVY = ("numpy", "scipy", "pyqtgraph", "matplotlib", "pyarrow", "tonecomb.core.method.document")


def test_it_brings_in_nothing_that_it_does_not_show() -> None:
    code = (
        "import sys; from tonecomb.desktop import app, first_look; "
        f"print([one for one in {HEAVY} if one in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_its_regions_are_where_the_bench_has_them(
    bench: Bench, qapp: QApplication, qtbot: Any
) -> None:
    look = FirstLook()
    qtbot.addWidget(look)
    look.resize(bench.size())
    look.setUpdatesEnabled(True)
    look.show_now()
    assert look.painted
    picture, raised = look.grab().toImage(), current_theme().raised.lower()
    for region in (bench.method_line, bench.shelf, bench.stage, bench.readings, bench.ruler):
        corner = region.mapTo(bench, QPoint(0, 0))
        inside = corner + QPoint(12, region.height() // 2)
        assert picture.pixelColor(inside).name() == raised, region.objectName()
