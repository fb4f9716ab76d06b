"""Hits that repeat: the bands in which they ring, and the spectrum of the clearest envelope."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout

from tonecomb.core.find.hits import HitBand, HitEnvelopes
from tonecomb.desktop.edits.envelope import analyse_envelope
from tonecomb.desktop.kit.plot import AXIS_WIDTH
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.kit.widgets import label, link, row
from tonecomb.desktop.stage.band_map import BandMap
from tonecomb.desktop.stage.lines import LinesPlot
from tonecomb.desktop.stage.pane import Pane, Views
from tonecomb.formats.kinds.hits import hits_words

_LINES = 6
_TIMES = 8.0  # the rate of hits, that are shown at first


class EnvelopePane(Pane):
    """What was found in words, the map of bands, and the envelope's spectrum with the lines of the
    hits. A band is analysed by a click: its envelope is put into the method line."""

    def __init__(self, views: Views) -> None:
        super().__init__()
        context = views.context
        self._store, self._notes = context.store, context.notes
        self._watched = context.watched["hits"]
        self.found: HitEnvelopes | None = None
        self.map, self.plot = BandMap(), LinesPlot("Frequency of the envelope", "Hz")
        self.told: QLabel = label("", "")
        self.told.setFont(font(10))
        self.take = link(
            "Analyse this envelope",
            "Put the outlined band's envelope into the method line: peaks, combs and all views are "
            "then its",
            self._take,
        )
        bar = row(self.told, self.take, None, spacing=16)
        bar.setContentsMargins(AXIS_WIDTH + 4, 2, 8, 0)
        below = QHBoxLayout()
        below.setContentsMargins(0, 0, 0, 0)
        below.addWidget(self.plot, 1)
        below.addWidget(self.map)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(bar)
        column.addLayout(below, 1)
        self.plot.pointed.connect(self.plot.show_cursor)
        self.map.picked.connect(self._analyse)
        self._watched.changed.connect(self._show)
        self._show(None)

    def set_theme(self, theme: Theme) -> None:
        self.plot.set_theme(theme)
        self.map.set_theme(theme)

    def fit(self) -> None:
        """The lines of the hits, or all there is."""
        found = self.found
        if found is None:
            return
        high = float(found.frequency[-1])
        if found.hits:
            high = min(high, _TIMES * found.hits[0].frequency)
        self.plot.box.setXRange(0, high, padding=0)
        self.plot.fit()

    def _show(self, found: HitEnvelopes | None) -> None:
        self.found = found
        self.take.setVisible(found is not None)
        if found is None:
            self.told.setText("")
            self.map.show_bands((), None)
            self.plot.show_lines(np.zeros(0), [], "", "")
            self.plot.show_places(())
            return
        said = self._notes.knowledge
        words = [hits_words(one, said) for one in found.hits]
        band = found.shown
        self.told.setText(
            words[0][:1].upper() + words[0][1:]
            if words
            else f"No hits that repeat. The liveliest band is {band.low:.5g}–{band.high:.5g} Hz."
        )
        self.told.setToolTip("\n".join(words))
        self.map.show_bands(found.bands, found.shown)
        self.plot.show_lines(
            found.frequency,
            [("over its noise", found.over_db)],
            "Squared envelope over noise",
            "dB",
        )
        places = [
            (n * one.frequency, f"{n}" if n > 1 else f"{one.frequency:.5g} Hz")
            for one in found.hits[:1]
            for n in range(1, _LINES + 1)
        ]
        top = float(found.frequency[-1])
        for one in said.known:
            at = one.value * (said.shaft or 0.0) if one.of_shaft else one.value
            if 0 < at < top:
                places.append((at, one.name))
        self.plot.show_places(places)
        self.fit()

    def _take(self) -> None:
        if self.found is not None:
            self._analyse(self.found.shown)

    def _analyse(self, band: HitBand) -> None:
        analyse_envelope(self._store, band.low, band.high)

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)  # type: ignore[arg-type]
        self._watched.want(False)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._watched.want(True)
