"""Where channels sit on a structure, which way they look, and which are joined."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.method.sketch import WAYS, Place, Sketch
from tonecomb.core.record.recording import Channel
from tonecomb.desktop.kit.figure import FigureView
from tonecomb.desktop.kit.theme import current_theme
from tonecomb.desktop.kit.widgets import Choice, label, row

_HEADS = ("channel", "x, m", "y, m", "z, m", "looks along", "joined to")
_FARTHEST = 1e6


class SketchDialog(QDialog):
    """A row a channel, and the sketch as it will be drawn. ``sketch`` is what it says."""

    def __init__(self, parent: QWidget, channels: Sequence[Channel], sketch: Sketch) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sketch of the structure")
        self.resize(860, 480)
        self._channels = channels
        self.sketch = sketch
        self.table = QTableWidget(len(channels), len(_HEADS))
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.table.setAccessibleName("Places of channels")
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and side is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        side.hide()
        self.ways: list[Choice] = []
        for i, channel in enumerate(channels):
            self._fill(i, channel, sketch)
        self.figure = FigureView()
        self.figure.set_theme(current_theme())
        self.figure.setMinimumWidth(260)
        self.wrong = label("", "quiet", wrap=True)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        take = buttons.addButton("Use the sketch", QDialogButtonBox.ButtonRole.AcceptRole)
        assert take is not None
        self.take = take
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        column.addWidget(
            label(
                "Give a place to each channel that was measured, in metres; leave x, y and z "
                "empty for "
                "one that has none. Lines go to the numbers under “joined to”, such as 2, 3.",
                "quiet",
                wrap=True,
            )
        )
        middle = row(self.table, self.figure, spacing=12)
        middle.setStretch(0, 3)
        middle.setStretch(1, 2)
        column.addLayout(middle, 1)
        column.addWidget(self.wrong)
        column.addWidget(buttons)
        self.table.itemChanged.connect(lambda _: self._read())
        self._read()

    def _fill(self, i: int, channel: Channel, sketch: Sketch) -> None:
        name = QTableWidgetItem(f"{i + 1}  {channel.name}")
        name.setFlags(Qt.ItemFlag.ItemIsEnabled)
        self.table.setItem(i, 0, name)
        place = sketch.of(i)
        for j, value in enumerate(place.point if place is not None else ()):
            self.table.setItem(i, 1 + j, QTableWidgetItem(f"{value:g}"))
        way = Choice(
            [(one, one.replace("-", "−")) for one in WAYS],
            place.along if place is not None else "+z",
            "Looks along",
        )
        way.picked.connect(lambda _: self._read())
        self.ways.append(way)
        self.table.setCellWidget(i, 4, way)
        joined = ", ".join(str(b + 1) for a, b in sketch.lines if a == i)
        self.table.setItem(i, 5, QTableWidgetItem(joined))

    def _text(self, i: int, j: int) -> str:
        item = self.table.item(i, j)
        return "" if item is None else item.text().strip()

    def _read(self) -> None:
        """What the rows say, or what is wrong with them."""
        try:
            self.sketch = self._sketch()
            self.wrong.setText("")
        except ValueError as error:
            self.wrong.setText(str(error))
        self.take.setEnabled(not self.wrong.text())
        self.figure.show_figure(self.sketch.figure((), np.zeros(0, np.complex128)))

    def _sketch(self) -> Sketch:
        places, lines = [], []
        for i, way in enumerate(self.ways):
            texts = [self._text(i, 1 + j).replace("−", "-").replace(",", ".") for j in range(3)]
            name = self._channels[i].name
            if any(texts):
                try:
                    x, y, z = (float(one or 0) for one in texts)
                except ValueError:
                    raise ValueError(f"A place of {name} is no number of metres.") from None
                if not all(abs(one) <= _FARTHEST for one in (x, y, z)):
                    raise ValueError(f"{name} is too far away.")
                places.append(Place(i, x, y, z, way.value))
            for one in self._text(i, 5).replace(";", ",").split(","):
                if not one.strip():
                    continue
                if not one.strip().isdecimal() or not 1 <= int(one) <= len(self.ways):
                    raise ValueError(
                        f"{name} is joined to ‘{one.strip()[:20]}’: give numbers of channels."
                    )
                lines.append((i, int(one) - 1))
        return Sketch(tuple(places), tuple(lines))
