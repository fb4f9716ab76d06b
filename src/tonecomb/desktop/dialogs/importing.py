"""The import preview: how a file was read, to be confirmed or put right."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.base.progress import Progress
from tonecomb.core.method.given import Given
from tonecomb.core.record import pyramid
from tonecomb.core.record.pyramid import WaveformEnvelope
from tonecomb.desktop.dialogs.form import Form
from tonecomb.desktop.dialogs.import_facts import Facts, said_of, unsaid
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.kit.widgets import Choice, label, row
from tonecomb.desktop.state.envelopes import EXACT_BELOW
from tonecomb.desktop.state.jobs import Job, Jobs
from tonecomb.formats.assemble import Understood
from tonecomb.formats.registry import understand_anew

_ROWS = 12  # values of each column that are shown
_MOST_SHOWN = 300  # columns
_SETTLE_MS = 150
_LINE = 34  # pixels
_POINTS = 500  # columns of the small waveform
_ROLES = [("time", "time"), ("data", "data"), ("leave out", "leave out")]
_ROLE, _NAME, _UNIT, _FIRST = range(4)


def _first_values(understood: Understood) -> list[list[str]]:
    """The first values of the columns that are shown, or why one is left out. Reads the file."""
    shown = []
    for i, column in enumerate(understood.columns[:_MOST_SHOWN]):
        if column.note:
            shown.append([column.note])
            continue
        values = understood.contents.samples.read(i, 0, min(_ROWS, column.length))
        shown.append(["missing" if np.isnan(v) else f"{v:.6g}".replace("-", "−") for v in values])
    return shown


@dataclass(frozen=True)
class Asked:
    """What is asked about: a file as it is ``understood`` with what is said about it, how many
    ``others`` of its shape follow, and what the button says that goes on."""

    understood: Understood
    given: Given
    others: int
    go: str


class ImportDialog(Form):
    """Shows the first values, each column's role, name and unit, and the facts; ``given`` is what
    the user says, ``keeps`` whether it is for later files of the shape too."""

    def __init__(
        self,
        parent: QWidget,
        jobs: Jobs,
        asked: Asked,
        theme: Theme,
    ) -> None:
        super().__init__(parent)
        understood, given, others, go = asked.understood, asked.given, asked.others, asked.go
        path = understood.recording.path
        self.setWindowTitle(f"How {path.name if path else 'the file'} is read")
        self.resize(1040, 640)
        self._jobs, self._theme = jobs, theme
        self.understood, self.given = understood, given
        self._job: Job | None = None
        self._first: Job | None = None
        self._drawing: Job | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SETTLE_MS)
        self._timer.timeout.connect(self._read)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 14, 16, 14)
        outer.setSpacing(10)
        upper = QHBoxLayout()
        upper.setSpacing(16)
        self.facts = Facts()
        self.facts.changed.connect(self.say)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.facts)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        upper.addWidget(scroll, 1)
        self.sketch = Plot()
        self.sketch.setFixedWidth(400)
        self.curve = pg.PlotCurveItem(pen=pg.mkPen(theme.traces[0]))
        self.sketch.addItem(self.curve)
        self.sketch.set_theme(theme)
        self.sketch.set_label("bottom", "Time, s")
        upper.addWidget(self.sketch)
        outer.addLayout(upper, 5)
        outer.addWidget(label(self._heading(), "heading"))
        self.table = QTableWidget()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Columns of the file")
        self.table.currentCellChanged.connect(lambda *_: self._draw())
        outer.addWidget(self.table, 6)
        self.fault = label("", wrap=True)
        self.fault.setObjectName("problem")
        self.fault.hide()
        outer.addWidget(self.fault)
        self._keep = QCheckBox("Read later files of this shape in the same way")
        self._keep.setChecked(True)
        self._keep.setToolTip("Files with the same columns then simply open")
        also = label(
            f"Also for {others} more {'file' if others == 1 else 'files'} of this shape", "quiet"
        )
        also.setVisible(others > 0)
        self.go, leave = QPushButton(go), QPushButton("Cancel")
        self.go.setDefault(True)
        self.go.clicked.connect(self.accept)
        leave.clicked.connect(self.reject)
        outer.addLayout(row(self._keep, also, None, leave, self.go, spacing=12))
        self._values: list[list[str]] = []
        self.go.setEnabled(False)
        self._first = self._jobs.submit(
            "Reading the first values",
            lambda _: _first_values(understood),
            self._take_values,
            self._fail,
            owner=self,
        )

    @property
    def keeps(self) -> bool:
        return self._keep.isChecked()

    def _heading(self) -> str:
        contents = self.understood.contents
        count = len(contents.columns)
        text = f", the first {_MOST_SHOWN} shown" if count > _MOST_SHOWN else ""
        return f"{contents.format}, {count} {'column' if count == 1 else 'columns'}{text}"

    # What the user says

    def say(self, given: Given) -> None:
        """Take ``given`` for what the user says, and read the file so."""
        self.given = replace(given, how=unsaid(given.how))
        self._timer.start()

    def _said(self, index: int, **changes: Any) -> None:
        said = said_of(self.understood, self.given)
        said[index] = replace(said[index], **changes)
        if changes.get("role") == "time":  # there is one at most
            for i, column in enumerate(self.understood.columns):
                if i != index and column.role == "time":
                    said[i] = replace(said[i], role="data")
        self.say(replace(self.given, how=replace(self.given.how, columns=tuple(said))))

    def _read(self) -> None:
        for job in (self._job, self._first):
            if job is not None:
                job.cancel()
        self._first = None
        given, known = self.given, self.understood

        def done(result: tuple[Understood, list[list[str]]]) -> None:
            self.understood, values = result
            self.fault.hide()
            self._take_values(values)

        def work(progress: Progress) -> tuple[Understood, list[list[str]]]:
            understood = understand_anew(known, given, progress)
            return understood, _first_values(understood)

        self._job = self._jobs.submit("Reading", work, done, self._fail, owner=self)

    def _take_values(self, values: list[list[str]]) -> None:
        self._job = self._first = None
        self._values = values
        self._fill()
        self._show()

    def _fail(self, error: Exception) -> None:
        self._job = self._first = None
        self.fault.setText(str(error))
        self.fault.show()
        self.go.setEnabled(False)

    @property
    def busy(self) -> bool:
        """Whether something that was said is still to be shown."""
        under_way = (self._job, self._first, self._drawing)
        return self._timer.isActive() or any(job is not None for job in under_way)

    # What is shown

    def _show(self) -> None:
        self.facts.show_facts(self.understood, self.given)
        self.go.setEnabled(self.understood.recording.sample_rate is not None)
        self.go.setToolTip(
            "" if self.go.isEnabled() else "Say where the time is, or give the sample rate"
        )
        self._draw()

    def _fill(self) -> None:
        """The columns of the file, a line each, with the first values."""
        columns = self.understood.columns[:_MOST_SHOWN]
        contents, table = self.understood.contents, self.table
        chosen = max(table.currentRow(), 0)
        table.blockSignals(True)
        table.clear()
        table.setRowCount(len(columns))
        table.setColumnCount(_FIRST + _ROWS)
        row_names = [f"{contents.row} {contents.first_row + i}" for i in range(_ROWS)]
        table.setHorizontalHeaderLabels(["Role", "Name", "Unit", *row_names])
        for i, column in enumerate(columns):
            role = Choice(_ROLES, column.role, f"Role of column {i + 1}")
            role.picked.connect(lambda value, i=i: self._said(i, role=value))
            role.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
            cell = QWidget()
            inside = row(role)
            inside.setContentsMargins(2, 2, 4, 2)
            cell.setLayout(inside)
            table.setCellWidget(i, _ROLE, cell)
            for at, text, what in ((_NAME, column.name, "name"), (_UNIT, column.unit, "unit")):
                field = QLineEdit(text)
                field.setAccessibleName(f"{what.capitalize()} of column {i + 1}")
                field.setPlaceholderText(f"column {i + 1}" if what == "name" else "none")
                field.setEnabled(column.role != "leave out")
                field.editingFinished.connect(
                    lambda i=i, field=field, what=what, was=text: (
                        self._said(i, **{what: field.text().strip()})
                        if field.text().strip() != was
                        else None
                    )
                )
                table.setCellWidget(i, at, field)
            for n, text in enumerate(self._values[i]):
                item = QTableWidgetItem(text)
                side = Qt.AlignmentFlag.AlignLeft if column.note else Qt.AlignmentFlag.AlignRight
                item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
                item.setFont(font())
                if column.role == "leave out":
                    item.setForeground(pg.mkColor(self._theme.quiet))
                table.setItem(i, _FIRST + n, item)
            if column.note:
                table.setSpan(i, _FIRST, 1, _ROWS)
        self._set_widths()
        data = next((i for i, c in enumerate(columns) if c.role == "data"), 0)
        fits = chosen < len(columns) and columns[chosen].role == "data"
        table.setCurrentCell(chosen if fits else data, _FIRST)
        table.blockSignals(False)

    def _set_widths(self) -> None:
        header, table = self.table.horizontalHeader(), self.table
        assert header is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        rows = table.verticalHeader()
        assert rows is not None
        rows.setDefaultSectionSize(_LINE)
        # A short list leaves its room to the waveform.
        table.setMaximumHeight(_LINE * (table.rowCount() + 1) + 24)
        rows.setDefaultAlignment(Qt.AlignmentFlag.AlignCenter)
        widest = QFontMetrics(font()).horizontalAdvance("−0.0000000e+00")
        for i, width in ((_ROLE, 104), (_NAME, 170), (_UNIT, 76)):
            table.setColumnWidth(i, width)
            item = table.horizontalHeaderItem(i)
            assert item is not None
            item.setTextAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for i in range(_FIRST, _FIRST + _ROWS):
            table.setColumnWidth(i, min(widest, 96))

    # The waveform of the chosen column

    def _channel(self) -> int | None:
        """Number of the channel that the chosen line became."""
        at = self.table.currentRow()
        data = [i for i, c in enumerate(self.understood.columns) if c.role == "data"]
        return data.index(at) if at in data else None

    def _draw(self) -> None:
        if self._drawing is not None:
            self._drawing.cancel()
        recording, channel = self.understood.recording, self._channel()
        if channel is None:
            self.curve.setData([], [])
            self.sketch.show_scales(False)
            return

        def work(progress: Progress) -> WaveformEnvelope:
            read = recording.samples.read
            if recording.length <= EXACT_BELOW:
                return pyramid.envelope_of(read(channel, 0, recording.length), 0, _POINTS)
            built = pyramid.build(lambda a, b: read(channel, a, b), recording.length, progress)
            return built.envelope(0, recording.length, _POINTS)

        def done(envelope: WaveformEnvelope) -> None:
            self._drawing = None
            rate = recording.sample_rate
            self.sketch.show_scales(True)
            self.sketch.set_label("bottom", "Time, s" if rate else "Sample")
            name = recording.channels[channel]
            self.sketch.set_label("left", f"{name.name}, {name.unit}")
            x = np.repeat((envelope.edges[:-1] + envelope.edges[1:]) / 2, 2) / (rate or 1.0)
            y = np.stack([envelope.low, envelope.high], axis=1).ravel()
            self.curve.setData(x, y, connect="finite")
            self.sketch.box.autoRange(padding=0.02)

        def failed(error: Exception) -> None:
            self._drawing = None
            self.fault.setText(str(error))
            self.fault.setVisible(bool(str(error)))

        self._drawing = self._jobs.submit("Drawing the preview", work, done, failed, owner=self)

    def done(self, result: int) -> None:
        self._timer.stop()
        for job in (self._job, self._first, self._drawing):
            if job is not None:
                job.cancel()
        super().done(result)
