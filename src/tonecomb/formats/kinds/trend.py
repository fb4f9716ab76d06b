"""How a stretch changes from frame to frame: tracks, levels, figures."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import replace
from typing import Any, ClassVar

import numpy as np

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import LevelGain
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.method.method import Method, Shown
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.results.trend import Trend, run_trend
from tonecomb.formats.columns import Table, series
from tonecomb.formats.kinds.kind import Kind, Picture, ResultContext


class Trends(Kind[Trend]):
    key: ClassVar[str] = "trend"
    doing: ClassVar[str] = "Following the frames"

    def parts(self, method: Method) -> Method:
        # Levels of bands are in the quantity that is shown; how they are scaled is for the view.
        return replace(method.tracking_key(), shown=Shown(display=method.shown.display))

    def called_for(self, method: Method, asked: Hashable) -> bool:
        return bool(method.follow.tracks)

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> Trend:
        return run_trend(method, recording, method.follow.tracks, progress)

    def values(self, result: Trend, context: ResultContext) -> dict[str, Any]:
        bands = zip(result.method.levels, result.bands, strict=True)
        return {
            "trend": {
                "time_s": result.time.tolist(),
                "rms": result.rms.tolist(),
                "crest_factor": result.crest.tolist(),
                "kurtosis": result.kurtosis.tolist(),
                "levels": [
                    {
                        "low_hz": band.low,
                        "high_hz": band.high,
                        "unit": _unit(band, result),
                        "rms": level.tolist(),
                    }
                    for band, level in bands
                ],
                "tracks": [
                    {
                        "low_hz": track.wanted.low,
                        "high_hz": track.wanted.high,
                        **({"teeth": list(track.wanted.teeth)} if track.wanted.teeth else {}),
                        "frequency_hz": track.frequency.tolist(),
                        "amplitude": amplitude(result, i).tolist(),
                    }
                    for i, track in enumerate(result.tracks)
                ],
            }
        }

    def lines(self, result: Trend, context: ResultContext) -> list[str]:
        lines = []
        for track in result.tracks:
            there = np.isfinite(track.frequency)
            if not there.any():
                lines.append(f"track {track.wanted.title}: nothing stands above the noise")
                continue
            values, time = track.frequency[there], result.time[there]
            lines.append(
                f"track {track.wanted.title}: {values[0]:.6g} Hz at {time[0]:.4g} s to "
                f"{values[-1]:.6g} Hz at {time[-1]:.4g} s, {values.min():.6g} to "
                f"{values.max():.6g} Hz, there in {100 * there.mean():.0f} % of {len(there)} frames"
            )
        return lines

    def tables(self, result: Trend, context: ResultContext) -> list[Table[Any]]:
        """A row a frame; a track's cells are empty in gaps."""
        method, unit, a = result.method, result.channel.unit, context.analysis
        text = method.shown.display.unit(unit).symbol
        columns: list[tuple[str, str, Any]] = [
            ("time_s", "time [s]", result.time),
            ("rms", f"rms [{unit}]", result.rms),
            ("crest_factor", "crest factor", result.crest),
            ("kurtosis", "kurtosis", result.kurtosis),
        ]
        for band, level in zip(method.levels, result.bands, strict=True):
            symbol = _unit(band, result)
            columns.append((f"{band.called} {symbol}", f"{band.called} [{symbol} rms]", level))
        for i, track in enumerate(result.tracks):
            title = track.wanted.title
            columns.append((f"{title} hz", f"{title} [Hz]", track.frequency))
            level = f"{title} [{text} {method.shown.level}]"
            columns.append((f"{title} amplitude", level, amplitude(result, i)))
        return [series("trend", a.recording_name, a.sentence, columns)]

    def pictures(self, result: Trend, context: ResultContext) -> list[Picture]:
        from tonecomb.formats.report.figures_in_time import trend_panel

        shown = lines_of(result, "levels")
        words = "One value a frame, at the frame's middle."
        return [Picture("trend", trend_panel(result, *shown), words)]


def amplitude(trend: Trend, number: int) -> Array:
    """A track's amplitude in the level and quantity that are shown, shape (frames,)."""
    track, shown = trend.tracks[number], trend.method.shown
    known = np.nan_to_num(track.frequency)
    gain = shown.display.gain(known, trend.channel.unit)
    return np.asarray(track.amplitude * gain * LEVEL_FACTORS[shown.level])


def lines_of(trend: Trend, kind: str) -> tuple[list[tuple[str, Array]], str, str]:
    """Named values against time, what they are and their unit: ``levels`` and tracks in the unit
    that is shown, or where there are none the levels in that of the first (else the rms), ``rms``,
    ``crest`` or ``kurtosis``."""
    symbol, method = trend.channel.unit, trend.method
    if kind == "crest":
        return [("crest factor", trend.crest)], "Crest factor", ""
    if kind == "kurtosis":
        return [("kurtosis", trend.kurtosis)], "Kurtosis", ""
    text = method.shown.display.unit(symbol).symbol
    bands = [
        (band.called, _unit(band, trend), level)
        for band, level in zip(method.levels, trend.bands, strict=True)
    ]
    if bands and not trend.tracks and text not in {unit for _, unit, _ in bands}:
        text = bands[0][1]
    found = [(name, level) for name, unit, level in bands if unit == text]
    rms = 1 / LEVEL_FACTORS[method.shown.level]
    found += [(one.wanted.title, rms * amplitude(trend, i)) for i, one in enumerate(trend.tracks)]
    if kind == "rms" or not found:
        return [("rms of the frames", trend.rms)], "Rms", symbol
    return found, "Level", f"{text} rms"


def _unit(band: Band, trend: Trend) -> str:
    return LevelGain(band, trend.channel.unit).symbol
