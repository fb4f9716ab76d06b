"""Two traces against each other: their ratio in dB, or their difference."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import conversion
from tonecomb.core.estimate.display import Curve
from tonecomb.core.estimate.spectrum import Scaling, decibels_per_decade, is_amplitude
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis

_ROUNDING = 1e-14  # of the highest amplitude
_DENSITIES: tuple[Scaling, ...] = ("psd", "amplitude-density", "energy")


@dataclass(frozen=True, eq=False)
class Comparison:
    """One trace against another, where both are. ``frequency`` (Hz) is as in
    :class:`~tonecomb.core.estimate.display.Curve`; ``ratio_db`` and ``difference`` (linear, in the
    first trace's unit and scaling) have shape (points,)."""

    frequency: Array
    ratio_db: Array
    difference: Array
    stepped: bool

    def curve(self, *, ratio: bool) -> Curve:
        """What is drawn."""
        return Curve(self.frequency, self.ratio_db if ratio else self.difference, self.stepped)


def alike(one: Analysis, other: Analysis) -> Analysis:
    """``other``, an estimate in its channel's own quantity, shown as ``one`` is.

    Raises :class:`UserError` where it measures something else.
    """
    method = one.method
    method.shown.display.check(other.channel.unit)
    analysis = other.displayed(method.shown)
    conversion(analysis.unit.symbol, one.unit.symbol)
    return analysis


def in_unit_of(one: Analysis, shown: Analysis) -> Curve:
    """What is drawn of ``shown`` (from :func:`alike`), in the unit of ``one``."""
    size = conversion(shown.unit.symbol, one.unit.symbol)
    curve = shown.curve
    factor = size if is_amplitude(one.scaling) else size**2
    return Curve(curve.frequency, curve.values * factor, curve.stepped)


def compare(one: Analysis, other: Analysis) -> Comparison:
    """``one`` against ``other``, an estimate in its channel's own quantity.

    Where their bins differ, the finer trace is brought to the bins of the coarser: densities by
    the mean of all its bins within, amplitudes by the highest of them. Raises
    :class:`UserError` where they measure different things, or share no frequency.
    """
    first, second = one.curve, in_unit_of(one, alike(one, other))
    frequency, a, b = _common(first, second, one.scaling)
    if not len(a):
        raise UserError(
            "The two traces share no band", remedy="choose another way to draw, or other frames"
        )
    factor = decibels_per_decade(one.scaling)
    # What rounding leaves where there is nothing, as at 0 Hz of frames without their mean.
    nothing = _ROUNDING ** (20 / factor)
    logs = [
        np.log10(np.maximum(x, max(nothing * float(x.max()), np.finfo(float).tiny))) for x in (a, b)
    ]
    ratio = factor * (logs[0] - logs[1])
    return Comparison(frequency, np.where((a > 0) & (b > 0), ratio, np.nan), a - b, first.stepped)


def _common(one: Curve, other: Curve, scaling: Scaling) -> tuple[Array, Array, Array]:
    if one.stepped:
        # Bands of one series: those that both have.
        low = max(one.frequency[:1].min(initial=np.inf), other.frequency[:1].min(initial=np.inf))
        high = min(one.frequency[-1:].max(initial=0), other.frequency[-1:].max(initial=0))
        play = 1 + 1e-9
        parts = []
        for curve in (one, other):
            inside = (curve.frequency >= low / play) & (curve.frequency <= high * play)
            edges = curve.frequency[inside]
            first = int(np.argmax(inside)) if inside.any() else 0
            parts.append((edges, curve.values[first : first + max(len(edges) - 1, 0)]))
        return parts[0][0], parts[0][1], parts[1][1]
    step, step_other = (float(c.frequency[1] - c.frequency[0]) for c in (one, other))
    if step >= step_other:
        frequency = one.frequency[one.frequency <= other.frequency[-1] * (1 + 1e-9)]
        return frequency, one.values[: len(frequency)], _rebinned(other, frequency, step, scaling)
    frequency = other.frequency[other.frequency <= one.frequency[-1] * (1 + 1e-9)]
    rebinned = _rebinned(one, frequency, step_other, scaling)
    return frequency, rebinned, other.values[: len(frequency)]


def _rebinned(curve: Curve, frequency: Array, step: float, scaling: Scaling) -> Array:
    """``curve`` on bins that are at least as wide as its own."""
    own = float(curve.frequency[1] - curve.frequency[0])
    if np.isclose(own, step, rtol=1e-9):
        return curve.values[: len(frequency)]
    if scaling not in _DENSITIES:
        first = np.ceil((frequency - step / 2) / own - 1e-9).astype(int).clip(0)
        stop = np.floor((frequency + step / 2) / own + 1e-9).astype(int) + 1
        stop = np.minimum(stop, len(curve.values))
        return np.array([curve.values[a:b].max() for a, b in zip(first, stop, strict=True)])
    # The integral of the staircase of densities (of power), at each edge.
    power = 2.0 if scaling == "amplitude-density" else 1.0
    edges = np.concatenate([[0.0], curve.frequency + own / 2])
    total = np.concatenate([[0.0], np.cumsum(curve.values**power * np.diff(edges))])
    low = np.maximum(frequency - step / 2, 0.0)
    high = np.minimum(frequency + step / 2, edges[-1])
    found = np.interp(high, edges, total) - np.interp(low, edges, total)
    return np.asarray((found / (high - low)) ** (1 / power))
