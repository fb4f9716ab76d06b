"""Over a spectrum: the one of a single frame, and what all frames range over."""

from __future__ import annotations

from collections.abc import Callable

import pyqtgraph as pg
from PyQt6.QtCore import Qt

from tonecomb.core.estimate.averages import Single
from tonecomb.core.estimate.display import Curve
from tonecomb.core.method.sentence import seconds
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.frequency import FrequencyPlot

_NAMES = ("highest of all frames", "median", "lowest")


class FrameCurves:
    """``shown_as`` brings another analysis to what the plot shows (None where it cannot be),
    ``line`` makes of a curve what is in view."""

    def __init__(
        self,
        plot: FrequencyPlot,
        shown_as: Callable[[Analysis], Curve | None],
        line: Callable[[Curve], tuple[Array, Array]],
    ) -> None:
        self._plot, self._shown_as, self._line = plot, shown_as, line
        self.frame: Analysis | None = None
        self.alone = False  # it is the plot's own curve
        self.range: tuple[Analysis, ...] = ()
        self.curve = pg.PlotCurveItem()
        self.ranges = tuple(pg.PlotCurveItem() for _ in _NAMES)
        self._colours = ("", "")
        self.row = pg.PlotCurveItem()  # of the spectrogram, under its cursor
        self.curves = (self.curve, *self.ranges, self.row)
        for item in self.curves:
            item.setZValue(-2)
            item.hide()
            plot.addItem(item, ignoreBounds=True)

    def paint(self, theme: Theme) -> None:
        self._colours = (theme.second, theme.quiet)
        frame = pg.mkColor(theme.second)
        frame.setAlpha(170)
        self.curve.setPen(pg.mkPen(frame))
        self.row.setPen(pg.mkPen(theme.second, style=Qt.PenStyle.DotLine))
        pale = pg.mkColor(theme.quiet)
        for alpha, item in zip((150, 90, 150), self.ranges, strict=True):
            pale.setAlpha(alpha)
            item.setPen(pg.mkPen(pale))

    def show_row(self, row: tuple[Array, Array] | None) -> None:
        """Frequencies (Hz) and levels, as the plot has them, of what a spectrogram's cursor points
        at; nothing for None."""
        self.row.setVisible(row is not None)
        if row is not None:
            above = row[0] > 0
            self.row.setData(self._plot.places(row[0][above]), row[1][above])

    def draw(self, visible: bool) -> None:
        """Follow the view."""
        pairs = [(self.curve, None if self.alone else self.frame)]
        pairs += list(zip(self.ranges, self.range or (None,) * len(_NAMES), strict=True))
        for item, analysis in pairs:
            drawn = self._shown_as(analysis) if visible and analysis is not None else None
            item.setVisible(drawn is not None)
            if drawn is not None:
                item.setData(*self._line(drawn))

    @property
    def named(self) -> str:
        """What the plot's own curve is, where it is the frame; "" where it is not."""
        return _named(self.frame) if self.alone and self.frame is not None else ""

    def told(self) -> list[tuple[str, str]]:
        """Colours and what stands for them."""
        lines = []
        if self.frame is not None and not self.alone:
            lines.append((self._colours[0], _named(self.frame)))
        if self.range:
            lines.append((self._colours[1], ", ".join(_NAMES)))
        return lines


def _named(frame: Analysis) -> str:
    """Which frame, or slice, an analysis is of."""
    method, stretch = frame.method, frame.method.source.stretch
    average, kind = method.averaging.average, "frame"
    at = average.at if isinstance(average, Single) else None
    if at is None and stretch is not None:
        at = (stretch.start + stretch.end) / 2
        kind = f"slice of {frame.resolution.stretch_s:.4g} s"
    return f"{kind} at {seconds(at or 0.0, frame.fs)} s"
