"""Figures of the stretch, below the peaks."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QWidget

from tonecomb.core.record.statistics import StretchFigures
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import label

_FIELDS = (
    ("mean", "Mean of the stretch", True),
    ("rms", "Root mean square, the mean included", True),
    ("peak", "Largest distance from the mean", True),
    ("peak_to_peak", "Highest less lowest", True),
    ("crest_factor", "Peak over the rms about the mean; 1.41 for a tone", False),
    (
        "kurtosis",
        "Fourth moment about the mean over the square of the second: "
        "3 for Gaussian noise, 1.5 for a tone, more for impacts",
        False,
    ),
)
_TITLES = {"peak_to_peak": "p–p", "crest_factor": "crest"}


class StretchReadings(QWidget):
    """Two columns of figures with their unit; nothing while there are none."""

    def __init__(self) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 4, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        self.heading = label("", "heading")
        grid.addWidget(self.heading, 0, 0, 1, 4)
        self.values = {}
        for i, (name, tip, _) in enumerate(_FIELDS):
            line, column = 1 + i // 2, 2 * (i % 2)
            title, value = label(_TITLES.get(name, name), "quiet"), label("")
            title.setFont(font(9))
            value.setFont(font(9))
            value.setAlignment(Qt.AlignmentFlag.AlignRight)
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            for widget in (title, value):
                widget.setToolTip(tip)
            grid.addWidget(title, line, column)
            grid.addWidget(value, line, column + 1)
            self.values[name] = value
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        self.hide()

    def show_figures(self, figures: StretchFigures | None, unit: str) -> None:
        """Show the figures, with ``unit`` in the heading."""
        self.setVisible(figures is not None)
        if figures is None:
            return
        self.heading.setText(f"Stretch, {unit}")
        for name, _, _ in _FIELDS:
            self.values[name].setText(_shown(getattr(figures, name), name))


def _shown(value: float, name: str) -> str:
    if math.isnan(value):
        return "–"
    if name in ("crest_factor", "kurtosis"):
        text = f"{value:.2f}" if value < 1000 else f"{value:.0f}"
    else:
        text = f"{value:.4g}"
    return text.replace("-", "−")
