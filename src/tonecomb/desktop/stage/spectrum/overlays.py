"""Over a spectrum: its confidence band, the noise floor, what is left without what was found, what
was fitted to resonances, and the tolerances of a test spectrum."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import conversion
from tonecomb.core.estimate.display import Curve
from tonecomb.core.estimate.spectrum import decibels_per_decade, scaled
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.confidence import band_words, limits_db
from tonecomb.core.say.numbers import warranted, with_std
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot

_BAND = "95 % band"
_FINE = 400  # points of a tolerance's line


class Overlays:
    """``confidence``, ``floor`` and ``left`` say what is wanted. ``on_axis`` brings linear values
    to the plot's levels, ``line`` makes of a curve what is in view."""

    def __init__(
        self,
        plot: FrequencyPlot,
        on_axis: Callable[[Curve], Curve],
        line: Callable[[Curve], tuple[Array, Array]],
    ) -> None:
        self._plot, self._on_axis, self._line = plot, on_axis, line
        self.confidence = self.floor = self.left = False
        self.edges = (pg.PlotCurveItem(pen=None), pg.PlotCurveItem(pen=None))
        self.band = pg.FillBetweenItem(*self.edges)
        self.band.setZValue(-3)
        self.fits = pg.PlotCurveItem(connect="finite")
        self.fits.setZValue(3)
        self.noise, self.rest = pg.PlotCurveItem(), pg.PlotCurveItem()
        self._noise_colour = self._rest_colour = ""
        self.tolerances = (pg.PlotCurveItem(), pg.PlotCurveItem())
        self.items = (self.band, self.fits, self.noise, self.rest, *self.tolerances)
        for item in (*self.edges, *self.items):
            plot.addItem(item, ignoreBounds=True)

    def set_theme(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._noise_colour, self._rest_colour = theme.caution, theme.second
        self.fits.setPen(pg.mkPen(theme.second, width=2))
        self.noise.setPen(pg.mkPen(theme.caution, width=1.5))
        self.rest.setPen(pg.mkPen(theme.second, width=1))
        for one in self.tolerances:
            one.setPen(pg.mkPen(theme.fault, width=1, style=Qt.PenStyle.DashLine))
        band = pg.mkColor(theme.traces[0])
        band.setAlpha(50)
        self.band.setBrush(band)

    def hide(self) -> None:
        """There is no spectrum."""
        self.band.hide()
        self.noise.hide()
        self.rest.hide()
        for one in self.tolerances:
            one.hide()
        self.fits.setData([], [])

    def draw(self, analysis: Analysis, x: Array, y: Array, *, decibels: bool) -> None:
        """Draw what is wanted over an analysis, whose curve is drawn by ``x`` and ``y``."""
        self._draw_band(analysis, x, y, decibels)
        self._draw_squares(self.noise, analysis, analysis.floor if self.floor else None)
        left = analysis.account.left.mean_square if self.left and analysis.found else None
        self._draw_squares(self.rest, analysis, left)
        self._draw_tolerances(analysis)

    def told(self, analysis: Analysis | None) -> tuple[str, list[tuple[str, str]]]:
        """What is said behind the curve's own name, and colours and what stands for them."""
        words = band_words(analysis) if self.confidence and analysis is not None else ""
        band = f", {_BAND} {words}" if words else ""
        lines = [(self._noise_colour, "noise floor")] if self.floor else []
        return band, lines + ([(self._rest_colour, "what is left")] if self.left else [])

    def _draw_band(self, analysis: Analysis, x: Array, y: Array, decibels: bool) -> None:
        frequency = analysis.curve.outline()[0][-len(x) :]  # a logarithmic axis has no zero
        limits = limits_db(analysis, frequency) if self.confidence and len(x) else None
        self.band.setVisible(limits is not None)
        for edge, limit in zip(self.edges, limits or (), strict=False):
            if decibels:
                edge.setData(x, y + limit)
            else:
                part = decibels_per_decade(analysis.scaling)
                edge.setData(x, y * 10 ** (limit / part))

    def draw_fits(self, analysis: Analysis) -> None:
        """Draw what was fitted to resonances, which does not depend on the view."""
        shown = analysis.method.shown
        x, y = [np.zeros(0)], [np.zeros(0)]
        for one in analysis.resonances if shown.display.drawn == "bins" else ():
            fit = replace(analysis.spectrum, frequency=one.fit_frequency, mean_square=one.fit)
            values = fit.values(shown.scaling, shown.level)
            drawn = self._on_axis(Curve(one.fit_frequency, values, False))
            x += [self._plot.places(one.fit_frequency), np.array([np.nan])]
            y += [drawn.values, np.array([np.nan])]
        self.fits.setData(np.concatenate(x), np.concatenate(y))

    def named(self, analysis: Analysis) -> list[tuple[float, float, str]]:
        """Where resonances were fitted (Hz), the level of the fit there, and what was found."""
        told = []
        x, y = self.fits.getData()
        if x is None:
            return []
        good = np.isfinite(x) & np.isfinite(y)
        x, y = x[good], y[good]
        for one in analysis.resonances if len(x) else ():
            level = float(y[np.argmin(np.abs(x - self._plot.place(one.frequency)))])
            damping = with_std(100 * one.damping, 100 * one.damping_std)
            frequency = warranted(one.frequency, one.frequency_std, 3)
            told.append((one.frequency, level, f"{frequency} Hz, ζ {damping} %"))
        return told

    def _draw_squares(
        self, item: pg.PlotCurveItem, analysis: Analysis, squares: Array | None
    ) -> None:
        """Draw a mean square per bin; None is nothing."""
        shown = analysis.method.shown
        bins = shown.display.drawn == "bins" and not analysis.curve.stepped
        item.setVisible(squares is not None and bins)
        if squares is None or not bins:
            return
        noise = replace(analysis.spectrum, mean_square=squares)
        values = noise.values(shown.scaling, shown.level)
        item.setData(*self._line(self._on_axis(Curve(noise.frequency, values, False))))

    def _draw_tolerances(self, analysis: Analysis) -> None:
        """Above and below the test spectrum, where it measures what is shown."""
        profile, shown = analysis.method.follow.profile, analysis.method.shown
        size = None
        if profile is not None and shown.display.drawn == "bins":
            with suppress(UserError):
                own = profile.unit or analysis.channel.unit
                size = conversion(own, analysis.unit.symbol) ** 2 * analysis.spectrum.enbw_hz
        for one, off in zip(self.tolerances, (1, -1), strict=True):
            one.setVisible(size is not None)
            if profile is None or size is None:
                continue
            frequency = np.geomspace(*profile.span, _FINE)
            decibels = profile.above if off > 0 else -profile.below
            squares = size * profile.density(frequency) * 10 ** (decibels / 10)
            spectrum = analysis.spectrum
            values = scaled(squares, shown.scaling, shown.level, spectrum.enbw_hz, spectrum.gain_s)
            one.setData(*self._line(self._on_axis(Curve(frequency, values, False))))
