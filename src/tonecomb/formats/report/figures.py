"""Waveform and spectrum drawn for paper, as SVG or PNG."""

from __future__ import annotations

import io
import threading
import warnings
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache, partial
from importlib.resources import files as resources
from typing import TYPE_CHECKING, Any

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import unit
from tonecomb.core.estimate.reduce import reduce_curve
from tonecomb.core.estimate.spectrum import decibels_per_decade
from tonecomb.core.find.comb import Comb
from tonecomb.core.record.pyramid import WaveformEnvelope
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.compare import alike, in_unit_of
from tonecomb.core.results.confidence import band_db, band_words, limits_db
from tonecomb.core.results.first_view import highest, level_range, lowest
from tonecomb.core.say.numbers import tone_text
from tonecomb.core.say.placing import Label, ceiling, place
from tonecomb.formats.palette import (
    ACCENT,
    INK,
    LINES,
    QUIET,
    RAISED,
    SECOND,
    TRACE,
    TRACES,
    readable,
)
from tonecomb.version import __version__

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import FigureBase

_LABELS = 30
_COLUMNS = 1400


@dataclass(frozen=True, eq=False)
class OtherTrace:
    """A held trace: its name, its estimate, and its colour."""

    name: str
    analysis: Analysis
    colour: str


@dataclass(frozen=True)
class DrawnSpectrum:
    """How a spectrum is shown: axis kinds and limits (None for what there is to see), the 95 %
    band, held traces behind it, and ``flags``: frequency (Hz), word and colour of what has a name
    of its own."""

    log_frequency: bool = False
    decibels: bool = True
    low: float | None = None
    high: float | None = None
    bottom: float | None = None
    top: float | None = None
    confidence: bool = False
    others: tuple[OtherTrace, ...] = ()
    flags: tuple[tuple[float, str, str], ...] = ()


def flags_of(families: Sequence[Comb]) -> tuple[tuple[float, str, str], ...]:
    """Frequency (Hz), word and colour of each tooth of named families that was found."""
    told = []
    for i, comb in enumerate(families):
        for tooth in comb.teeth if comb.name else ():
            if tooth.found:
                text = comb.tooth_name(tooth)
                colour = TRACES[1 + i % (len(TRACES) - 1)]
                told.append((tooth.frequency, text, readable(colour, RAISED)))
    return tuple(told)


_DRAWING = threading.Lock()
"""Styles, and what sets powers of ten, are one for all threads."""
_ROOM = 0.12  # of the span of levels, above the highest
DPI = 200
"""Of pictures for others; drawings have none."""


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
        "font.size": 10.5,
        "axes.edgecolor": LINES,
        "axes.labelcolor": INK,
        "axes.grid": True,
        "axes.axisbelow": True,
        "figure.facecolor": RAISED,
        "axes.facecolor": RAISED,
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
    axes: Axes,
    envelope: WaveformEnvelope,
    fs: float,
    stretch: tuple[float, float],
    unit_symbol: str,
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


def spectrum_axes(axes: Axes, analysis: Analysis, view: DrawnSpectrum) -> None:
    """Draw a spectrum, by default as far as there is something to see."""
    method, (frequency, values) = analysis.method, analysis.curve.outline()
    low = view.low if view.low is not None else method.search.peaks.low
    high = view.high if view.high is not None else method.search.peaks.high
    low = lowest(analysis) if low is None else low
    low = max(low, analysis.spectrum.bin_hz if view.log_frequency else 0.0)
    high = high if high is not None else highest(analysis)
    x, y = reduce_curve(frequency, values, low, high, _COLUMNS, log=view.log_frequency)
    y = _levels(analysis, y, view)
    sure = x >= analysis.curve.sure_from
    axes.plot(x[sure], y[sure], color=TRACE, linewidth=0.8, label="now")
    if not sure.all():
        axes.plot(x[~sure], y[~sure], color=TRACE, linewidth=0.8, alpha=0.4)
    _draw_band(axes, analysis, view, x, y)
    _draw_others(axes, analysis, view, low, high)
    for one in analysis.resonances if method.shown.display.drawn == "bins" else ():
        spectrum = replace(analysis.spectrum, frequency=one.fit_frequency, mean_square=one.fit)
        values = spectrum.values(method.shown.scaling, method.shown.level)
        values = _levels(analysis, values, view)
        axes.plot(one.fit_frequency, values, color=SECOND, linewidth=1.2)
    if view.log_frequency:
        axes.set_xscale("log")
        from matplotlib.ticker import FuncFormatter

        axes.xaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:g}"))
    axes.set_xlim(low, high)
    if view.bottom is not None and view.top is not None:
        axes.set_ylim(view.bottom, view.top)
    else:
        # A mean that was taken off leaves a bin at 0 Hz that is nothing.
        points = np.concatenate([line.get_xydata() for line in axes.lines])
        levels = level_range(points[points[:, 0] > 0, 1], view.decibels)
        bottom, top = levels or (0.0, 0.0)
        axes.set_ylim(bottom, top + _ROOM * (top - bottom) or bottom + 1.0)
    axes.set_xlabel("Frequency, Hz")
    axes.set_ylabel(analysis.label(view.decibels))


def _levels(analysis: Analysis, values: Array, view: DrawnSpectrum) -> Array:
    """Values as the upright axis has them; nothing where they are zero and have no decibels."""
    if not view.decibels:
        return values
    return np.where(values > 0, analysis.decibels(values), np.nan)


def _draw_band(axes: Axes, analysis: Analysis, view: DrawnSpectrum, x: Array, y: Array) -> None:
    limits = limits_db(analysis, x) if view.confidence else None
    if limits is None:
        return
    part = decibels_per_decade(analysis.scaling)
    lower, upper = (y + one if view.decibels else y * 10 ** (one / part) for one in limits)
    axes.fill_between(
        x,
        lower,
        upper,
        color=TRACE,
        alpha=0.2,
        linewidth=0,
        label=f"95 % band, {band_words(analysis)}",
    )


def _draw_others(
    axes: Axes, analysis: Analysis, view: DrawnSpectrum, low: float, high: float
) -> None:
    """Held traces that measure the same, with a legend where there is more than one line."""
    for other in view.others:
        try:
            curve = in_unit_of(analysis, alike(analysis, other.analysis))
        except UserError:
            continue
        x, y = reduce_curve(*curve.outline(), low, high, _COLUMNS, log=view.log_frequency)
        y = _levels(analysis, y, view)
        name = f"{other.name}: {other.analysis.sentence}"
        axes.plot(x, y, color=other.colour, linewidth=0.8, label=name, zorder=1.5)
    if view.others or (view.confidence and band_db(analysis) is not None):
        axes.legend(fontsize=8, loc="upper right")


def _label_peaks(axes: Axes, analysis: Analysis, view: DrawnSpectrum) -> None:
    """What each of the strongest peaks is: its frequency, or the tooth of a family, placed over no
    other and over no curve. The axes have their place in the figure by now."""
    from matplotlib.text import Text

    low, high = axes.get_xlim()
    flags = {frequency: (text, colour) for frequency, text, colour in view.flags}
    peaks = [p for p in analysis.peaks or () if low <= p.tone.frequency <= high]
    peaks.sort(key=lambda peak: (peak.tone.frequency not in flags, -peak.level))
    box, in_points = axes.get_window_extent(), 72 / axes.figure.dpi
    made, labels = [], []
    for peak in peaks[:_LABELS]:
        f = peak.tone.frequency
        top = analysis.curve.at(f)
        if view.decibels:
            top = float(analysis.decibels(np.array([top]))[0])
        text, colour = flags.get(f, (tone_text(f, peak.tone.frequency_std), ACCENT))
        x, y = axes.transData.transform((f, top))
        if not (np.isfinite(y) and box.y0 <= y <= box.y1):
            continue
        said = axes.annotate(
            text,
            (f, top),
            xytext=(0, 0),
            textcoords="offset points",
            ha="center",
            va="bottom",
            fontsize=8.5,
            color=colour,
            annotation_clip=False,
            bbox={"facecolor": RAISED, "linewidth": 0, "pad": 0},
            arrowprops={
                "arrowstyle": "-",
                "color": colour,
                "linewidth": 0.5,
                "alpha": 0.6,
                "shrinkA": 0,
                "shrinkB": 2,
            },
        )
        said.set_in_layout(False)
        size = Text.get_window_extent(said)  # without its line
        made.append(said)
        labels.append(Label(x, box.y1 - y, size.width + 2, size.height + 1))
    curves = []
    for line in axes.lines:
        points = axes.transData.transform(line.get_xydata())
        curves.append((points[:, 0], box.y1 - points[:, 1]))
    taken = []
    if (legend := axes.get_legend()) is not None:
        area = legend.get_window_extent()
        taken.append((area.x0, box.y1 - area.y1, area.x1, box.y1 - area.y0))
    frame = (box.x0, 0.0, box.x1, box.height)
    places = place(labels, ceiling(curves, box.x0, box.x1), frame, taken)
    for said, label, label_place in zip(made, labels, places, strict=True):
        if label_place is None:
            said.remove()
            continue
        left, _, right, bottom = label_place.area
        off = ((left + right) / 2 - label.x, label.y - bottom)  # pixels of the layout
        said.set_position((off[0] * in_points, off[1] * in_points))
        if label_place.leader is None and said.arrow_patch is not None:
            said.arrow_patch.set_visible(False)


@dataclass(frozen=True, eq=False)
class Panel:
    """A part of a picture: its height in inches, and what draws it into a (sub)figure; what that
    returns is called once everything has its place."""

    height: float
    draw: Callable[[FigureBase], object]


def stacked(panels: Sequence[Panel], kind: str, heading: str = "") -> bytes:
    """Panels below each other as ``svg``, ``png`` or ``pdf``, a heading above them."""
    import matplotlib
    from matplotlib.figure import Figure

    with _DRAWING, matplotlib.rc_context(_style()), warnings.catch_warnings():
        # A letter that no font has is a box; its name may be in any script.
        warnings.filterwarnings("ignore", "Glyph .* missing from font", UserWarning)
        height = sum(panel.height for panel in panels)
        figure = Figure(figsize=(10, height), layout="constrained")
        if heading:
            figure.suptitle(heading, fontsize=8.5, x=0.01, ha="left", wrap=True)
        shares = [panel.height for panel in panels]
        parts = figure.subfigures(len(panels), 1, height_ratios=shares, squeeze=False)
        after = []
        for panel, part in zip(panels, parts[:, 0], strict=True):
            part.set_facecolor("none")
            after.append(panel.draw(part))
        if figure.axes and (engine := figure.get_layout_engine()) is not None:
            engine.execute(figure)
        for finish in filter(callable, after):
            finish()
        # Everything has its place: with an engine all would be drawn three times for once.
        figure.set_layout_engine(None)
        out = io.BytesIO()
        program = f"Tone Comb {__version__}"
        ours: dict[str, str | None] = {"Date": None, "Creator": program}
        if kind == "png":
            ours = {"Software": program}
        elif kind == "pdf":
            ours = {"Creator": program, "CreationDate": None}
        packed: dict[str, Any] = {"pil_kwargs": {"compress_level": 3}} if kind == "png" else {}
        figure.savefig(out, format=kind, dpi=DPI, metadata=ours, **packed)
        return out.getvalue()


def waveform_panel(
    envelope: WaveformEnvelope, fs: float, stretch: tuple[float, float], unit_symbol: str
) -> Panel:
    """The waveform with its stretch."""
    return Panel(
        2.2, lambda part: waveform_axes(part.subplots(), envelope, fs, stretch, unit_symbol)
    )


def spectrum_panel(analysis: Analysis, view: DrawnSpectrum) -> Panel:
    """The spectrum as a view shows it, its strongest peaks named."""

    def draw(part: FigureBase) -> Callable[[], None]:
        axes = part.subplots()
        spectrum_axes(axes, analysis, view)
        return partial(_label_peaks, axes, analysis, view)

    return Panel(4.4, draw)


def image_panel(png: bytes, height: float) -> Panel:
    """A picture that was made elsewhere."""

    def draw(part: FigureBase) -> None:
        from matplotlib.image import imread

        axes = part.subplots()
        axes.imshow(imread(io.BytesIO(png)), aspect="equal")
        axes.set_axis_off()

    return Panel(height, draw)


def heading_of(analysis: Analysis) -> str:
    """What stands above every picture."""
    return f"{analysis.recording_name} · {analysis.sentence}"
