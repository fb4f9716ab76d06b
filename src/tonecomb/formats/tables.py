"""Spectrum and peaks as CSV files and as text for the clipboard."""

from __future__ import annotations

import csv
import io
import math

import numpy as np

from tonecomb import __version__
from tonecomb.core.analysis import Analysis
from tonecomb.core.find.combs import Comb
from tonecomb.core.find.knowledge import NOTHING, Knowledge
from tonecomb.core.method import SCALINGS

PEAK_HEADER = (
    "frequency [Hz]",
    "frequency std [Hz]",
    "amplitude [{unit}]",
    "amplitude std [{unit}]",
    "phase [°]",
    "prominence [dB]",
    "above floor [dB]",
    "order",
    "name",
    "set aside",
)


def _numbers(analysis: Analysis) -> tuple[tuple[str, ...], list[tuple[float, ...]]]:
    """Titles and rows of what is drawn within the method's frequency range: frequency and value,
    or both edges of each band and its value."""
    search, curve = analysis.method.search, analysis.curve
    low = -np.inf if search.low is None else search.low
    high = np.inf if search.high is None else search.high
    name = analysis.method.display.words() or SCALINGS[analysis.scaling]
    value = f"{name} [{analysis.values_unit}]"
    if curve.stepped:
        rows = zip(curve.frequency[:-1], curve.frequency[1:], curve.values, strict=True)
        bands = [row for row in rows if row[0] >= low and row[1] <= high]
        return ("from [Hz]", "to [Hz]", value), list[tuple[float, ...]](bands)
    inside = (curve.frequency >= low) & (curve.frequency <= high)
    pairs = zip(curve.frequency[inside], curve.values[inside], strict=True)
    return ("frequency [Hz]", value), list[tuple[float, ...]](pairs)


def spectrum_csv(analysis: Analysis) -> str:
    """The spectrum in the method's scaling, a row a bin or band, with the method in comment
    lines."""
    titles, rows = _numbers(analysis)
    lines = (",".join(f"{number:.10g}" for number in row) for row in rows)
    return _comments(analysis) + "".join(f"{line}\r\n" for line in (",".join(titles), *lines))


def peaks_csv(analysis: Analysis, said: Knowledge = NOTHING) -> str:
    """The peaks table, with the method in comment lines. A wandering phase is left empty."""
    return _csv(analysis, PEAK_HEADER, peak_rows(analysis, said))


def _csv(analysis: Analysis, header: tuple[str, ...], rows: list[list[str]]) -> str:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(title.format(unit=analysis.amplitude_unit) for title in header)
    writer.writerows(rows)
    return _comments(analysis) + out.getvalue()


def _tabbed(analysis: Analysis, header: tuple[str, ...], rows: list[list[str]]) -> str:
    """A table with tabs, as a spreadsheet takes it from the clipboard."""
    titles = [title.format(unit=analysis.amplitude_unit) for title in header]
    return "".join("\t".join(row) + "\n" for row in (titles, *rows))


COMB_HEADER = (
    "comb", "kind", "spacing [Hz]", "spacing std [Hz]", "carrier [Hz]", "tooth", "expected [Hz]",
    "found [Hz]", "deviation [Hz]", "amplitude [{unit}]", "share of the comb's power [%]",
)  # fmt: skip


def combs_csv(analysis: Analysis, said: Knowledge = NOTHING) -> str:
    """A row a tooth of every family, with the method in comment lines."""
    return _csv(analysis, COMB_HEADER, comb_rows(said.families(analysis)))


def combs_text(analysis: Analysis, combs: tuple[Comb, ...]) -> str:
    """The teeth of these families with tabs."""
    return _tabbed(analysis, COMB_HEADER, comb_rows(combs))


def comb_rows(combs: tuple[Comb, ...]) -> list[list[str]]:
    """Cells of each tooth in the order of :data:`COMB_HEADER`."""
    rows = []
    for comb in combs:
        kind = "harmonics" if comb.carrier is None else "sidebands"
        carrier = "" if comb.carrier is None else f"{comb.carrier:.10g}"
        for tooth in comb.teeth:
            cells = ["", "", "", ""]
            if tooth.found:
                cells = [f"{tooth.frequency:.10g}", f"{tooth.deviation:.3g}",
                         f"{tooth.amplitude:.8g}",
                         f"{100 * tooth.amplitude**2 / comb.power:.4g}"]  # fmt: skip
            rows.append(
                [comb.name, kind, f"{comb.spacing:.10g}", f"{comb.spacing_std:.3g}", carrier,
                 str(tooth.number), f"{tooth.expected:.10g}", *cells]
            )  # fmt: skip
    return rows


RESONANCE_HEADER = (
    "natural frequency [Hz]", "frequency std [Hz]", "damping ratio", "damping ratio std", "Q",
    "half-power bandwidth [Hz]", "half-power in the spectrum [Hz]", "excited by",
)  # fmt: skip


def resonances_csv(analysis: Analysis) -> str:
    """A row a mode, with the method in comment lines."""
    return _csv(analysis, RESONANCE_HEADER, resonance_rows(analysis))


def resonances_text(analysis: Analysis) -> str:
    """The modes with tabs."""
    return _tabbed(analysis, RESONANCE_HEADER, resonance_rows(analysis))


def resonance_rows(analysis: Analysis) -> list[list[str]]:
    """Cells of each mode in the order of :data:`RESONANCE_HEADER`."""
    return [
        [f"{one.frequency:.10g}", f"{one.frequency_std:.3g}", f"{one.damping:.6g}",
         f"{one.damping_std:.3g}", f"{one.q:.6g}", f"{one.bandwidth:.6g}",
         "" if math.isnan(one.half_power) else f"{one.half_power:.6g}", one.kind]
        for one in analysis.resonances
    ]  # fmt: skip


BAND_HEADER = ("name", "from [Hz]", "to [Hz]", "rms [{unit}]")


def bands_csv(analysis: Analysis) -> str:
    """A row a band, with the method in comment lines."""
    header = tuple(title.format(unit=analysis.unit.symbol) for title in BAND_HEADER)
    rows = [
        [band.name, f"{band.low:.10g}", f"{band.high:.10g}", f"{level:.8g}"]
        for band, level in zip(analysis.method.bands, analysis.band_levels, strict=True)
    ]
    return _csv(analysis, header, rows)


def peaks_text(analysis: Analysis, said: Knowledge = NOTHING) -> str:
    """The peaks table with tabs."""
    return _tabbed(analysis, PEAK_HEADER, peak_rows(analysis, said))


def spectrum_text(analysis: Analysis) -> str:
    """What is drawn with tabs, a line a bin or band."""
    titles, rows = _numbers(analysis)
    lines = ("\t".join(f"{number:.10g}" for number in row) for row in rows)
    return "\n".join(["\t".join(titles), *lines]) + "\n"


def peak_rows(analysis: Analysis, said: Knowledge = NOTHING) -> list[list[str]]:
    """Cells of each peak in the order of :data:`PEAK_HEADER`."""
    rows = []
    for peak in analysis.peaks or ():
        tone = peak.tone
        amplitude, std = analysis.amplitude(peak)
        note, order = said.of(peak, analysis), said.order(tone.frequency)
        rows.append(
            [
                f"{tone.frequency:.10g}",
                f"{tone.frequency_std:.3g}",
                f"{amplitude:.8g}",
                f"{std:.3g}",
                "" if math.isnan(tone.phase_deg) else f"{tone.phase_deg:.2f}",
                f"{peak.prominence_db:.1f}",
                f"{peak.above_floor_db:.1f}",
                "" if order is None else f"{order:.6g}",
                "" if note is None else note.name,
                "" if note is None else note.aside,
            ]
        )
    return rows


def _comments(analysis: Analysis) -> str:
    lines = (
        f"# {analysis.recording_name}: {analysis.sentence}",
        f"# Tone Comb {__version__}",
    )
    return "".join(line + "\r\n" for line in lines)
