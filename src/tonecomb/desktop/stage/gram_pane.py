"""The spectrogram with its choices and colour scale above it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QMenu, QVBoxLayout, QWidget

from tonecomb.core.analysis import Analysis
from tonecomb.core.estimate.spectrogram import Spectrogram
from tonecomb.core.record.pyramid import Envelope
from tonecomb.core.record.recording import Recording, Stretch
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.kit.widgets import Choice, label, row
from tonecomb.desktop.stage.gram import GramPlot
from tonecomb.desktop.stage.gram_picture import GramPicture
from tonecomb.desktop.stage.gram_sideways import SidewaysGram
from tonecomb.desktop.stage.scale_strip import ScaleStrip
from tonecomb.desktop.stage.time_strip import TimeStrip
from tonecomb.desktop.state import settings
from tonecomb.desktop.state.grams import Grams
from tonecomb.desktop.state.results import EnvelopeWanted, Results
from tonecomb.formats.report.colours import MAPS


class GramPane(QWidget):
    """Asks for a spectrogram while it is visible; ``turned`` when time is laid the other way."""

    turned = pyqtSignal()

    def __init__(self, grams: Grams, results: Results) -> None:
        super().__init__()
        self._grams, self._results = grams, results
        self._recording: Recording | None = None
        self._channel = 0
        kept = settings.settings()
        colours = str(kept.value("colours", "paper"))
        self.picture = GramPicture(colours if colours in MAPS else "paper")
        self.plot, self.sideways = GramPlot(self.picture), SidewaysGram(self.picture)
        self.pooling = Choice(
            (("max", "highest"), ("mean", "mean")), "max", "Pooling"
        )
        self.pooling.setToolTip("What of all frames and bins in it each cell shows")
        self.colours = Choice(tuple(MAPS.items()), self.picture.colours, "Colours")
        self.way = Choice(
            (("down", "time down"), ("right", "time across")),
            str(kept.value("gram way", "down")), "Way of time",
        )  # fmt: skip
        self.way.setToolTip("Whether time runs downward, or from left to right as on the waveform")
        self.scale = ScaleStrip()
        self._facts = label("", "quiet")
        self._facts.setFont(font(9))
        bar = row(self.pooling, self.way, self.colours, self.scale, self._facts)
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
            plot.wanted.connect(grams.want)
        grams.changed.connect(self._show)
        results.pyramid_ready.connect(lambda *_: self._draw_strip())
        self.plot.box.sigYRangeChanged.connect(self._draw_strip)
        self._turn()

    @property
    def shown(self) -> GramPlot | SidewaysGram:
        """The way that it is laid."""
        return self.sideways if self.way.value == "right" else self.plot

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

    def show_recording(self, recording: Recording | None, channel: int, stretch: Stretch) -> None:
        """What the document says is analysed."""
        self._recording, self._channel = recording, channel
        if recording is not None:
            for plot in (self.plot, self.sideways):
                plot.show_stretch(stretch.start, stretch.end)
        self._draw_strip()

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Levels are shown as this analysis shows its own."""
        self.picture.show_analysis(analysis)

    def _show(self, gram: Spectrogram | None) -> None:
        self.picture.show_gram(gram)
        self._facts.setText(self.picture.facts())
        self._facts.setToolTip(self._facts.text())

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

    def _draw_strip(self, *_: object) -> None:
        """The waveform beside time."""
        strip, recording = self.plot.left, self._recording
        assert isinstance(strip, TimeStrip)
        envelope: Envelope | None = None
        if recording is not None and self.isVisible():
            start, end = self.plot.times()
            fs = recording.rate
            wanted = EnvelopeWanted(
                recording.id, self._channel, max(0, round(start * fs)),
                min(recording.length, round(end * fs)), max(64, int(self.plot.box.height())),
            )  # fmt: skip
            envelope = self._results.outline(wanted)
        strip.show_envelope(envelope, recording.rate if recording is not None else 1.0)

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)  # type: ignore[arg-type]
        self.picture.point(None)
        self._grams.want(None)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._draw_strip()

    def ask_box(self, entries: list[tuple[str, object]]) -> None:
        """What is to become of a box."""
        menu = QMenu(self)
        for text, act in entries:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(act)  # type: ignore[arg-type]
        menu.exec(self.cursor().pos())
