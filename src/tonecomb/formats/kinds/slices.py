"""Spectra of slices of the stretch."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import replace
from typing import Any, ClassVar

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.bands import Band, band_rms
from tonecomb.core.estimate.display import LEAST_BINS, LevelGain
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.results.slices import Slices, Slicing, run_slices
from tonecomb.formats.columns import Table, series
from tonecomb.formats.kinds.kind import Kind, Picture, ResultContext


class SliceKind(Kind[Slices]):
    """``asked`` is the :class:`Slicing`."""

    key: ClassVar[str] = "slices"
    doing: ClassVar[str] = "Cutting the slices"

    def parts(self, method: Method) -> Method:
        plain = method.single_frames()
        # Bins are shown as they are; bands and totals are made of them here.
        in_bins = method.shown.display.drawn == "bins"
        return plain if in_bins else replace(plain, shown=method.shown)

    def possible(self, method: Method, asked: Hashable) -> bool:
        return asked is not None

    def run(
        self,
        method: Method,
        recording: Recording,
        asked: Slicing | None = None,
        progress: Progress = silent,
    ) -> Slices:
        slices = run_slices(method, recording, asked or Slicing(), progress)
        if method.shown.display.drawn != "bins":
            slices.curves()
        return slices

    def values(self, result: Slices, context: ResultContext) -> dict[str, Any]:
        return {"slices": _each(result)}

    def lines(self, result: Slices, context: ResultContext) -> list[str]:
        lines = []
        for one in _each(result):
            bands = "".join(f"  {level:.5g}" for level in one["levels"])
            lines.append(
                f"slice {one['time_s']:.4f} s: rms {one['rms']:.5g}, highest "
                f"{one['highest']:.5g} at {one['highest_hz']:.5g} Hz{bands}"
            )
        return lines

    def tables(self, result: Slices, context: ResultContext) -> list[Table[Any]]:
        """A row a bin (or band, by its lower edge), a column a slice."""
        curves, a = result.curves(), context.analysis
        frequency = curves.frequency[: curves.values.shape[1]]
        columns = [("frequency_hz", "frequency [Hz]", frequency)]
        for i, (time, row) in enumerate(zip(result.time, curves.values, strict=True)):
            columns.append((f"slice_{i + 1}", f"{time:.6g} s", row))
        return [series("slices", a.recording_name, a.sentence, columns)]

    def pictures(self, result: Slices, context: ResultContext) -> list[Picture]:
        from tonecomb.formats.report.figures_in_time import waterfall_panel

        a, search = context.analysis, context.analysis.method.search.peaks
        low, high = search.low or 0.0, search.high or a.fs / 2
        panel = waterfall_panel(a, result, low, high, context.decibels)
        words = f"{len(result.time)} slices of {result.width_s:.4g} s each."
        return [Picture("waterfall", panel, words)]


def _each(slices: Slices) -> list[dict[str, Any]]:
    """Of each slice its rms and its highest place, in the quantity that is shown, and its levels
    (rms, bin by bin)."""
    method, curves = slices.method, slices.curves()
    plain, gains = slices.first, [_gain(slices, band) for band in slices.method.levels]
    every = slices.displayed(method.shown.display.above(LEAST_BINS * slices.first.frame_hz))
    places = curves.frequency
    if curves.stepped:
        places = np.sqrt(places[:-1] * places[1:])
    told = []
    for i, (time, squares, values) in enumerate(
        zip(slices.time, every.mean_square, curves.values, strict=True)
    ):
        spectrum, first = replace(every, mean_square=squares), 0 if curves.stepped else 1
        top = int(np.argmax(values[first:])) + first
        told.append(
            {
                "time_s": float(time),
                "rms": spectrum.rms,
                "highest_hz": float(places[top]),
                "highest": float(values[top]),
                "levels": [
                    band_rms(
                        replace(plain, mean_square=slices.mean_square[i] * gain),
                        band.low,
                        band.high,
                    )
                    for band, gain in zip(method.levels, gains, strict=True)
                ],
            }
        )
    return told


def _gain(slices: Slices, band: Band) -> Array:
    """What the mean squares of bins are multiplied by to be those of a level."""
    frequency = slices.first.frequency
    try:
        return LevelGain(band, slices.channel.unit).squares(frequency, slices.first.frame_hz)
    except UserError:  # told of the level itself
        return np.full(len(frequency), np.nan)
