"""The filters' response, and before and after them: waveforms, spectra, and what they took out."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QStackedLayout, QVBoxLayout, QWidget

from tonecomb.core.base.units import unit
from tonecomb.core.method import document as edits
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.before_after import BeforeAfter, taken_by
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step
from tonecomb.desktop.kit.plot import AXIS_WIDTH
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.kit.widgets import Choice, label, row
from tonecomb.desktop.stage.pane import Pane, Views
from tonecomb.desktop.stage.response import FilterPlot, changed, with_responses
from tonecomb.desktop.stage.spectrum import TAKEN
from tonecomb.desktop.stage.wave_strips import Strip, WaveStrips
from tonecomb.formats.kinds.before_after import change_words

_LISTED = 3


class BeforeAfterPane(Pane):
    """The response on top, whose edges are dragged; below it the waveforms with their rms, and
    which peaks changed."""

    def __init__(self, views: Views) -> None:
        super().__init__()
        self._store, self._spectrum = views.context.store, views.spectrum
        self._watched = views.context.watched["before-after"]
        self.plot, self.strips = FilterPlot(), WaveStrips()
        self.plots = (self.plot,)
        self.part = Choice(((False, "Gain"), (True, "Phase")), False, "Gain or phase")
        self.part.picked.connect(self._choose_part)
        self.told: QLabel = label("", "quiet")
        self.told.setFont(font(9))
        self.told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        bar = row(self.part, self.told, None, spacing=12)
        bar.setContentsMargins(AXIS_WIDTH + 4, 2, 8, 0)
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
        column = QVBoxLayout(shown)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(bar)
        column.addWidget(self.plot, 1)
        column.addWidget(self.strips)
        column.addStretch(0)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(pages)
        self.plot.edge_moved.connect(self._move_edge)
        self._watched.changed.connect(self._show)
        self._show(None)

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

    def _show(self, result: BeforeAfter | None) -> None:
        pairs = [] if result is None else [("before", result.before), ("taken out", result.removed)]
        self._spectrum.taken.show(pairs)
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
                    names, result.waves, result.rms, (TAKEN[0], 0, TAKEN[1]), strict=True
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
        super().hideEvent(event)  # type: ignore[arg-type]
        self._watched.want(False)
        self._spectrum.taken.show([])

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._watched.want(True)
        self.plot.fit()
        self._show(self._watched.shown)
