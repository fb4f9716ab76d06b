"""What the stage shows while the shelf is empty: how to begin."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from tonecomb.core.synthesis.starters import PLAIN, STARTERS
from tonecomb.desktop.kit.widgets import label, link, row


class EmptyPage(QWidget):
    """``starter_chosen`` carries the description of a made recording to begin with."""

    starter_chosen = pyqtSignal(object)

    def __init__(self, open_file: Callable[[], object], open_demo: Callable[[], object]) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.addStretch(2)
        text = label("Drop a recording here, or open one: a sound file or a table.", "teach")
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(text)
        column.addSpacing(8)
        opening, demo = QPushButton("Open a recording"), QPushButton("Open the demo")
        opening.setToolTip("Open a recording (Ctrl+O)")
        demo.setToolTip("Open the demo recordings of the Quillbeck ropeway (Ctrl+Shift+D)")
        opening.clicked.connect(lambda: open_file())
        demo.clicked.connect(lambda: open_demo())
        column.addLayout(row(None, opening, demo, None))
        column.addSpacing(24)
        told = label(
            "Or try what sampling and windows do to a signal whose content is known:", "quiet"
        )
        told.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(told)
        offered = [("Make a signal", PLAIN), *((one.title, one.made) for one in STARTERS)]
        links = [
            link(title, made.hint.partition("\n")[0], partial(self.starter_chosen.emit, made))
            for title, made in offered
        ]
        half = len(links) // 2
        for several in (links[:half], links[half:]):
            column.addLayout(row(None, *several, None, spacing=20))
        column.addStretch(3)
