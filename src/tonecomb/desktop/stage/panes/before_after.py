"""The filters' response, and before and after them: waveforms, spectra, and what they took out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QStackedLayout, QVBoxLayout, QWidget

from tonecomb.core.base.units import unit
from tonecomb.core.method import document as edits
from tonecomb.core.record.pyramid import WaveformEnvelope
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.before_after import BeforeAfter, taken_by
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step
from tonecomb.desktop.kit.plot import AXIS_WIDTH
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.desktop.kit.widgets import Choice, label
from tonecomb.desktop.stage.panes.pane import Views
from tonecomb.desktop.stage.panes.response import FilterPlot, changed, with_responses
from tonecomb.desktop.stage.panes.result_pane import ResultPane
from tonecomb.desktop.stage.plots.curves import BEHIND, NamedCurve, Pen
from tonecomb.formats.kinds.before_after import change_words

ROW = 34  # pixels
_BEFORE, _REMOVED = 2, 3  # colours of the traces
_FIGURE = 150  # pixels at the right


@dataclass(frozen=True, eq=False)
class Strip:
    """An ``envelope`` with its name, what is said at its right, and the number of its colour."""

    name: str
    envelope: WaveformEnvelope
    figure: str
    colour: int


class WaveStrips(QWidget):
    """Draws strips; nothing while there are none."""

    def __init__(self) -> None:
        super().__init__()
        self._theme: Theme = PAPER
        self.strips: tuple[Strip, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set_theme(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_strips(self, strips: Sequence[Strip]) -> None:
        """Draw these."""
        self.strips = tuple(strips)
        self.setFixedHeight(ROW * len(self.strips))
        self.setAccessibleName("; ".join(f"{one.name} {one.figure}" for one in strips))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self.strips:
            return
        painter = QPainter(self)
        painter.setFont(font(9))
        ends = [(np.nanmin(one.envelope.low), np.nanmax(one.envelope.high)) for one in self.strips]
        # One scale for all, so that heights can be compared; each about its own middle.
        size = max(max(high - low for low, high in ends), 1e-300)
        left, width = AXIS_WIDTH + 2.0, self.width() - AXIS_WIDTH - _FIGURE - 8.0
        first = min(one.envelope.edges[0] for one in self.strips)
        span = max(one.envelope.edges[-1] for one in self.strips) - first
        for i, (one, (low, high)) in enumerate(zip(self.strips, ends, strict=True)):
            middle, scale = (i + 0.5) * ROW, 0.92 * ROW / size
            centre = (low + high) / 2
            painter.setPen(QColor(self._theme.quiet))
            name = QRectF(0, i * ROW, AXIS_WIDTH - 8, ROW)
            painter.drawText(name, _RIGHT, one.name)
            x = left + width * (one.envelope.edges - first) / span
            x = np.repeat(x, 2)[1:-1]
            top = middle - np.repeat(one.envelope.high - centre, 2) * scale
            bottom = middle - np.repeat(one.envelope.low - centre, 2) * scale
            good = np.isfinite(top) & np.isfinite(bottom)
            across = np.concatenate([x[good], x[good][::-1]])
            upright = np.concatenate([top[good], bottom[good][::-1]])
            colour = QColor(self._theme.traces[one.colour])
            painter.setPen(QPen(colour, 0.8))
            painter.setBrush(colour)
            points = zip(across.tolist(), upright.tolist(), strict=True)
            painter.drawPolygon(QPolygonF([QPointF(a, b) for a, b in points]))
            painter.setPen(QColor(self._theme.ink))
            figure = QRectF(left + width + 8, i * ROW, _FIGURE - 8, ROW)
            painter.drawText(figure, _LEFT, one.figure)


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter


_LISTED = 3


class BeforeAfterPane(ResultPane):
    """The response on top, whose edges are dragged; below it the waveforms with their rms, and
    which peaks changed."""

    kind = "before-after"

    def __init__(self, views: Views) -> None:
        super().__init__(views, quiet=True)
        self._store, self._spectrum = views.context.store, views.spectrum
        self.plot, self.strips = FilterPlot(), WaveStrips()
        self.plots = (self.plot,)
        self.part = Choice(((False, "Gain"), (True, "Phase")), False, "Gain or phase")
        self.part.picked.connect(self._choose_part)
        self.told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        pages, shown = QWidget(), QWidget()
        self.pages = QStackedLayout(pages)
        teaching = label(
            "Nothing is filtered. Add a low-pass, a notch or another filter to the steps before "
            "the analysis (C).",
            "quiet",
            wrap=True,
        )
        teaching.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.pages.addWidget(teaching)
        self.pages.addWidget(shown)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(pages)
        column = self.lay_out([self.part, self.told, None], self.plot)
        column.addWidget(self.strips)
        column.addStretch(0)
        shown.setLayout(column)
        self.plot.edge_moved.connect(self._move_edge)
        self.show_result(None)

    def set_theme(self, theme: Theme) -> None:
        self.plot.set_theme(theme)
        self.strips.set_theme(theme)

    def show_signal(self, signal: Signal, channel: int, stretch: Stretch) -> None:
        method = self._store.method
        steps: tuple[Step, ...] = () if method is None else method.source.steps
        taking = bool(taken_by(steps))
        if (page := 1 if taking else 0) != self.pages.currentIndex():
            self.pages.setCurrentIndex(page)
            self.turned.emit()  # which view names the frequency axis
        rates = [prepare(signal.recording, steps[:i]).rate for i in range(len(steps))]
        shown = with_responses(steps, rates) if taking else ()
        for part in (self.plot, self.part):
            part.setVisible(bool(shown))
        self.plot.show_steps(shown)

    def show_analysis(self, analysis: Analysis | None) -> None:
        self.plot.take_axis()

    def fit(self) -> None:
        self.plot.fit()

    def _choose_part(self, phase: bool) -> None:
        self.plot.phase = phase
        self.plot.fit()
        self.plot.show_steps(self.plot.steps)

    def _move_edge(self, number: int, step: Step, finished: bool) -> None:
        ref, method = self._store.ref, self._store.method
        if not finished or ref is None or method is None:
            return
        steps = changed(method.source.steps, number, step)
        self._store.apply("Move a filter's edge", edits.set_steps(self._store.document, ref, steps))

    def show_result(self, result: BeforeAfter | None) -> None:
        curves = []
        if result is not None:
            curves = [
                NamedCurve("before", result.before, Pen(_BEFORE, BEHIND)),
                NamedCurve("taken out", result.removed, Pen(_REMOVED, BEHIND)),
            ]
        self._spectrum.show_beside(self._spectrum.filtered, curves)
        if result is None:
            self.told.setText("")
            self.strips.show_strips(())
            return
        symbol = unit(result.after.channel.unit).symbol
        names = ("before", "after", "taken out")
        self.strips.show_strips(
            [
                Strip(name, wave, f"{rms:.4g} {symbol} rms", colour)
                for name, wave, rms, colour in zip(
                    names, result.waves, result.rms, (_BEFORE, 0, _REMOVED), strict=True
                )
            ]
        )
        every = result.changed
        words = {one: f"{one.frequency:.5g} Hz {change_words(one)}" for one in every}
        most = sorted(every, key=lambda one: one.change_db)[:_LISTED]
        listed = [words[one] for one in every if one in most]
        more = f" and {len(every) - len(listed)} more" if len(every) > len(listed) else ""
        count = f"{len(every)} of {len(result.changes)} peaks changed"
        self.told.setText(count + (f": {'; '.join(listed)}{more}" if every else ""))
        self.told.setToolTip("\n".join(["Changed by over 0.1 dB:", *words.values()]))

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)
        self._spectrum.show_beside(self._spectrum.filtered, [])

    def showEvent(self, event: object) -> None:
        super().showEvent(event)
        self.plot.fit()
        self.show_result(self._watched.shown)
