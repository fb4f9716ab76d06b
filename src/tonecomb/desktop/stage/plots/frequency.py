"""What the views over frequency have in common: one axis, even or logarithmic, for all."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QWidget

from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.plot import Axis, Plot
from tonecomb.desktop.kit.theme import Theme

_SNAP = 10  # pixels to each side in which the readout looks for a point


class OrderAxis(Axis):
    """An axis in multiples of a shaft's frequency, over a plot's axis in Hz."""

    def __init__(self) -> None:
        super().__init__("top")
        self.shaft = 1.0

    def tickValues(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, Any]]:
        if self.log:
            off = math.log10(self.shaft)
            levels = super().tickValues(minVal - off, maxVal - off, size)
            return [(step, [value + off for value in values]) for step, values in levels]
        levels = super().tickValues(minVal / self.shaft, maxVal / self.shaft, size)
        return [(step, [value * self.shaft for value in values]) for step, values in levels]

    def tickStrings(self, values: Any, scale: float, spacing: float) -> list[str]:
        if self.log:
            off = math.log10(self.shaft)
            return super().tickStrings([value - off for value in values], scale, spacing)
        return super().tickStrings([value / self.shaft for value in values], scale, spacing)


_DECADES = 30  # that a logarithmic axis goes up or down at most


class FrequencyPlot(Plot):
    """A plot over frequency in Hz; the axis holds log10 of it where it is logarithmic."""

    def __init__(self, parent: QWidget | None = None, left: Axis | None = None) -> None:
        super().__init__(parent, left)
        self._least = 1e-3  # Hz at which a logarithmic axis begins
        self._greatest = math.inf  # Hz that can be shown
        self.main: FrequencyPlot | None = None
        self._taking = False
        self.set_label("bottom", "Frequency, Hz")
        self.orders = OrderAxis()
        self.getPlotItem().setAxisItems({"top": self.orders})
        self.getPlotItem().hideAxis("top")
        self.shaft: float | None = None
        self.combs: Any = None  # the teeth through it, where it draws them

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.orders.setPen(pg.mkPen(theme.lines))
        self.orders.setTextPen(pg.mkPen(theme.second))

    def set_shaft(self, shaft: float | None) -> None:
        """Show the axis in multiples of a shaft's frequency (Hz) as well; None for no more."""
        self.shaft = shaft
        if shaft is None:
            self.getPlotItem().hideAxis("top")
            return
        self.orders.shaft = shaft
        self.getPlotItem().showAxis("top")
        colour = self.orders.textPen().color().name()
        style = {"font-size": "9pt", "color": colour}
        self.orders.setLabel(f"Order of {shaft:.6g} Hz", **style)
        self.orders.picture = None
        self.orders.update()

    def order_text(self, frequency: float) -> str:
        """A frequency (Hz) in orders for a readout, "" where no shaft's is known."""
        return "" if self.shaft is None else f" · order {frequency / self.shaft:.3f}"

    def follow(self, main: FrequencyPlot) -> None:
        """Show the frequencies that ``main`` shows; what is dragged or turned here moves it."""
        self.main = main
        main.box.sigXRangeChanged.connect(self.take_axis)
        self.box.sigXRangeChanged.connect(self._give_axis)
        self.box.dragged.connect(self._zoom_main)

    def take_axis(self, *_: object) -> None:
        """Have the axis of the view that is followed."""
        if self.main is None or self._taking:
            return
        self._taking = True
        self.bottom.log = self.orders.log = self.main.bottom.log
        self.box.setXRange(*self.main.box.viewRange()[0], padding=0)
        self._taking = False

    def _give_axis(self, *_: object) -> None:
        if self.main is None or self._taking:
            return
        self._taking = True
        self.main.box.setXRange(*self.box.viewRange()[0], padding=0)
        self._taking = False
        self.take_axis()  # it may not go as far

    def _zoom_main(self, start: QPointF, end: QPointF, finished: bool) -> None:
        ends = (self.box.mapViewToDevice(start), self.box.mapViewToDevice(end))
        if finished and all(ends) and abs(ends[0].x() - ends[1].x()) > 4:
            self.box.setXRange(*sorted((start.x(), end.x())), padding=0)

    def place(self, frequency: float) -> float:
        """Where a frequency in Hz is on the axis."""
        return math.log10(max(frequency, 1e-12)) if self.bottom.log else frequency

    def places(self, frequency: Array) -> Array:
        """Where frequencies above 0 are on the axis."""
        return np.log10(frequency) if self.bottom.log else frequency

    def limits(self) -> tuple[float, float]:
        """The shown frequency range in Hz."""
        low, high = self.box.viewRange()[0]
        if not self.bottom.log:
            return float(low), float(high)
        # Before there is an analysis a view may be anywhere.
        low, high = (min(max(one, -_DECADES), _DECADES) for one in (low, high))
        return 10**low, 10**high

    def set_limits(self, low: float, high: float) -> None:
        """Show the frequencies ``low`` to ``high`` in Hz."""
        if self.bottom.log:
            low = max(low, self._least)
        self.box.setXRange(self.place(low), self.place(high), padding=0)

    def bring_into_view(self, frequency: float) -> None:
        """Move the view so that a frequency (Hz) is in it; the zoom stays."""
        low, high = self.limits()
        if not low <= frequency <= high:
            half = (high - low) / 2
            low = min(max(frequency - half, 0.0), self._greatest - 2 * half)
            self.set_limits(low, low + 2 * half)

    def bring_range(self, low: float, high: float) -> None:
        """Have a range of frequencies (Hz) in view, with some room about it."""
        shown = self.limits()
        if not (shown[0] <= low and high <= shown[1]):
            room = 0.1 * (high - low)
            self.set_limits(max(low - room, 0.0), min(high + room, self._greatest))

    def limit_axis(self, analysis: Analysis) -> None:
        """Nothing is shown beyond the analysis's frequencies."""
        spectrum = analysis.spectrum
        self._least, self._greatest = spectrum.bin_hz, float(spectrum.frequency[-1])
        low = self.place(spectrum.bin_hz if self.bottom.log else 0.0)
        high = self.place(float(spectrum.frequency[-1]))
        smallest = (high - low) * 1e-3 if self.bottom.log else 4 * spectrum.bin_hz
        self.box.setLimits(
            xMin=low, xMax=high, minXRange=min(smallest, high - low), maxXRange=high - low
        )

    def level_limits(self) -> tuple[float, float]:
        """The shown range of levels, as the upright axis has it."""
        low, high = self.box.viewRange()[1]
        return float(low), float(high)

    def set_level_limits(self, low: float, high: float) -> None:
        self.box.setYRange(low, high, padding=0)

    def near(self, place: QPointF, frequency: Array, *, reach: float = _SNAP) -> tuple[int, int]:
        """Which of the rising ``frequency`` (Hz) lie near the cursor: first, one after the last;
        the nearest where none does."""
        pixel = self.box.viewPixelSize()[0] * reach
        ends = (place.x() - pixel, place.x() + pixel)
        if self.bottom.log:
            ends = (10 ** ends[0], 10 ** ends[1])
        first = int(np.searchsorted(frequency, ends[0]))
        last = int(np.searchsorted(frequency, ends[1], side="right"))
        if last <= first:  # zoomed in so far that none is near: take the nearest
            first = int(np.argmin(np.abs(frequency - (ends[0] + ends[1]) / 2)))
            last = first + 1
        return first, last

    @staticmethod
    def frequency_text(frequency: float, bin_hz: float) -> str:
        """A frequency with as many decimals as a bin deserves."""
        digits = max(0, 1 - math.floor(math.log10(bin_hz)))
        return f"{frequency:.{digits}f} Hz"
