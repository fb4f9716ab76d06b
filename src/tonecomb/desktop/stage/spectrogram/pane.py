"""The spectrogram with its choices and colour scale above it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout

from tonecomb.core.record.pyramid import WaveformEnvelope
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.spectrogram import Spectrogram
from tonecomb.desktop.edits.combs import ShownComb
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.kit.widgets import Choice, label, row
from tonecomb.desktop.stage.panes.pane import Pane, Views
from tonecomb.desktop.stage.plots import box_menu
from tonecomb.desktop.stage.plots.scale_strip import ScaleStrip
from tonecomb.desktop.stage.spectrogram.picture import GramPicture
from tonecomb.desktop.stage.spectrogram.plot import GramPlot
from tonecomb.desktop.stage.spectrogram.sideways import SidewaysGram
from tonecomb.desktop.stage.spectrogram.time_strip import TimeStrip
from tonecomb.desktop.state.envelopes import EnvelopeWanted
from tonecomb.formats.report.colours import MAPS
from tonecomb.formats.report.figures import Panel


class GramPane(Pane):
    """Asks for a spectrogram while it is visible; ``turned`` when time is laid the other way."""

    def __init__(self, views: Views) -> None:
        super().__init__()
        self._context = views.context
        self._grams = views.context.watched["spectrogram"]
        self._envelopes, self._waveform = views.context.envelopes, views.waveform
        self._signal: Signal | None = None
        self._channel = 0
        kept = settings.settings()
        colours = str(kept.value("colours", "paper"))
        self.picture = GramPicture(colours if colours in MAPS else "paper")
        self.plot, self.sideways = GramPlot(self.picture), SidewaysGram(self.picture)
        self.plots = (self.plot,)
        self.pooling = Choice((("max", "highest"), ("mean", "mean")), "max", "Pooling")
        self.pooling.setToolTip("What of all frames and bins in it each cell shows")
        self.colours = Choice(tuple(MAPS.items()), self.picture.colours, "Colours")
        self.way = Choice(
            (("down", "time down"), ("right", "time across")),
            str(kept.value("gram way", "down")),
            "Way of time",
        )
        self.way.setToolTip("Whether time runs downward, or from left to right as on the waveform")
        self.scale = ScaleStrip()
        self._tip = self.scale.toolTip()
        self._facts = label("", "quiet")
        self._facts.setFont(font(9))
        self._bar = bar = row(self.pooling, self.way, self.colours, self.scale, self._facts)
        bar.setStretch(3, 1)
        bar.setContentsMargins(70, 2, 8, 0)
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        inside.addLayout(bar)
        inside.addWidget(self.plot, 1)
        inside.addWidget(self.sideways, 1)
        for choice in (self.pooling, self.colours):
            choice.picked.connect(self._choose)
        self.way.picked.connect(lambda _: self._turn())
        self.scale.changed.connect(self.picture.set_ends)
        self.scale.automatic.connect(self.picture.fit_ends)
        self.picture.levels_changed.connect(self._levels)
        for plot in (self.plot, self.sideways):
            plot.wanted.connect(self._grams.want)
            plot.time_clicked.connect(self.clicked)
            plot.box_chosen.connect(self.box_chosen)
            plot.regions.drawn.connect(lambda one: box_menu.ask_outline(self, self._context, one))
        self.sideways.follow(views.spectrum, views.waveform)
        self.sideways.pointed.connect(self.pointed)
        self.picture.pointed.connect(views.spectrum.show_row)
        self._grams.changed.connect(self._show)
        self._envelopes.pyramid_ready.connect(lambda *_: self._draw_strip())
        self.plot.box.sigYRangeChanged.connect(self._draw_strip)
        self._turn()

    @property
    def shown(self) -> GramPlot | SidewaysGram:
        """The way that it is laid."""
        return self.sideways if self.way.value == "right" else self.plot

    def outline(self) -> None:
        """Let the next drag draw an outline."""
        self.shown.regions.outline_next(not self.shown.regions.outlining)

    def _turn(self) -> None:
        """Lay time downward or to the right."""
        settings.settings().setValue("gram way", self.way.value)
        for plot in (self.plot, self.sideways):
            plot.setVisible(plot is self.shown)
        self.turned.emit()

    def set_theme(self, theme: Theme) -> None:
        self.scale.theme = theme
        for plot in (self.plot, self.sideways):
            plot.set_theme(theme)
        self.picture.set_theme(theme)
        self._levels()

    def show_signal(self, signal: Signal, channel: int, stretch: Stretch) -> None:
        self._signal, self._channel = signal, channel
        for axis in (self.plot.left, self.sideways.bottom):
            axis.count_from(signal.duration if signal.recording.live else 0.0)
        for plot in (self.plot, self.sideways):
            plot.show_stretch(stretch.start, stretch.end)
            plot.regions.show(self._context.isolating.regions, stretch.start, stretch.end)
        self._draw_strip()

    def set_decibels(self, decibels: bool) -> None:
        self.picture.set_decibels(decibels)

    def show_combs(self, combs: Sequence[ShownComb]) -> None:
        self.sideways.show_combs(combs)

    def show_marks(self, marks: Sequence[tuple[float, str]]) -> None:
        self.sideways.show_marks(marks)

    def zoom(self, start: float, end: float) -> bool:
        self.plot.box.setYRange(start, end, padding=0)
        return self.shown is self.plot

    @property
    def place(self) -> tuple[float, float] | None:
        return self.shown.cursor

    def fit(self) -> None:
        self.plot.show_all()

    def panel(self, analysis: Analysis) -> Callable[[], Panel] | None:
        from tonecomb.formats.report.figures_in_time import GramLook, gram_panel

        picture, gram = self.picture, self.picture.gram
        look = GramLook(
            picture.decibels, picture.ends, picture.colours, self.shown is self.sideways
        )
        return None if gram is None else lambda: gram_panel(analysis, gram, look)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Levels are shown as this analysis shows its own."""
        self.picture.show_analysis(analysis)

    def _show(self, gram: Spectrogram | None) -> None:
        self.picture.show_gram(gram)
        self._facts.setText(self.picture.facts())
        self._facts.setToolTip(self._facts.text())
        self._make_room()

    def _choose(self, _: object) -> None:
        settings.settings().setValue("colours", self.colours.value)
        self.picture.choose(self.pooling.value, self.colours.value)
        self.shown.ask()

    def _levels(self) -> None:
        self.scale.unit = self.picture.unit
        self.scale.show_levels(self.picture.sample(), self.picture.table)
        self.scale.set_ends(*self.picture.ends)

    def show_moment(self, time: float | None) -> None:
        """A line at the time (s) whose frame is shown; none for None."""
        for plot in (self.plot, self.sideways):
            plot.lines.show_moment(time)

    def show_time(self, time: float | None) -> None:
        """A line at the time (s) that another view points at; none for None."""
        for plot in (self.plot, self.sideways):
            plot.lines.show_time(time if self.picture.gram is not None else None)

    def _make_room(self) -> None:
        """How many frames there are is told by the scale's tooltip where there is no room."""
        self._facts.show()
        self.scale.setToolTip(f"{self._tip}\n{self._facts.text()}")
        self._facts.setVisible(self._bar.minimumSize().width() <= self.width())

    def resizeEvent(self, event: Any) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _draw_strip(self, *_: object) -> None:
        """The waveform beside time."""
        strip, signal = self.plot.left, self._signal
        assert isinstance(strip, TimeStrip)
        envelope: WaveformEnvelope | None = None
        if signal is not None and self.isVisible():
            start, end = self.plot.times()
            fs = signal.rate
            wanted = EnvelopeWanted(
                signal.id,
                self._channel,
                max(0, round(start * fs)),
                min(signal.length, round(end * fs)),
                max(64, int(self.plot.box.height())),
            )
            envelope = self._envelopes.outline(wanted)
        strip.show_envelope(envelope, signal.rate if signal is not None else 1.0)

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)  # type: ignore[arg-type]
        self.picture.point(None)
        self._grams.want(None)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._draw_strip()
