"""Slices cut down to the points that a relief has."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tonecomb.core.estimate.spectrum import scaled
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.slices import Slices
from tonecomb.core.results.spectrogram import View, columns_of

_DOWN_DB = 70.0  # of the highest level, where heights begin at most
_QUIET = 30.0  # percentile of the levels that lies at the foot


@dataclass(frozen=True, eq=False)
class Relief:
    """What is shown: ``heights`` from 0 to 1, shape (slices, points), ``time`` (s) of the slices,
    ``levels`` as they are read, shape as the heights, in ``unit``; the points lie at ``frequency``
    (Hz), evenly on the axis from ``low`` to ``high``; ``title`` names quantity and unit."""

    heights: Array
    levels: Array
    time: Array
    frequency: Array
    low: float
    high: float
    log: bool
    ends: tuple[float, float]
    unit: str
    title: str


def relief_of(slices: Slices, analysis: Analysis, view: View, *, decibels: bool) -> Relief | None:
    """The slices' highest level in each column of a view, as the analysis shows its own; None
    where there are fewer than two columns."""
    first, shown = slices.first, analysis.method.shown
    columns, edges = columns_of(view, first.bin_hz, len(first.frequency))
    if shown.display.drawn == "bins":
        bins = slices.mean_square
        gain = analysis.weighted_gain(first.frequency) ** 2
        pooled = np.stack(
            [(bins[:, c.start : c.stop] * gain[c.start : c.stop]).max(axis=1) for c in columns],
            axis=1,
        )
        values = scaled(pooled, shown.scaling, shown.level, first.enbw_hz, first.gain_s)
    else:
        # Bands stand as steps; the running total rises with its bins.
        curves = slices.curves(analysis.method)
        places = np.searchsorted(curves.frequency, (edges[:-1] + edges[1:]) / 2) - 1
        inside = (places >= 0) & (places < curves.values.shape[1])
        values = np.where(inside, curves.values[:, places * inside], 0.0)
    levels = analysis.decibels(values) if decibels else values
    top, bottom = float(levels.max()), 0.0
    if decibels:
        bottom = max(float(np.percentile(levels, _QUIET)), top - _DOWN_DB)
    top = top if top > bottom else bottom + 1.0
    heights = np.clip((levels - bottom) / (top - bottom), 0.0, 1.0)
    if heights.shape[1] < 2:
        return None
    return Relief(
        heights=heights,
        levels=levels,
        time=slices.time,
        frequency=np.asarray((edges[:-1] + edges[1:]) / 2),
        low=float(edges[0]),
        high=float(edges[-1]),
        log=view.log,
        ends=(bottom, top),
        unit="dB" if decibels else analysis.values_unit,
        title=analysis.label(decibels),
    )
