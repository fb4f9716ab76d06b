"""The trend view: tracks, levels and figures of the frames against time."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.trend import Trend
from tonecomb.core.steps.regions import MOST_POINTS, RegionTooth
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.kit.widgets import Choice, link
from tonecomb.desktop.stage.panes.pane import Views
from tonecomb.desktop.stage.panes.result_pane import ResultPane
from tonecomb.desktop.stage.plots.lines import LinesPlot
from tonecomb.formats.kinds.trend import lines_of
from tonecomb.formats.report.figures import Panel

_HALF_FRAMES = 4.0  # bins of a half-overlapped frame to each side of a track that is kept
_SHOWN = (
    ("levels", "Levels of bands and tracks"),
    ("rms", "Rms of the frames"),
    ("crest", "Crest factor"),
    ("kurtosis", "Kurtosis"),
)


class TrendPane(ResultPane):
    """Frequencies of the tracks above, levels or figures below, on one time axis."""

    kind = "trend"

    def __init__(self, views: Views) -> None:
        super().__init__(views, quiet=True)
        self.found: Trend | None
        self.above, self.below = LinesPlot(), LinesPlot()
        self.shown = Choice(_SHOWN, "levels", "What is shown against time")
        self.shown.picked.connect(lambda _: self._draw())
        self.edit = link(
            "Follow…", "Choose tones and combs to follow (Shift+T)", self.edit_wanted.emit
        )
        self._isolating = views.context.isolating
        self.alone = link(
            "Keep only the first",
            "Keep what lies about the first track alone, for all views and to listen to (Shift+Z "
            "swaps)",
            self._keep_first,
        )
        bar = [self.edit, self.shown, self.alone, self.told, None]
        self.lay_out(bar, self.above, self.below, gap=0)
        for plot in (self.above, self.below):
            plot.pointed.connect(self.show_cursor)
            plot.pointed.connect(self.pointed)
            plot.clicked.connect(self.clicked)
            plot.setXLink(views.waveform)
        self._draw()

    def set_theme(self, theme: Theme) -> None:
        for plot in (self.above, self.below):
            plot.set_theme(theme)

    def show_cursor(self, time: float | None) -> None:
        """A line at a time (s) through both."""
        for plot in (self.above, self.below):
            plot.show_cursor(time)

    def fit(self) -> None:
        """All values."""
        for plot in (self.above, self.below):
            plot.fit()

    def show_result(self, found: Trend | None) -> None:
        self.found = found
        self._draw()

    def _draw(self) -> None:
        trend = self.found
        tracks = () if trend is None else trend.tracks
        self.above.setVisible(bool(tracks))
        self.alone.setVisible(bool(tracks))
        if trend is None:
            self.told.setText("")
            self.below.show_lines(np.zeros(0), [], "", "")
            return
        names = [track.wanted.title for track in tracks]
        self.told.setText(f"{len(trend.time)} frames, every {trend.hop_s:.3g} s")
        shown = [(name, t.frequency) for name, t in zip(names, tracks, strict=True)]
        self.above.show_lines(trend.time, shown, "Frequency", "Hz")
        self.above.bottom.showLabel(False)
        lines, title, unit = lines_of(trend, self.shown.value)
        self.below.show_lines(trend.time, lines, title, unit)

    def _keep_first(self) -> None:
        """Isolate the first track, with as much beside it as a frame tells apart."""
        if self.found is None or not self.found.tracks:
            return
        track, time = self.found.tracks[0], self.found.time
        good = np.isfinite(track.frequency)
        if not good.any():
            return
        teeth = track.wanted.teeth
        half = 0.0 if teeth else _HALF_FRAMES / (self.found.hop_s * 2)
        points = zip(time[good].tolist(), track.frequency[good].tolist(), strict=True)
        self._isolating.mark(RegionTooth(1, half, tuple(points)[:MOST_POINTS]), out=False)

    def panel(self, analysis: Analysis) -> Callable[[], Panel] | None:
        from tonecomb.formats.report.figures_in_time import trend_panel

        trend, kind = self.found, self.shown.value
        return None if trend is None else lambda: trend_panel(trend, *lines_of(trend, kind))
