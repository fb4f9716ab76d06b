"""Waveform and spectrum drawn for paper, as SVG or PNG."""

from __future__ import annotations

import io
from dataclasses import dataclass, replace
from functools import cache
from importlib.resources import files as resources
from typing import TYPE_CHECKING, Any

import numpy as np

from tonecomb.core.analysis import Analysis
from tonecomb.core.compare import AMPLITUDES, alike, in_unit_of
from tonecomb.core.confidence import band_db
from tonecomb.core.errors import UserError
from tonecomb.core.pyramid import Envelope
from tonecomb.core.recording import Array
from tonecomb.core.reduce import reduce_curve
from tonecomb.core.spectrogram import Spectrogram
from tonecomb.core.trend import Trend
from tonecomb.core.units import unit
from tonecomb.formats.report import colours

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK, QUIET, LINES, TRACE, ACCENT = "#22303A", "#66727A", "#D9D2C3", "#1F4E79", "#B4572A"
SECOND = "#157A7E"
TRACES = ("#1F4E79", "#B4572A", "#4C7A3D", "#7A3E75", "#157A7E", "#B98A1A", "#6B7785", "#B23A5A")
_LABELS = 12
_DOWN_DB = 70.0  # of the highest level, where a spectrogram's colours begin at most
_COLUMNS = 1400


@dataclass(frozen=True, eq=False)
class Other:
    """A held trace: its name, its estimate, and its colour."""

    name: str
    analysis: Analysis
    colour: str


@dataclass(frozen=True)
class SpectrumView:
    """How a spectrum is shown: axis kinds and limits (None for all of it), the 95 % band, and
    held traces behind it."""

    log_frequency: bool = False
    decibels: bool = True
    low: float | None = None
    high: float | None = None
    bottom: float | None = None
    top: float | None = None
    confidence: bool = False
    others: tuple[Other, ...] = ()


@cache
def _style() -> dict[str, Any]:
    from cycler import cycler  # comes with matplotlib
    from matplotlib import font_manager

    for name in ("Regular", "Medium", "SemiBold"):
        font_manager.fontManager.addfont(
            str(resources("tonecomb") / "assets" / "fonts" / f"Inter-{name}.otf")
        )
    return {
        "font.family": ["Inter", "DejaVu Sans"],
        "font.size": 9,
        "axes.edgecolor": LINES,
        "axes.labelcolor": INK,
        "axes.grid": True,
        "axes.axisbelow": True,
        "figure.facecolor": "#FFFDF8",
        "axes.facecolor": "#FFFDF8",
        "axes.spines.top": False,
        "axes.spines.right": False,
        "axes.unicode_minus": True,
        "grid.color": LINES,
        "grid.linewidth": 0.5,
        "xtick.color": QUIET,
        "ytick.color": QUIET,
        "xtick.labelcolor": INK,
        "ytick.labelcolor": INK,
        "text.color": INK,
        "axes.prop_cycle": cycler(color=TRACES),
        # Text as curves: the picture looks alike where Inter is not installed.
        "svg.fonttype": "path",
        "svg.hashsalt": "tone-comb",
        "path.simplify": False,
    }


def waveform_axes(
    axes: Axes, envelope: Envelope, fs: float, stretch: tuple[float, float], unit_symbol: str
) -> None:
    """Draw an envelope with the analysed stretch (s) marked."""
    x = np.repeat(envelope.edges / fs, 2)[1:-1]
    low, high = np.repeat(envelope.low, 2), np.repeat(envelope.high, 2)
    axes.axvspan(*stretch, color=ACCENT, alpha=0.10, linewidth=0)
    axes.fill_between(x, low, high, color=TRACE, linewidth=0.4, alpha=0.9)
    for edge in stretch:
        axes.axvline(edge, color=ACCENT, linewidth=1)
    axes.set_xlim(float(x[0]), float(x[-1]))
    symbol = unit(unit_symbol)
    axes.set_ylabel(f"{symbol.quantity}, {symbol.symbol}")
    axes.set_xlabel("Time, s")


def spectrum_axes(axes: Axes, analysis: Analysis, view: SpectrumView) -> None:
    """Draw a spectrum with its strongest peaks marked."""
    method, (frequency, values) = analysis.method, analysis.curve.outline()
    low = view.low if view.low is not None else method.search.low
    high = view.high if view.high is not None else method.search.high
    low = max(low or 0.0, analysis.spectrum.bin_hz if view.log_frequency else 0.0)
    high = high if high is not None else float(frequency[-1])
    x, y = reduce_curve(frequency, values, low, high, _COLUMNS, log=view.log_frequency)
    if view.decibels:
        y = analysis.decibels(y)
    axes.plot(x, y, color=TRACE, linewidth=0.8, label="now")
    _draw_band(axes, analysis, view, x, y)
    _draw_others(axes, analysis, view, low, high)
    for one in analysis.resonances if method.display.drawn == "bins" else ():
        shown = replace(analysis.spectrum, frequency=one.fit_frequency, mean_square=one.fit)
        values = shown.values(method.scaling, method.level)
        values = analysis.decibels(values) if view.decibels else values
        axes.plot(one.fit_frequency, values, color=SECOND, linewidth=1.2)
    if view.log_frequency:
        axes.set_xscale("log")
        from matplotlib.ticker import FuncFormatter

        axes.xaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:g}"))
    axes.set_xlim(low, high)
    if view.bottom is not None and view.top is not None:
        axes.set_ylim(view.bottom, view.top)
    elif not view.decibels:
        axes.set_ylim(0, 1.12 * float(y.max()) or 1.0)
    else:
        axes.margins(y=0.1)
    _label_peaks(axes, analysis, view, low, high)
    axes.set_xlabel("Frequency, Hz")
    axes.set_ylabel(analysis.label(view.decibels))


def _draw_band(axes: Axes, analysis: Analysis, view: SpectrumView, x: Array, y: Array) -> None:
    limits = band_db(analysis) if view.confidence else None
    if limits is None:
        return
    part = 20 if analysis.scaling in AMPLITUDES else 10
    lower, upper = (y + one if view.decibels else y * 10 ** (one / part) for one in limits)
    low, high = (f"{limit:+.1f}".replace("-", "−") for limit in limits)
    axes.fill_between(x, lower, upper, color=TRACE, alpha=0.2, linewidth=0,
                      label=f"95 % band, {low} to {high} dB")  # fmt: skip


def _draw_others(
    axes: Axes, analysis: Analysis, view: SpectrumView, low: float, high: float
) -> None:
    """Held traces that measure the same, with a legend where there is more than one line."""
    for other in view.others:
        try:
            curve = in_unit_of(analysis, alike(analysis, other.analysis))
        except UserError:
            continue
        x, y = reduce_curve(*curve.outline(), low, high, _COLUMNS, log=view.log_frequency)
        y = analysis.decibels(y) if view.decibels else y
        name = f"{other.name}: {other.analysis.sentence}"
        axes.plot(x, y, color=other.colour, linewidth=0.8, label=name, zorder=1.5)
    if view.others or (view.confidence and band_db(analysis) is not None):
        axes.legend(fontsize=6.5, loc="upper right")


def _label_peaks(
    axes: Axes, analysis: Analysis, view: SpectrumView, low: float, high: float
) -> None:
    """Frequencies over the strongest peaks, those that would overlap left out."""
    peaks = [p for p in analysis.peaks or () if low <= p.tone.frequency <= high]
    peaks.sort(key=lambda peak: -peak.level)
    axes.get_ylim()  # brings the transform up to date with the curve
    taken: list[Any] = []
    for peak in peaks:
        top = analysis.curve.at(peak.tone.frequency)
        if view.decibels:
            top = float(analysis.decibels(np.array([top]))[0])
        place = axes.transAxes.inverted().transform(
            axes.transData.transform((peak.tone.frequency, top))
        )
        if any(abs(place[0] - x) < 0.075 and abs(place[1] - y) < 0.06 for x, y in taken):
            continue
        taken.append(place)
        axes.annotate(
            f"{peak.tone.frequency:.2f}",
            (peak.tone.frequency, top),
            xytext=(0, 3),
            textcoords="offset points",
            ha="center",
            fontsize=7.5,
            color=ACCENT,
            bbox={"facecolor": "#FFFDF8", "alpha": 0.7, "linewidth": 0, "pad": 0.5},
        )
        if len(taken) == _LABELS:
            break


def _figure(height: float) -> tuple[Figure, Axes]:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(10, height), layout="constrained")
    return figure, figure.add_subplot()


def _render(figure: Figure, kind: str) -> bytes:
    out = io.BytesIO()
    metadata = {"Date": None, "Creator": None} if kind == "svg" else None
    figure.savefig(out, format=kind, dpi=200, metadata=metadata)
    return out.getvalue()


def waveform_picture(
    envelope: Envelope, fs: float, stretch: tuple[float, float], unit_symbol: str, kind: str
) -> bytes:
    """The waveform alone; ``kind`` is ``svg`` or ``png``."""
    import matplotlib

    with matplotlib.rc_context(_style()):
        figure, axes = _figure(2.2)
        waveform_axes(axes, envelope, fs, stretch, unit_symbol)
        return _render(figure, kind)


def spectrum_picture(analysis: Analysis, view: SpectrumView, kind: str, title: bool) -> bytes:
    """The spectrum; with ``title`` the method's sentence stands above it."""
    import matplotlib

    with matplotlib.rc_context(_style()):
        figure, axes = _figure(4.6)
        if title:
            heading = f"{analysis.recording_name} · {analysis.sentence}"
            figure.suptitle(heading, fontsize=8.5, x=0.01, ha="left", wrap=True)
        spectrum_axes(axes, analysis, view)
        return _render(figure, kind)


def picture(
    analysis: Analysis,
    view: SpectrumView,
    envelope: Envelope | None,
    stretch: tuple[float, float],
    kind: str,
) -> bytes:
    """What the stage shows: waveform over spectrum (or the spectrum alone), with the method's
    sentence above."""
    if envelope is None:
        return spectrum_picture(analysis, view, kind, title=True)
    import matplotlib
    from matplotlib.figure import Figure

    with matplotlib.rc_context(_style()):
        figure = Figure(figsize=(10, 6.4), layout="constrained")
        heading = f"{analysis.recording_name} · {analysis.sentence}"
        figure.suptitle(heading, fontsize=8.5, x=0.01, ha="left", wrap=True)
        upper, lower = figure.subplots(2, 1, height_ratios=(1, 2.4))
        waveform_axes(upper, envelope, analysis.fs, stretch, analysis.channel.unit)
        spectrum_axes(lower, analysis, view)
        return _render(figure, kind)


def gram_picture(analysis: Analysis, gram: Spectrogram, kind: str) -> bytes:
    """A spectrogram: frequency across, time downward, with its scale of levels."""
    import matplotlib
    from matplotlib.colors import ListedColormap

    method = analysis.method
    cells = gram.values(method.scaling, method.level, method.display, analysis.channel.unit)
    levels = analysis.decibels(cells)
    top = float(levels.max())
    low = max(float(np.percentile(levels, 40)), top - _DOWN_DB)
    with matplotlib.rc_context(_style()):
        figure, axes = _figure(4.2)
        shown = axes.pcolormesh(
            gram.frequency, gram.time, levels, cmap=ListedColormap(colours.table("paper") / 255.0),
            vmin=low, vmax=top, rasterized=True,
        )  # fmt: skip
        axes.invert_yaxis()
        axes.grid(False)
        axes.set_xlabel("Frequency, Hz")
        axes.set_ylabel("Time, s")
        bar = figure.colorbar(shown, ax=axes, pad=0.01)
        bar.set_label(analysis.label(True))
        return _render(figure, kind)


def trend_picture(trend: Trend, kind: str) -> bytes:
    """Tracks over time, then band levels and rms below them."""
    import matplotlib
    from matplotlib.figure import Figure

    rows = 2 if trend.tracks else 1
    with matplotlib.rc_context(_style()):
        figure = Figure(figsize=(10, 2.2 * rows), layout="constrained")
        axes = list(np.atleast_1d(figure.subplots(rows, 1, sharex=True)))
        if trend.tracks:
            for track in trend.tracks:
                axes[0].plot(trend.time, track.frequency, linewidth=1, label=track.wanted.title)
            axes[0].set_ylabel("Frequency, Hz")
            axes[0].legend(fontsize=6.5, loc="upper left")
        unit_text = trend.channel.unit
        axes[-1].plot(trend.time, trend.rms, color=TRACE, linewidth=0.8, label="rms of the frames")
        if trend.method.display.unit(unit_text).symbol == unit_text:
            for band, level in zip(trend.method.bands, trend.bands, strict=True):
                name = band.name or f"{band.low:g}–{band.high:g} Hz"
                axes[-1].plot(trend.time, level, linewidth=0.8, label=name)
        axes[-1].set_ylabel(f"Rms, {unit_text}")
        axes[-1].set_xlabel("Time, s")
        axes[-1].legend(fontsize=6.5, loc="upper left")
        return _render(figure, kind)
