"""The spectrogram with its choices and colour scale above it."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu, QVBoxLayout, QWidget

from tonecomb.core.analysis import Analysis
from tonecomb.core.pyramid import Envelope
from tonecomb.core.recording import Recording, Stretch
from tonecomb.core.spectrogram import Spectrogram
from tonecomb.desktop import settings
from tonecomb.desktop.grams import Grams
from tonecomb.desktop.results import EnvelopeWanted, Results
from tonecomb.desktop.stage.gram import GramPlot
from tonecomb.desktop.stage.scale_strip import ScaleStrip
from tonecomb.desktop.stage.time_strip import TimeStrip
from tonecomb.desktop.theme import Theme, font
from tonecomb.desktop.widgets import Choice, label, row
from tonecomb.formats.report.colours import MAPS


class GramPane(QWidget):
    """Asks for a spectrogram while it is visible."""

    def __init__(self, grams: Grams, results: Results) -> None:
        super().__init__()
        self._grams, self._results = grams, results
        self._recording: Recording | None = None
        self._channel = 0
        self.plot = GramPlot()
        kept = settings.settings()
        colours = str(kept.value("colours", "paper"))
        self.pooling = Choice(
            (("max", "highest of each cell"), ("mean", "mean of each cell")), "max", "Pooling"
        )
        self.colours = Choice(tuple(MAPS.items()), colours if colours in MAPS else "paper",
                              "Colours")  # fmt: skip
        self.scale = ScaleStrip()
        self._facts = label("", "quiet")
        self._facts.setFont(font(9))
        self.plot.colours = self.colours.value
        bar = row(self.pooling, self.colours, self.scale, self._facts)
        bar.setStretch(2, 1)
        bar.setContentsMargins(70, 2, 8, 0)
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        inside.addLayout(bar)
        inside.addWidget(self.plot, 1)
        for choice in (self.pooling, self.colours):
            choice.picked.connect(self._choose)
        self.scale.changed.connect(self.plot.set_ends)
        self.scale.automatic.connect(self.plot.fit_ends)
        self.plot.levels_changed.connect(self._levels)
        self.plot.wanted.connect(grams.want)
        grams.changed.connect(self._show)
        results.pyramid_ready.connect(lambda *_: self._draw_strip())
        self.plot.box.sigYRangeChanged.connect(self._draw_strip)

    def set_theme(self, theme: Theme) -> None:
        self.scale.theme = theme
        self.plot.set_theme(theme)
        self._levels()

    def show_recording(self, recording: Recording | None, channel: int, stretch: Stretch) -> None:
        """What the document says is analysed."""
        self._recording, self._channel = recording, channel
        if recording is not None:
            self.plot.show_stretch(stretch.start, stretch.end)
        self._draw_strip()

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Levels are shown as this analysis shows its own."""
        self.plot.show_analysis(analysis)

    def _show(self, gram: Spectrogram | None) -> None:
        self.plot.show_gram(gram)
        self._facts.setText(self.plot.facts())

    def _choose(self, _: object) -> None:
        settings.settings().setValue("colours", self.colours.value)
        self.plot.choose(self.pooling.value, self.colours.value)

    def _levels(self) -> None:
        self.scale.unit = self.plot.unit
        self.scale.show_levels(self.plot.sample(), self.plot.table)
        self.scale.set_ends(*self.plot.ends)

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
