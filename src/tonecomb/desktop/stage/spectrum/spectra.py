"""The spectrum, and room beside it for that of a held trace."""

from __future__ import annotations

from PyQt6.QtCore import QObject, Qt, QTimer
from PyQt6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.estimate import Estimate
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.kit.widgets import label
from tonecomb.desktop.stage.spectrum.fold_strip import FoldStrip, TruthLines
from tonecomb.desktop.stage.spectrum.spectrum import SpectrumView
from tonecomb.desktop.state.scheduler import Scheduler

_AFTER_MS = 120


class Fading(QObject):
    """To be told whether something else is waited for. While pictures follow each other, each is
    the newest there is."""

    def __init__(self, spectrum: SpectrumView, scheduler: Scheduler) -> None:
        super().__init__(spectrum)
        self._spectrum, self._scheduler = spectrum, scheduler
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        # A method, which Qt lets go of with its object: a timer that ran when the window went would
        # call a function that Python had cleared.
        self._timer.timeout.connect(self._fade)

    def _fade(self) -> None:
        self._spectrum.set_stale(True)

    def wait(self, waits: bool) -> None:
        """Something is waited for, or no longer."""
        if waits and not self._scheduler.lively:
            self._timer.start(_AFTER_MS)
            return
        self._timer.stop()
        self._spectrum.set_stale(False)


class Spectra(QSplitter):
    """``main`` is the spectrum of what is analysed, ``second`` that of a held trace; each has its
    sentence above it while there are two."""

    def __init__(self, context: Context) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self._held, self._results, self._store = context.held, context.results, context.store
        self.setChildrenCollapsible(False)
        self.main, self.second = SpectrumView(), SpectrumView()
        self.main.setMinimumHeight(180)
        self.titles = (label("", "quiet"), label("", "quiet"))
        self.folds, self.truth = FoldStrip(), TruthLines(self.main)
        for title, view in zip(self.titles, self.views, strict=True):
            title.setFont(font(9))
            title.setWordWrap(True)
            title.setContentsMargins(70, 2, 8, 0)
            column = QWidget()
            inside = QVBoxLayout(column)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.setSpacing(0)
            inside.addWidget(title)
            inside.addWidget(view, 1)
            if view is self.main:
                inside.addWidget(self.folds)
            title.hide()
            self.addWidget(column)
        self._beside = self.widget(1)
        assert self._beside is not None
        self._beside.hide()
        self.second.follow(self.main)
        self.second.setYLink(self.main)
        context.held.changed.connect(self.show_held)
        context.watched["range"].changed.connect(self._show_range)

    @property
    def views(self) -> tuple[SpectrumView, SpectrumView]:
        """Both."""
        return self.main, self.second

    @property
    def side_by_side(self) -> bool:
        """Whether a held trace stands beside the current one."""
        return self._beside is not None and not self._beside.isHidden()

    def set_side_by_side(self, wanted: bool) -> None:
        """Put the held trace that is compared with beside the current one, each with its
        sentence and its resolution cell."""
        assert self._beside is not None
        self._beside.setVisible(wanted)
        self.setSizes([500, 500])
        for title in self.titles:
            title.setVisible(wanted)
        for view in self.views:
            view.always_cell = wanted
            view.preview(None)
        self.show_held()
        if wanted:
            self.show()

    def show_truth(self, analysis: Analysis | None) -> None:
        """Where the parts of a made recording are, and where they show."""
        self.folds.show_analysis(analysis)
        self.truth.show_analysis(analysis)

    def set_theme(self, theme: Theme) -> None:
        """Colour both, and what stands over them."""
        for view in self.views:
            view.set_theme(theme)
        self.truth.set_theme(theme)
        self.folds.update()

    def name_axis(self, named: bool) -> None:
        """Whether the frequency axis is named here."""
        for view in self.views:
            view.set_label("bottom", "Frequency, Hz" if named else "")
            view.bottom.showLabel(named)

    def show_held(self) -> None:
        """Held traces behind the spectrum, or one of them beside it."""
        self.main.show_held([] if self.side_by_side else self._held.shown)
        if not self.side_by_side:
            return
        beside, now, trace = self._held.beside, self._results.analysis, self._held.against
        self.titles[0].setText("" if now is None else now.sentence)
        sentence = (
            "Hold a trace (H) to have it here."
            if trace is None
            else (f"{self._held.called(trace)}: {self._held.sentence(trace)}")
        )
        self.titles[1].setText(sentence)
        if trace is not None:
            self.second.set_colour(self._held.colour_of(trace))
        self.second.show_analysis(beside)

    def _show_range(self, found: tuple[Estimate, ...] | None) -> None:
        """The highest, the median and the lowest of all frames behind the curve."""
        signal, method = self._store.current, self._store.method
        every: tuple[Analysis, ...] = ()
        if found and signal is not None and method is not None:
            every = tuple(Analysis.of(one, None, method, signal.recording) for one in found)
        self.main.show_range(every or None)
