"""What changes in time, drawn for paper: spectrogram, waterfall, trend, run-up."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.reduce import reduce_curve
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.method.method import Shown
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.slices import Slices
from tonecomb.core.results.spectrogram import Spectrogram
from tonecomb.core.results.trend import Trend
from tonecomb.formats.palette import INK, LINES, QUIET, RAISED, SECOND, TRACE
from tonecomb.formats.report import colours
from tonecomb.formats.report.figures import Panel

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import FigureBase

    from tonecomb.core.results.run_up import RunUp

_DOWN_DB = 70.0  # of the highest level, where colours and heights begin at most
_QUIET = 40.0  # percentile of the levels that has the lowest colour
_POINTS = 700  # of a slice's line
_DEEP = 0.55  # of the picture's height that time takes in a waterfall
_SHIFTED = 0.16  # of its width by which the last slice stands to the right


@dataclass(frozen=True)
class GramLook:
    """How a spectrogram is coloured: the levels of the scale's ends (None to choose them by the
    levels there are), a table's name, and which way time runs."""

    decibels: bool = True
    ends: tuple[float, float] | None = None
    colours: str = "paper"
    sideways: bool = False


def _map(
    axes: Axes,
    part: FigureBase,
    x: Array,
    y: Array,
    levels: Array,
    name: str,
    ends: tuple[float, float] | None,
    label: str,
) -> None:
    from matplotlib.colors import ListedColormap

    if ends is None:
        top = float(levels.max())
        ends = (max(float(np.percentile(levels, _QUIET)), top - _DOWN_DB), top)
    table = ListedColormap(colours.table(name) / 255.0)
    shown = axes.pcolormesh(x, y, levels, cmap=table, vmin=ends[0], vmax=ends[1], rasterized=True)
    axes.grid(False)
    bar = part.colorbar(shown, ax=axes, pad=0.01)
    bar.set_label(label)


def gram_panel(analysis: Analysis, gram: Spectrogram, look: GramLook | None = None) -> Panel:
    """A spectrogram with its scale of levels; time downward unless the look says otherwise."""
    look = look or GramLook()
    method = analysis.method
    cells = gram.values(
        method.shown.scaling, method.shown.level, analysis.display, analysis.channel.unit
    )
    levels = analysis.decibels(cells) if look.decibels else cells

    def draw(part: FigureBase) -> None:
        axes = part.subplots()
        label = analysis.label(look.decibels)
        if look.sideways:
            _map(axes, part, gram.time, gram.frequency, levels.T, look.colours, look.ends, label)
            axes.set_xlabel("Time, s")
            axes.set_ylabel("Frequency, Hz")
        else:
            _map(axes, part, gram.frequency, gram.time, levels, look.colours, look.ends, label)
            axes.invert_yaxis()
            axes.set_xlabel("Frequency, Hz")
            axes.set_ylabel("Time, s")
        if gram.view.log:
            (axes.set_yscale if look.sideways else axes.set_xscale)("log")

    return Panel(4.2, draw)


def trend_panel(trend: Trend, lines: list[tuple[str, Array]], title: str, unit: str) -> Panel:
    """Tracks over time, and below them named ``lines`` of a quantity in a unit."""

    def draw(part: FigureBase) -> None:
        rows = 2 if trend.tracks else 1
        axes: list[Any] = list(np.atleast_1d(part.subplots(rows, 1, sharex=True)))
        for track in trend.tracks:
            axes[0].plot(trend.time, track.frequency, linewidth=1, label=track.wanted.title)
        if trend.tracks:
            axes[0].set_ylabel("Frequency, Hz")
            axes[0].legend(fontsize=6.5, loc="upper left")
        for name, values in lines:
            axes[-1].plot(trend.time, values, linewidth=0.9, label=name)
        axes[-1].set_ylabel(f"{title}, {unit}" if unit else title)
        axes[-1].set_xlabel("Time, s")
        axes[-1].legend(fontsize=6.5, loc="upper left")

    return Panel(4.2 if trend.tracks else 2.2, draw)


def waterfall_panel(
    analysis: Analysis, slices: Slices, low: float, high: float, decibels: bool = True
) -> Panel:
    """Slices as lines one behind the other, the first in front, each hiding what it covers."""
    curves = slices.curves(analysis.method)
    levels = analysis.decibels(curves.values) if decibels else curves.values
    frequency = curves.frequency
    if curves.stepped:
        frequency, levels = np.repeat(frequency, 2)[1:-1], np.repeat(levels, 2, axis=1)
    inside = (frequency >= low) & (frequency <= high)
    seen = levels[:, inside][:, 1:]
    top = float(seen.max())
    foot = max(float(np.percentile(seen, 30)), top - _DOWN_DB) if decibels else 0.0
    span = float(slices.time[-1] - slices.time[0])
    shares = (slices.time - slices.time[0]) / span if span else np.zeros(len(slices.time))

    def draw(part: FigureBase) -> None:
        from matplotlib.ticker import MaxNLocator

        axes, tall = part.subplots(), top - foot
        for share, row in sorted(zip(shares.tolist(), levels, strict=True), key=lambda p: -p[0]):
            x, y = reduce_curve(frequency, row, low, high, _POINTS)
            within = (x >= low) & (x <= high)
            x, y = x[within], y[within]
            right, up = share * _SHIFTED * (high - low), share * _DEEP / (1 - _DEEP) * tall
            base = foot + up
            y = np.maximum(y, foot) + up
            axes.fill_between(x + right, base, y, color=RAISED, linewidth=0, zorder=2 - share)
            axes.plot(x + right, y, color=TRACE, linewidth=0.7, zorder=2 - share)
        axes.grid(False)
        axes.set_xlim(low, low + (1 + _SHIFTED) * (high - low) * 1.04)
        axes.set_ylim(foot, foot + tall / (1 - _DEEP) * 1.03)
        axes.set_xticks([t for t in axes.get_xticks() if low <= t <= high])
        axes.set_yticks([t for t in axes.get_yticks() if foot <= t <= top])
        axes.set_xlabel("Frequency, Hz", loc="left")
        axes.set_ylabel(analysis.label(decibels), loc="bottom")
        # Time goes along the right ends of the slices.
        ends = [
            (high + s * _SHIFTED * (high - low), foot + s * _DEEP / (1 - _DEEP) * tall)
            for s in (0.0, 1.0)
        ]
        axes.plot(*zip(*ends, strict=True), color=LINES, linewidth=0.8, zorder=0.5)
        first, last = slices.time[0], slices.time[-1]
        ticks = MaxNLocator(5).tick_values(first, last) if span else [first]
        marks = [t for t in ticks if first <= t <= last]
        for time in marks:
            share = (time - first) / span if span else 0.0
            place = tuple(a + share * (b - a) for a, b in zip(*ends, strict=True))
            axes.annotate(
                f"{time:.6g}" + (" s" if time == marks[-1] else ""),
                place,
                xytext=(5, -3),
                textcoords="offset points",
                fontsize=8,
                color=INK,
            )

    return Panel(4.6, draw)


def run_up_panel(found: RunUp, decibels: bool = True) -> Panel:
    """Map of orders over time beside the orders' levels over speed, resonances in both."""
    level, levels = found.spectrum.method.shown.level, found.levels
    analysis = found.spectrum.displayed(Shown(level=level))
    cells = found.map.values("amplitude", level, Display(), "")
    rows = np.abs(levels.amplitude) * LEVEL_FACTORS[level]
    if decibels:
        cells, rows = analysis.decibels(cells), analysis.decibels(rows)

    def draw(part: FigureBase) -> None:
        left, right = part.subplots(1, 2, width_ratios=(5, 4))
        label = analysis.label(decibels)
        _map(left, part, found.map.frequency, found.map_time, cells, "paper", None, label)
        left.invert_yaxis()
        left.set_xlim(0, found.map.frequency[-1])
        left.set_xlabel("Order")
        left.set_ylabel("Time, s")
        for order, row in zip(levels.orders, rows, strict=True):
            right.plot(levels.speed, row, linewidth=0.9, label=f"order {order:g}")
        time = np.linspace(found.map_time[0], found.map_time[-1], 300)
        speed = found.speed_at(time)
        for one in found.crossings:
            left.plot(one.frequency / speed, time, color=SECOND, linewidth=0.8, linestyle="--")
            right.axvline(one.speed, color=SECOND, linewidth=0.8, linestyle="--")
            right.annotate(
                f"{one.frequency:.1f} Hz",
                (one.speed, 0.02),
                fontsize=7,
                xycoords=("data", "axes fraction"),
                xytext=(3, 0),
                textcoords="offset points",
                color=SECOND,
            )
        right.set_xlabel("Speed, Hz")
        right.set_ylabel(label, color=QUIET)
        right.legend(fontsize=6.5, loc="best")

    return Panel(4.2, draw)
