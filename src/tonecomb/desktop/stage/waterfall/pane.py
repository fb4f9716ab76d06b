"""The waterfall with its choices above it."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import replace

from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.slices import Slices, Slicing
from tonecomb.core.results.spectrogram import View
from tonecomb.desktop.edits.combs import ShownComb
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.desktop.kit.widgets import Choice, Number, label, row
from tonecomb.desktop.stage.panes.pane import Pane, Views
from tonecomb.desktop.stage.waterfall.pooled import Relief, relief_of
from tonecomb.desktop.stage.waterfall.view import WaterfallView
from tonecomb.desktop.state.scheduler import Slot, Want
from tonecomb.formats.report import colours

_KINDS = (
    ("ink", "lines in one ink"),
    ("time", "lines coloured in time"),
    ("shaded", "shaded surface"),
    ("level", "surface by level"),
)
_POINTS = 420


class WaterfallPane(Pane):
    """Follows the frequencies of the spectrum."""

    def __init__(self, views: Views) -> None:
        super().__init__()
        self._results, self._main = views.context.watched["slices"], views.spectrum
        self._store = views.context.store
        self._analysis: Analysis | None = None
        self._slices: Slices | None = None
        self._decibels = True
        self._theme: Theme = PAPER
        self._combs: Sequence[ShownComb] = ()
        self.view = WaterfallView(views.context.jobs)
        kept = settings.settings().value("waterfall", "ink")
        self.kind = Choice(_KINDS, kept if kept in dict(_KINDS) else "ink", "How it is drawn")
        self.where = Choice(
            (
                ("even", "evenly"),
                ("every", "s apart"),
                ("at", "at times"),
                ("marks", "at the marks"),
            ),
            "even",
            "Where the slices lie",
        )
        self.count = Number(60, 1, 400, 0, "slices")
        self.count.setAccessibleName("How many slices")
        self.every = Number(1.0, 1e-4, 1e6, 4, "s apart", shortest=True)
        self.every.setAccessibleName("How far the slices lie apart")
        self.times = QLineEdit()
        self.times.setPlaceholderText("12.5 30 47")
        self.times.setAccessibleName("Times of the slices in s")
        self.times.setToolTip("Times of the slices in s, with spaces between")
        self.width_s = Number(0.0, 0.0, 1e6, 4, "s wide", shortest=True)
        self.width_s.setAccessibleName("How much time each averages")
        self.width_s.setToolTip("Average so much time in each slice; 0 for a single frame")
        self.front = Choice(
            (("start", "start in front"), ("end", "end in front")), "start", "Which end is in front"
        )
        self.floor = Choice((("no", "no map"), ("map", "map on the floor")), "no", "Map")
        self.every.hide()
        self.times.hide()
        for field in (self.count, self.every, self.width_s):
            field.setMinimumWidth(84)
        bar = row(
            self.kind,
            self.where,
            self.count,
            self.every,
            self.times,
            self.width_s,
            self.front,
            self.floor,
            None,
        )
        bar.setContentsMargins(12, 2, 8, 0)
        self._told = label("", "quiet")
        self._told.setFont(font(9))
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        inside.addLayout(bar)
        inside.addWidget(self.view, 1)
        for choice in (self.kind, self.front, self.floor):
            choice.picked.connect(self._choose)
        self.where.picked.connect(lambda _: self._want())
        for field in (self.count, self.every, self.width_s):
            field.valueChanged.connect(lambda _: self._want())
        self.times.editingFinished.connect(self._want)
        self._relief = Slot(views.context.scheduler, self._wanted, patient=True)
        self._relief.changed.connect(self._show_relief)
        self._results.changed.connect(self._show)
        self.view.slice_chosen.connect(self.clicked)
        self._main.box.sigXRangeChanged.connect(lambda *_: self._draw())
        self._choose(None)

    def set_theme(self, theme: Theme) -> None:
        self._theme = self.view.theme = theme
        self._show_relief(self._relief.shown)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Levels are shown as this analysis shows its own."""
        self._analysis = analysis
        self._draw()

    def set_decibels(self, decibels: bool) -> None:
        """Levels in dB, or linear."""
        self._decibels = decibels
        self._draw()

    def show_combs(self, combs: Sequence[ShownComb]) -> None:
        """Let the teeth of combs run along the foot."""
        self._combs = combs
        self.view.teeth = [
            (tooth.expected, QColor(self._theme.traces[shown.colour]).name())
            for shown in combs
            for tooth in shown.comb.teeth
        ]
        self.view.update()

    def _choose(self, _: object) -> None:
        settings.settings().setValue("waterfall", self.kind.value)
        end_first = self.front.value == "end"
        self.view.stance = replace(self.view.stance, end_first=end_first)
        self.view.choose(self.kind.value, self.floor.value == "map")
        self.floor.setVisible(self.kind.value in ("shaded", "level"))

    def _want(self) -> None:
        if not self.isVisible():
            return
        where, width = self.where.value, self.width_s.value() or None
        times = self._marks() if where == "marks" else self._typed() * (where == "at")
        self.count.setVisible(where == "even")
        self.every.setVisible(where == "every")
        self.times.setVisible(where == "at")
        if where == "every":
            self._results.want(Slicing(every=self.every.value(), width=width))
        elif times:
            self._results.want(Slicing(at=times, width=width))
        else:
            self._results.want(Slicing(count=int(self.count.value()), width=width))

    def _marks(self) -> tuple[float, ...]:
        """Times of the recording's marks (s)."""
        ref = self._store.ref
        return () if ref is None else tuple(mark.time for mark in ref.marks)

    def show_moment(self, time: float | None) -> None:
        self.view.single_out(time)

    @property
    def as_drawn(self) -> QWidget:
        return self.view

    def _typed(self) -> tuple[float, ...]:
        """The times that were typed; what is no number is passed over."""
        values = []
        for text in self.times.text().replace(",", " ").replace(";", " ").split():
            with contextlib.suppress(ValueError):
                values.append(float(text))
        return tuple(values)

    def _show(self, slices: Slices | None) -> None:
        self._slices = slices
        self._draw()

    def _draw(self) -> None:
        """Have the relief of what is in view: what is under way ends, and the newest follows."""
        self._relief.follow_now()

    def _show_relief(self, relief: Relief | None) -> None:
        table = colours.table("paper", dark=self._theme.name == "Night")
        self.view.show_relief(relief, table)

    def _wanted(self) -> Want | None:
        slices, analysis = self._slices, self._analysis
        if slices is None or analysis is None or not self.isVisible():
            return None
        if analysis.method.shown.display.drawn != "bins" and not slices.has_curves(analysis.method):
            return self._relief.wanted  # those that are drawn so are on their way
        low, high = self._main.limits()
        view = View(1, _POINTS, low=max(low, 0.0), high=high, log=self._main.bottom.log)
        decibels = self._decibels
        return Want(
            ("relief", slices, analysis.method.shown, analysis.channel, view, decibels),
            "Drawing the relief",
            lambda _: relief_of(slices, analysis, view, decibels=decibels),
            background=True,
            kept=False,
        )

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)  # type: ignore[arg-type]
        self._results.want(None)
        self._draw()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._want()
        self._draw()
