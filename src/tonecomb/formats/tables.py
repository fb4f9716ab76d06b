"""Spectrum and peaks as CSV files and as text for the clipboard."""

from __future__ import annotations

import csv
import io
import math

import numpy as np

from tonecomb import __version__
from tonecomb.core.analysis import Analysis
from tonecomb.core.method import SCALINGS
from tonecomb.core.recording import Array

PEAK_HEADER = (
    "frequency [Hz]",
    "frequency std [Hz]",
    "amplitude [{unit}]",
    "amplitude std [{unit}]",
    "phase [°]",
    "prominence [dB]",
)


def in_range(analysis: Analysis) -> tuple[Array, Array]:
    """Frequencies and values within the method's frequency range."""
    search, frequency = analysis.method.search, analysis.spectrum.frequency
    low = -np.inf if search.low is None else search.low
    high = np.inf if search.high is None else search.high
    inside = (frequency >= low) & (frequency <= high)
    return frequency[inside], analysis.values[inside]


def spectrum_csv(analysis: Analysis) -> str:
    """The spectrum in the method's scaling, a row a bin, with the method in comment lines."""
    name = SCALINGS[analysis.method.scaling]
    frequency, values = in_range(analysis)
    text = _comments(analysis) + f"frequency [Hz],{name} [{analysis.values_unit}]\r\n"
    rows = (f"{f:.10g},{v:.10g}\r\n" for f, v in zip(frequency, values, strict=True))
    return text + "".join(rows)


def peaks_csv(analysis: Analysis) -> str:
    """The peaks table, with the method in comment lines. A wandering phase is left empty."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(title.format(unit=analysis.amplitude_unit) for title in PEAK_HEADER)
    writer.writerows(peak_rows(analysis))
    return _comments(analysis) + out.getvalue()


def peaks_text(analysis: Analysis) -> str:
    """The peaks table with tabs, as a spreadsheet takes it from the clipboard."""
    header = "\t".join(title.format(unit=analysis.amplitude_unit) for title in PEAK_HEADER)
    return "\n".join([header, *("\t".join(row) for row in peak_rows(analysis))]) + "\n"


def spectrum_text(analysis: Analysis) -> str:
    """Frequency and value with tabs, a line a bin."""
    name = SCALINGS[analysis.method.scaling]
    frequency, values = in_range(analysis)
    rows = (f"{f:.10g}\t{v:.10g}" for f, v in zip(frequency, values, strict=True))
    return "\n".join([f"frequency [Hz]\t{name} [{analysis.values_unit}]", *rows]) + "\n"


def peak_rows(analysis: Analysis) -> list[list[str]]:
    """Cells of each peak in the order of :data:`PEAK_HEADER`."""
    rows = []
    for peak in analysis.peaks or ():
        tone = peak.tone
        amplitude, std = analysis.amplitude(peak)
        rows.append(
            [
                f"{tone.frequency:.10g}",
                f"{tone.frequency_std:.3g}",
                f"{amplitude:.8g}",
                f"{std:.3g}",
                "" if math.isnan(tone.phase_deg) else f"{tone.phase_deg:.2f}",
                f"{peak.prominence_db:.1f}",
            ]
        )
    return rows


def _comments(analysis: Analysis) -> str:
    lines = (
        f"# {analysis.recording_name}: {analysis.sentence}",
        f"# Tone Comb {__version__}",
    )
    return "".join(line + "\r\n" for line in lines)
