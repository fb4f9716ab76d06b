"""What changes in time, for JSON, for reading, and as CSV: slices and tracks."""

from __future__ import annotations

import csv
import io
import math
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from tonecomb.core.changing import Changing
from tonecomb.core.estimate.bands import band_rms
from tonecomb.core.estimate.slices import Slices
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.estimate.trend import Trend
from tonecomb.core.record.recording import Array
from tonecomb.core.say.numbers import with_std

if TYPE_CHECKING:  # they bring SciPy's interpolation
    from tonecomb.core.find.crossings import Crossing
    from tonecomb.core.find.run_up import RunUp


def amplitude(trend: Trend, number: int) -> Array:
    """A track's amplitude in the level and quantity that are shown, shape (frames,)."""
    track, method = trend.tracks[number], trend.method
    known = np.nan_to_num(track.frequency)
    gain = method.display.gain(known, trend.channel.unit)
    return np.asarray(track.amplitude * gain * LEVEL_FACTORS[method.level])


def lines(trend: Trend, kind: str) -> tuple[list[tuple[str, Array]], str, str]:
    """Named values against time, what they are and their unit: ``levels`` of bands and tracks (rms
    where there are none), ``rms``, ``crest`` or ``kurtosis``."""
    symbol, method = trend.channel.unit, trend.method
    if kind == "crest":
        return [("crest factor", trend.crest)], "Crest factor", ""
    if kind == "kurtosis":
        return [("kurtosis", trend.kurtosis)], "Kurtosis", ""
    bands = zip(method.bands, trend.bands, strict=True)
    found = [(band.name or f"{band.low:g}–{band.high:g} Hz", level) for band, level in bands]
    rms = 1 / LEVEL_FACTORS[method.level]
    found += [(one.wanted.title, rms * amplitude(trend, i)) for i, one in enumerate(trend.tracks)]
    if kind == "rms" or not found:
        return [("rms of the frames", trend.rms)], "Rms", symbol
    return found, "Level", f"{method.display.unit(symbol).symbol} rms"


def values(changing: Changing) -> dict[str, Any]:
    """For JSON: ``slices``, ``trend`` and ``run_up``, those that there are."""
    slices, trend = changing.slices, changing.trend
    told: dict[str, Any] = {}
    if slices is not None:
        told["slices"] = _slices(slices)
    if trend is not None:
        told["trend"] = {
            "time_s": trend.time.tolist(),
            "rms": trend.rms.tolist(),
            "crest_factor": trend.crest.tolist(),
            "kurtosis": trend.kurtosis.tolist(),
            "bands": [
                {"low_hz": band.low, "high_hz": band.high, "rms": level.tolist()}
                for band, level in zip(trend.method.bands, trend.bands, strict=True)
            ],
            "tracks": [
                {
                    "low_hz": track.wanted.low,
                    "high_hz": track.wanted.high,
                    **({"teeth": list(track.wanted.teeth)} if track.wanted.teeth else {}),
                    "frequency_hz": track.frequency.tolist(),
                    "amplitude": amplitude(trend, i).tolist(),
                }
                for i, track in enumerate(trend.tracks)
            ],
        }
    if changing.run_up is not None:
        told["run_up"] = _run_up_values(changing.run_up)
    return told


def _slices(slices: Slices) -> list[dict[str, Any]]:
    """Of each slice its rms, its highest place and its bands, in the quantity that is shown."""
    method, curves = slices.method, slices.curves()
    every = slices.displayed(method.display)
    places = curves.frequency
    if curves.stepped:
        places = np.sqrt(places[:-1] * places[1:])
    told = []
    for time, squares, values in zip(slices.time, every.mean_square, curves.values, strict=True):
        spectrum, first = replace(every, mean_square=squares), 0 if curves.stepped else 1
        top = int(np.argmax(values[first:])) + first
        told.append(
            {
                "time_s": float(time),
                "rms": spectrum.rms,
                "highest_hz": float(places[top]),
                "highest": float(values[top]),
                "bands": [band_rms(spectrum, band.low, band.high) for band in method.bands],
            }
        )
    return told


def text(changing: Changing) -> str:
    """For reading: a line a slice, what each track does, the orders and what they meet."""
    slices, trend = changing.slices, changing.trend
    lines = []
    if slices is not None:
        for one in _slices(slices):
            bands = "".join(f"  {level:.5g}" for level in one["bands"])
            lines.append(
                f"  slice {one['time_s']:.4f} s: rms {one['rms']:.5g}, highest "
                f"{one['highest']:.5g} at {one['highest_hz']:.5g} Hz{bands}"
            )
    for track in () if trend is None else trend.tracks:
        there = np.isfinite(track.frequency)
        assert trend is not None
        if not there.any():
            lines.append(f"  track {track.wanted.title}: nothing stands above the noise")
            continue
        shown = track.frequency[there]
        lines.append(
            f"  track {track.wanted.title}: {shown[0]:.6g} Hz at {trend.time[there][0]:.4g} s to "
            f"{shown[-1]:.6g} Hz at {trend.time[there][-1]:.4g} s, {shown.min():.6g} to "
            f"{shown.max():.6g} Hz, there in {100 * there.mean():.0f} % of {len(there)} frames"
        )
    if changing.run_up is not None:
        lines += _run_up_lines(changing.run_up)
    return "".join(f"{line}\n" for line in lines)


def _run_up_values(found: RunUp) -> dict[str, Any]:
    """Orders, their levels over speed, and resonances."""
    levels, spectrum = found.levels, found.spectrum
    factor = LEVEL_FACTORS[spectrum.method.level]
    return {
        "method": found.sentence,
        "time_s": levels.time.tolist(),
        "speed_hz": levels.speed.tolist(),
        "orders": [
            {"order": order, "amplitude": (np.abs(row) * factor).tolist()}
            for order, row in zip(levels.orders, levels.amplitude, strict=True)
        ],
        "order_spectrum": [
            {"order": peak.tone.frequency, "amplitude": spectrum.amplitude(peak)[0]}
            for peak in found.orders
        ],
        "resonances": [
            {
                "natural_frequency_hz": one.frequency,
                "natural_frequency_std_hz": one.frequency_std,
                "damping_ratio": one.damping,
                "damping_ratio_std": one.damping_std,
                "order": one.order,
                "speed_hz": one.speed,
            }
            for one in found.crossings
        ],
    }


def _run_up_lines(found: RunUp) -> list[str]:
    """The orders that stand out, and the resonances that they meet."""
    levels, spectrum = found.levels, found.spectrum
    lines = [
        f"  {found.sentence}",
        f"  from {levels.speed.min():.5g} to {levels.speed.max():.5g} Hz, "
        f"{len(levels.speed)} frames of {levels.turns} turns",
    ]
    lines += [
        f"  order {peak.tone.frequency:.4f}: {spectrum.amplitude(peak)[0]:.5g} "
        f"{spectrum.amplitude_unit}"
        for peak in found.orders
    ]
    return lines + [f"  {crossing_words(one, found)}" for one in found.crossings]


def crossing_words(one: Crossing, found: RunUp) -> str:
    """A resonance that a run-up showed, in one line."""
    damping = "" if math.isnan(one.damping) else (
        f", damping {with_std(100 * one.damping, 100 * one.damping_std)} %"
    )  # fmt: skip
    met = "met" if one.speed <= found.levels.speed.max() else "would be met"
    return (
        f"resonance at {with_std(one.frequency, one.frequency_std)} Hz{damping}: {met} by order "
        f"{one.order:g} at {one.speed:.4g} Hz"
    )


def orders_csv(found: RunUp) -> str:
    """A row a frame: time, speed, and each order's amplitude and phase."""
    levels, spectrum = found.levels, found.spectrum
    factor = LEVEL_FACTORS[spectrum.method.level]
    titles, columns = ["time [s]", "speed [Hz]"], [levels.time, levels.speed]
    for order, row in zip(levels.orders, levels.amplitude, strict=True):
        titles += [f"order {order:g} [{spectrum.amplitude_unit}]", f"order {order:g} phase [°]"]
        columns += [np.abs(row) * factor, np.degrees(np.angle(row))]
    return _csv(titles, columns)


def trend_csv(trend: Trend) -> str:
    """A row a frame: time, overall figures, bands, and each track's frequency and amplitude,
    which are empty in gaps."""
    method, unit = trend.method, trend.channel.unit
    shown = method.display.unit(unit).symbol
    titles = ["time [s]", f"rms [{unit}]", "crest factor", "kurtosis"]
    columns = [trend.time, trend.rms, trend.crest, trend.kurtosis]
    for band, level in zip(method.bands, trend.bands, strict=True):
        titles.append(f"{band.name or f'{band.low:g}–{band.high:g} Hz'} [{shown} rms]")
        columns.append(level)
    for i, track in enumerate(trend.tracks):
        titles += [f"{track.wanted.title} [Hz]", f"{track.wanted.title} [{shown} {method.level}]"]
        columns += [track.frequency, amplitude(trend, i)]
    return _csv(titles, columns)


def slices_csv(slices: Slices) -> str:
    """A row a bin (or band, by its lower edge), a column a slice."""
    curves = slices.curves()
    titles = ["frequency [Hz]", *(f"{time:.6g} s" for time in slices.time)]
    frequency = curves.frequency[: curves.values.shape[1]]
    return _csv(titles, [frequency, *curves.values])


def _csv(titles: list[str], columns: list[Array]) -> str:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(titles)
    for row in zip(*columns, strict=True):
        writer.writerow("" if np.isnan(cell) else f"{cell:.8g}" for cell in row)
    return out.getvalue()
