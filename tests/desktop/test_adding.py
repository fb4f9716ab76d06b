"""To add a step or a pane one module and one line in a table are enough: a toy of each."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import ClassVar

import numpy as np
import pytest
from PyQt6.QtWidgets import QApplication, QCheckBox

import tonecomb
from tonecomb.core.base.setting import setting
from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.step import Step
from tonecomb.core.steps.table import STEPS
from tonecomb.formats.session import session


class Flipped(Samples):
    """Samples with the other sign."""

    def __init__(self, of: Samples) -> None:
        self._of = of

    def read(self, channel: int, start: int, stop: int) -> Array:
        return -self._of.read(channel, start, stop)


@dataclass(frozen=True)
class Flip(Step):
    """The module that a step is."""

    key: ClassVar[str] = "flip"
    title: ClassVar[str] = "Flip the sign"
    tip: ClassVar[str] = "Turn every channel over"

    strength: float = setting("strength", "number", 1.0, help="of no effect")

    def words(self, names: Sequence[str]) -> str:
        return f"flipped {self.strength:g}"

    def apply(self, signal: Signal) -> Signal:
        return replace(signal, samples=Flipped(signal.samples))


@pytest.fixture
def flip() -> Iterator[None]:
    STEPS.append(Flip)
    yield
    STEPS.remove(Flip)


def test_a_step(flip: None, demo: Path, tmp_path: Path, request: pytest.FixtureRequest) -> None:
    """The chain, words, files, the command line's text and the method line know it."""
    recording = tonecomb.open(demo / "undersampled.wav")
    step = tonecomb.step("flip:2")
    assert step == Flip(2.0)
    there = tonecomb.prepare(recording, (step,)).samples.read(0, 0, 50)
    np.testing.assert_array_equal(there, -recording.samples.read(0, 0, 50))
    assert "flipped 2" in tonecomb.analyse(recording, tonecomb.Method.of(steps=(step,))).sentence
    bench, settle = request.getfixturevalue("bench"), request.getfixturevalue("settle")
    bench.opening.open_paths([demo / "undersampled.wav"])
    settle()
    bench.store.edit_method("Flip", steps=(step,))
    settle()
    assert bench.method_line.phrase("step 0").text() == "flipped 2"
    bench.method_line.edit("step 0")
    popover = QApplication.activePopupWidget()
    assert popover is not None
    assert "Flip the sign" in [one.text() for one in popover.findChildren(QCheckBox)]
    popover.close()
    session.save(tmp_path / "s.tcomb", bench.store.document)
    assert session.load(tmp_path / "s.tcomb").recordings[0].method.source.steps == (step,)


TOY_PANE = """
import sys
from pathlib import Path
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QLabel
from tonecomb.desktop.app import make_application
from tonecomb.desktop.stage.panes.pane import Pane, PaneSpec
from tonecomb.desktop.stage.pane_table import PANES

class ToyPane(Pane):
    def __init__(self, views):
        super().__init__()
        self.words = QLabel("nothing", self)
    def show_analysis(self, analysis):
        self.words.setText("nothing" if analysis is None else "an analysis")

PANES.append(PaneSpec("toy", "A toy", "Ctrl+Alt+Y", "Of no use", "frequency", 100, ToyPane))

app = make_application(["tone-comb"])
from tonecomb.desktop.bench import Bench
bench = Bench()
bench.show()
bench.opening.open_paths([Path(sys.argv[1])])
QTest.qWait(50)
while bench.context.scheduler.busy:
    QTest.qWait(20)
pane = bench.stage.panes["toy"]
print(pane.isVisible())
held = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
QTest.keyClick(bench, Qt.Key.Key_Y, held)
print(pane.isVisible(), pane.words.text(), bench.action("A toy").isChecked())
bench.action("A toy").trigger()
print(pane.isVisible())
bench.workspace.may_discard = lambda what: True
bench.close()
"""


def test_a_pane(demo: Path) -> None:
    """The stage, the menus and the keys know it: in a program of its own, as they are made when
    it starts."""
    done = subprocess.run(
        [sys.executable, "-c", TOY_PANE, demo / "undersampled.wav"],
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
    )
    assert done.stdout.splitlines() == ["False", "True an analysis True", "False"], done.stderr
