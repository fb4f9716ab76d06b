"""Which frequencies and levels a spectrum shows: at first, after edits, and all or what was shown
before."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from tonecomb.core.estimate.display import Curve
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.first_view import highest, level_range, lowest
from tonecomb.desktop.kit.plot import Zoom
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot

_FIGURES = 26  # pixels over the highest peak
_LESS = 0.5  # of what is shown, that is enough from then on


class Outlook:
    """The limits of one plot. As long as no hand has set an axis it follows what there is to see;
    while pictures go on it only grows, so that it does not jitter.

    ``drawn`` gives the plot's curve with levels as the upright axis has them, ``decibels`` whether
    those are in dB; ``holds`` while pictures go on.
    """

    def __init__(
        self, plot: FrequencyPlot, drawn: Callable[[], Curve | None], decibels: Callable[[], bool]
    ) -> None:
        self._plot, self._drawn, self._decibels = plot, drawn, decibels
        self._others = -math.inf  # the highest of the lines beside the curve
        self._zoom = Zoom(plot.box)
        self._opened: tuple[float, float] | None = None  # limits, while only power is known
        self._fitted: tuple[float, float] | None = None
        self._begun: tuple[float, float] | None = None  # limits, where nobody chose any since
        self.holds = False
        plot.box.sigResized.connect(self.fit_again)
        plot.box.sigXRangeChanged.connect(self.reach)

    @property
    def chosen(self) -> bool:
        """Whether a hand has set the axis of frequencies."""
        return self._begun is not None and self._plot.limits() != self._begun

    def begin(self, analysis: Analysis) -> None:
        """Show what there is to see of a recording, from which the whole axis is a key away."""
        self.forget_lines()
        self._plot.limit_axis(analysis)
        self._plot.set_limits(lowest(analysis), highest(analysis))
        self.fit_level()
        self._zoom.keep(*self._plot.box.viewRange())
        self._begun = self._plot.limits()
        self._opened = None if analysis.peaks is not None else self._begun

    def go_on(self, before: Analysis, analysis: Analysis) -> None:
        """Keep the zoom; readings that come after the curve say what there is to see."""
        plot, opened = self._plot, self._opened
        if before.label(self._decibels()) != analysis.label(self._decibels()):
            self.forget_lines()
        other = before.method.source.channel != analysis.method.source.channel
        if other and before.fs == analysis.fs and plot.limits() == self._begun:
            self.begin(analysis)  # what there is to see may lie elsewhere
        elif before.fs != analysis.fs:
            low, high = plot.limits()
            plot.limit_axis(analysis)
            end = float(analysis.spectrum.frequency[-1])
            plot.set_limits(low if low < end else 0.0, min(high, end))
            self.fit_level()
        elif opened is not None and analysis.peaks is not None:
            self._opened = None
            if plot.limits() == opened:
                self.begin(analysis)
        elif not self.chosen and self._begun is not None:
            self._follow(analysis)
        elif other or before.label(self._decibels()) != analysis.label(self._decibels()):
            self.fit_level()

    def _follow(self, analysis: Analysis) -> None:
        """Show what there is to see now: more at once, less where half of it would do and pictures
        stand still."""
        assert self._begun is not None
        self._plot.limit_axis(analysis)
        low, high = self._begun
        first, last = lowest(analysis), highest(analysis)
        less = not self.holds and (last < _LESS * high or first > low)
        if last > high or first < low or less:
            ends = (first, last) if less else (min(first, low), max(last, high))
            self._plot.set_limits(*ends)
            self._begun = self._plot.limits()
            self._zoom.keep(*self._plot.box.viewRange())
        fitted, drawn = self._fitted, self._drawn()
        if fitted is None or drawn is None or self._plot.level_limits() != fitted:
            return
        levels = level_range(self._seen(drawn), self._decibels())
        if levels is None:
            return
        span, was = levels[1] - levels[0], fitted[1] - fitted[0]
        if (
            levels[1] > fitted[1]
            or levels[0] < fitted[0]
            or (not self.holds and span < _LESS * was)
        ):
            self.fit_level(grow=self.holds)

    def turn(self, analysis: Analysis) -> None:
        """Show the whole frequency axis and all levels; from there, what was shown before."""

        def whole() -> None:
            self._plot.set_limits(0.0, float(analysis.spectrum.frequency[-1]))
            self.fit_level()

        self._zoom.turn(whole)

    def fit_level(self, grow: bool = False) -> None:
        """Show levels from the floor to the highest point in view of all lines, with room for
        labels; with ``grow`` what was shown stays in view."""
        plot, drawn, decibels = self._plot, self._drawn(), self._decibels()
        if drawn is None:
            return
        levels = level_range(self._seen(drawn), decibels)
        if levels is None:
            return
        low, top = levels
        top = max(top, self._others)
        if grow and self._fitted is not None:
            low = min(low, self._fitted[0])
        if decibels:
            # Legend and figures over the highest peaks have room however low the view is.
            taken = _FIGURES + (0 if plot.legend.isHidden() else plot.legend.height())
            room = max(0.12, taken / max(plot.box.height() - taken, taken))
            plot.box.setYRange(low, top + room * (top - low), padding=0)
        else:
            plot.box.setYRange(0, 1.14 * top or 1.0, padding=0)
        self._fitted = plot.level_limits()

    def _seen(self, drawn: Curve) -> Array:
        if drawn.stepped:
            return drawn.values
        first, last = np.searchsorted(drawn.frequency, self._plot.limits())
        seen = drawn.values[max(first, 1) : last + 1]
        return seen if len(seen) > 1 else drawn.values[1:]

    def reach_lines(self, lines: list[tuple[Array, Array]]) -> None:
        """Have the tops of the lines beside the curve in view, unless levels were chosen."""
        tops = [float(np.nanmax(y)) for _, y in lines if np.isfinite(y).any()]
        self._others = max(tops, default=-math.inf)
        fitted = self._fitted
        if fitted is not None and self._others > fitted[1] and self._plot.level_limits() == fitted:
            self.fit_level(grow=self.holds)

    def forget_lines(self) -> None:
        """What was drawn has other levels now."""
        self._others = -math.inf

    def reach(self, *_: object) -> None:
        """What comes into view is not cut off above, unless levels were chosen."""
        self.forget_lines()
        fitted, drawn = self._fitted, self._drawn()
        if drawn is None or fitted is None or self._plot.level_limits() != fitted:
            return
        seen = self._seen(drawn)
        if len(seen) and float(seen.max()) > fitted[1]:
            self.fit_level(grow=self.holds)

    def fit_again(self, *_: object) -> None:
        """The room for labels changes with the height, unless levels were chosen."""
        if self._plot.level_limits() == self._fitted and not self.holds:
            self.fit_level()
