"""Curves of other analyses behind a spectrum, in its scaling: what is held, what there was before,
a single frame, what all frames range over."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import pyqtgraph as pg
from PyQt6.QtCore import Qt

from tonecomb.core.estimate.averages import Single
from tonecomb.core.estimate.display import Curve
from tonecomb.core.method.sentence import seconds
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot

BEHIND = 160  # alpha of what was before, or would be
RANGE = ("highest of all frames", "median", "lowest")


@dataclass(frozen=True)
class Pen:
    """``colour`` is a number of the theme's traces, or the name of another of its colours."""

    colour: int | str
    alpha: int = 255
    dotted: bool = False

    def name(self, theme: Theme) -> str:
        """The colour in a theme, without the alpha."""
        if isinstance(self.colour, int):
            return theme.traces[self.colour]
        return str(getattr(theme, self.colour))

    def of(self, theme: Theme) -> object:
        """The pen in a theme's colours."""
        colour = pg.mkColor(self.name(theme))
        colour.setAlpha(self.alpha)
        return pg.mkPen(colour, style=Qt.PenStyle.DotLine if self.dotted else Qt.PenStyle.SolidLine)


@dataclass(frozen=True, eq=False)
class NamedCurve:
    """``name`` stands in the legend, "" leaves it out there."""

    name: str
    analysis: Analysis
    pen: Pen


@dataclass(eq=False)
class CurveSet:
    """``shown_as`` brings another analysis to what the plot shows (None where it cannot be),
    ``line`` makes of a curve what is in view."""

    plot: FrequencyPlot
    shown_as: Callable[[Analysis], Curve | None]
    line: Callable[[Curve], tuple[Array, Array]]
    shown: Sequence[NamedCurve] = ()
    curves: list[pg.PlotCurveItem] = field(default_factory=list)
    theme: Theme | None = None

    def set_theme(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.theme = theme
        for one, item in zip(self.shown, self.curves, strict=False):
            item.setPen(one.pen.of(theme))

    def show(self, shown: Sequence[NamedCurve]) -> None:
        """Show these; they are drawn by :meth:`draw`."""
        self.shown = shown
        while len(self.curves) < len(shown):
            item = pg.PlotCurveItem()
            item.setZValue(-2)
            self.curves.append(item)
            self.plot.addItem(item, ignoreBounds=True)
        while len(self.curves) > len(shown):
            self.plot.removeItem(self.curves.pop())
        if self.theme is not None:
            self.set_theme(self.theme)

    def draw(self, visible: bool) -> None:
        """Follow the view."""
        for one, item in zip(self.shown, self.curves, strict=True):
            drawn = self.shown_as(one.analysis) if visible else None
            item.setVisible(drawn is not None)
            if drawn is not None:
                item.setData(*self.line(drawn))

    def legend(self) -> list[tuple[str, str]]:
        """Colours and what stands for them."""
        theme = self.theme
        if theme is None:
            return []
        return [(one.pen.name(theme), one.name) for one in self.shown if one.name]


def frame_name(frame: Analysis) -> str:
    """Which frame, or slice, an analysis is of."""
    method, stretch = frame.method, frame.method.source.stretch
    average, kind = method.averaging.average, "frame"
    at = average.at if isinstance(average, Single) else None
    if at is None and stretch is not None:
        at = (stretch.start + stretch.end) / 2
        kind = f"slice of {frame.resolution.stretch_s:.4g} s"
    return f"{kind} at {seconds(at or 0.0, frame.fs)} s"
