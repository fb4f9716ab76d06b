"""What was found, as tables: peaks, the teeth of combs, resonances, levels, the curve itself."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from tonecomb.core.base.units import unit
from tonecomb.core.find.behaviour import Behaviour
from tonecomb.core.find.comb import Comb, Tooth
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method.document import PeakNote
from tonecomb.core.method.sentence import SCALINGS
from tonecomb.core.results.against_truth import Compared, compared
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import NOTHING, Knowledge
from tonecomb.core.results.levels import Breach, LevelReading, level_readings, profile_reading
from tonecomb.core.say import numbers
from tonecomb.core.say.behaviour import words
from tonecomb.core.say.numbers import with_std
from tonecomb.formats.columns import Column, Table


def truth(analysis: Analysis) -> Table[Compared]:
    """What is known to be in a made recording, and what was read of it."""
    unit = analysis.amplitude_unit
    return Table(
        "truth",
        analysis.recording_name,
        analysis.sentence,
        (
            Column("name", "part", lambda one: one.name),
            Column("kind", "what", lambda one: one.kind),
            Column("put_in_hz", "put in", lambda one: one.frequency, "Hz"),
            Column("shows_hz", "shows at", lambda one: _known(one.shows), "Hz"),
            Column(
                "read_hz",
                "read",
                lambda one: _known(one.read),
                "Hz",
                told=lambda one: with_std(one.read, one.read_std),
            ),
            Column("read_std_hz", "±", lambda one: _known(one.read_std), "Hz", ".3g"),
            Column("off_std", "off", lambda one: _known(one.off), "σ", ".3g"),
            Column("amplitude", "put in", lambda one: _known(one.amplitude), unit),
            Column("read_amplitude", "read", lambda one: _known(one.read_amplitude), unit),
            Column(
                "read_amplitude_std", "±", lambda one: _known(one.read_amplitude_std), unit, ".3g"
            ),
            Column("phase_deg", "put in", lambda one: _known(one.phase), "°", ".5g"),
            Column("read_phase_deg", "read", lambda one: _known(one.read_phase), "°", ".5g"),
            Column("note", "note", lambda one: one.note, rarely=True),
        ),
        compared(analysis),
    )


def _known(value: float) -> float | None:
    return None if math.isnan(value) else value


def truth_words(one: Compared, unit: str) -> str:
    """A line of it for reading: put in, read, and by how much they differ."""
    if one.kind == "noise":
        read = "" if math.isnan(one.read_amplitude) else f", read {one.read_amplitude:.3g}"
        return f"{one.name} of {one.amplitude:.4g} rms{read}{_noted(one)}"
    figure = f"{one.amplitude:.4g} {unit}"
    if one.kind == "mode":
        figure = f"damping {100 * one.amplitude:.3g} %"
    text = f"{one.name}: {one.frequency:.6g} Hz, {numbers.signed(figure)}"
    if one.is_folded and not math.isnan(one.shows):
        text += f", folded to {one.shows:.6g} Hz"
    if not math.isnan(one.read):
        size = 100.0 if one.kind == "mode" else 1.0
        level = with_std(size * one.read_amplitude, size * one.read_amplitude_std)
        text += f"; read {with_std(one.read, one.read_std)} Hz"
        text += "" if math.isnan(one.off) else f" ({numbers.signed(f'{one.off:+.1f}')} σ)"
        text += f", {level}{' %' if one.kind == 'mode' else ''}"
        text += (
            ""
            if math.isnan(one.amplitude_off)
            else (f" ({numbers.signed(f'{one.amplitude_off:+.1f}')} σ)")
        )
    return text + _noted(one)


def _noted(one: Compared) -> str:
    return f" – {one.note}" if one.note else ""


@dataclass(frozen=True, eq=False)
class PeakRow:
    """A peak, where it was found, and what is said about it."""

    peak: Peak
    analysis: Analysis
    said: Knowledge = NOTHING

    @cached_property
    def amplitude(self) -> tuple[float, float]:
        """In the method's level, and its standard deviation."""
        return self.analysis.amplitude(self.peak)

    @property
    def doing(self) -> Behaviour | None:
        """How it behaves over the stretch."""
        return self.peak.behaviour

    @property
    def present(self) -> float | None:
        """Amplitude while it stands, in the method's level; None where that is not known."""
        doing, whole = self.peak.behaviour, self.peak.tone.amplitude
        if doing is None or not whole > 0:
            return None
        return self.amplitude[0] * self.analysis.present(self.peak) / whole

    @cached_property
    def note(self) -> PeakNote | None:
        """Its name, and why it is set aside."""
        return self.said.of(self.peak, self.analysis)

    @property
    def order(self) -> float | None:
        """Times the shaft's frequency: of the one that is named, or else of what breathes; None
        where neither is known."""
        known = self.said.order(self.peak.tone.frequency)
        of_shaft = self.analysis.of_shaft(self.peak)
        return known if known is not None or of_shaft is None else of_shaft[0]


def _phase(row: PeakRow) -> str:
    phase = row.peak.tone.phase_deg
    return "wanders" if math.isnan(phase) else numbers.signed(f"{phase:.1f}")


def peak_columns(unit: str) -> tuple[Column[PeakRow], ...]:
    """Of the table of peaks, amplitudes in ``unit``."""
    return (
        Column(
            "frequency_hz",
            "frequency",
            lambda r: r.peak.tone.frequency,
            "Hz",
            told=lambda r: with_std(r.peak.tone.frequency, r.peak.tone.frequency_std),
        ),
        Column(
            "frequency_std_hz", "frequency std", lambda r: r.peak.tone.frequency_std, "Hz", ".3g"
        ),
        Column(
            "amplitude",
            "amplitude",
            lambda r: r.amplitude[0],
            unit,
            ".8g",
            told=lambda r: with_std(*r.amplitude),
        ),
        Column("amplitude_std", "amplitude std", lambda r: r.amplitude[1], unit, ".3g"),
        Column("phase_deg", "phase lead", lambda r: r.peak.tone.phase_deg, "°", ".2f", told=_phase),
        Column(
            "behaviour",
            "behaviour",
            lambda r: r.doing.kind if r.doing else None,
            told=lambda r: words(r.doing),
        ),
        Column(
            "share_of_frames",
            "share of the frames",
            lambda r: r.doing.share if r.doing else None,
            digits=".4g",
        ),
        Column("amplitude_present", "amplitude while it stands", lambda r: r.present, unit, ".8g"),
        Column("moved_hz", "moves by", lambda r: r.doing.moved if r.doing else None, "Hz", ".4g"),
        Column("prominence_db", "prominence", lambda r: r.peak.prominence_db, "dB", ".1f"),
        Column("above_floor_db", "above floor", lambda r: r.peak.above_floor_db, "dB", ".1f"),
        Column(
            "order",
            "order",
            lambda r: r.order,
            digits=".6g",
            rarely=True,
            told=lambda r: "" if r.order is None else f"{r.order:.3f}",
        ),
        Column("name", "name", lambda r: r.note.name if r.note else "", rarely=True),
        Column("set_aside", "set aside", lambda r: r.note.aside if r.note else "", rarely=True),
    )


def peaks(a: Analysis, said: Knowledge = NOTHING, highest: int | None = None) -> Table[PeakRow]:
    """A row a peak, or only so many of the highest. A wandering phase is left empty."""
    listed = a.peaks or () if highest is None else a.highest(highest)
    rows = [PeakRow(peak, a, said) for peak in listed]
    return Table("peaks", a.recording_name, a.sentence, peak_columns(a.amplitude_unit), rows)


@dataclass(frozen=True, eq=False)
class ToothRow:
    """A tooth of a comb."""

    tooth: Tooth
    comb: Comb

    def if_found(self, value: float) -> float:
        """A figure of the tone at the tooth, nan where there is none."""
        return value if self.tooth.found else math.nan

    @property
    def share(self) -> float:
        """Of the comb's power, percent."""
        if not self.tooth.found or not self.comb.power > 0:
            return math.nan
        return 100 * self.tooth.amplitude**2 / self.comb.power


def tooth_columns(unit: str) -> tuple[Column[ToothRow], ...]:
    """Of the table of teeth, amplitudes in ``unit``."""
    return (
        Column("comb", "comb", lambda r: r.comb.name),
        Column("kind", "kind", lambda r: "harmonics" if r.comb.carrier is None else "sidebands"),
        Column("spacing_hz", "spacing", lambda r: r.comb.spacing, "Hz"),
        Column("spacing_std_hz", "spacing std", lambda r: r.comb.spacing_std, "Hz", ".3g"),
        Column("moved_hz", "fundamental moves by", lambda r: r.comb.moved, "Hz", ".4g"),
        Column("carrier_hz", "carrier", lambda r: r.comb.carrier, "Hz"),
        Column("number", "tooth", lambda r: r.tooth.number, digits="d"),
        Column("expected_hz", "expected", lambda r: r.tooth.expected, "Hz"),
        Column("frequency_hz", "found", lambda r: r.if_found(r.tooth.frequency), "Hz"),
        Column("deviation_hz", "deviation", lambda r: r.if_found(r.tooth.deviation), "Hz", ".3g"),
        Column("amplitude", "amplitude", lambda r: r.if_found(r.tooth.amplitude), unit, ".8g"),
        Column("share_percent", "share of the comb's power", lambda r: r.share, "%", ".4g"),
    )


def combs(a: Analysis, families: Sequence[Comb]) -> Table[ToothRow]:
    """A row a tooth of each family."""
    rows = [ToothRow(tooth, comb) for comb in families for tooth in comb.teeth]
    return Table("combs", a.recording_name, a.sentence, tooth_columns(a.amplitude_unit), rows)


RESONANCE_COLUMNS: tuple[Column[Resonance], ...] = (
    Column(
        "natural_frequency_hz",
        "natural frequency",
        lambda r: r.frequency,
        "Hz",
        told=lambda r: with_std(r.frequency, r.frequency_std),
    ),
    Column("natural_frequency_std_hz", "frequency std", lambda r: r.frequency_std, "Hz", ".3g"),
    Column(
        "damping_ratio",
        "damping ratio",
        lambda r: r.damping,
        digits=".6g",
        told=lambda r: with_std(r.damping, r.damping_std),
    ),
    Column("damping_ratio_std", "damping ratio std", lambda r: r.damping_std, digits=".3g"),
    Column("q", "Q", lambda r: r.q, digits=".6g"),
    Column("half_power_bandwidth_hz", "half-power bandwidth", lambda r: r.bandwidth, "Hz", ".6g"),
    Column(
        "half_power_measured_hz", "half-power in the spectrum", lambda r: r.half_power, "Hz", ".6g"
    ),
    Column("excited_by", "excited by", lambda r: r.kind),
)


def resonances(a: Analysis) -> Table[Resonance]:
    """A row a mode."""
    return Table("resonances", a.recording_name, a.sentence, RESONANCE_COLUMNS, a.resonances)


LEVEL_COLUMNS: tuple[Column[LevelReading], ...] = (
    Column("name", "name", lambda r: r.band.name, rarely=True),
    Column("quantity", "quantity", lambda r: unit(r.unit).quantity.lower()),
    Column("low_hz", "from", lambda r: r.band.low, "Hz"),
    Column("high_hz", "to", lambda r: r.band.high, "Hz"),
    Column("detector", "detector", lambda r: r.band.detector),
    Column("weighting", "weighting", lambda r: r.band.weighting, rarely=True),
    Column("value", "value", lambda r: r.value, digits=".8g"),
    Column("unit", "unit", lambda r: r.unit),
    Column("zone", "zone", lambda r: r.zone),
    Column(
        "limits",
        "zones end at",
        lambda r: " ".join(f"{one:g}" for one in r.band.limits),
        rarely=True,
    ),
    Column("exceeded", "exceeded", lambda r: "yes" if r.exceeded else "", rarely=True),
    Column("not_judged", "not judged", lambda r: r.why_not, rarely=True),
)


def levels(a: Analysis) -> Table[LevelReading]:
    """A row a level that the method asks for."""
    return Table("levels", a.recording_name, a.sentence, LEVEL_COLUMNS, level_readings(a))


BREACH_COLUMNS: tuple[Column[Breach], ...] = (
    Column("low_hz", "from", lambda r: r.low, "Hz"),
    Column("high_hz", "to", lambda r: r.high, "Hz"),
    Column("at_hz", "farthest at", lambda r: r.at, "Hz"),
    Column("off_db", "off by", lambda r: r.off, "dB", ".2f"),
)


def breaches(a: Analysis) -> list[Table[Breach]]:
    """A row a range in which a test spectrum is left; no table where there is none."""
    reading = profile_reading(a)
    if reading is None:
        return []
    return [Table("breaches", a.recording_name, a.sentence, BREACH_COLUMNS, reading.breaches)]


def spectrum(a: Analysis) -> Table[Any]:
    """What is drawn within the method's frequency range: a row a bin with frequency and value, or
    a band with both edges and its value."""
    search, curve = a.method.search.peaks, a.curve
    low = -np.inf if search.low is None else search.low
    high = np.inf if search.high is None else search.high
    name = a.method.shown.display.words() or SCALINGS[a.scaling]
    value: Column[Any] = Column("value", name, lambda r: r[-1], a.values_unit)
    if curve.stepped:
        every = zip(curve.frequency[:-1], curve.frequency[1:], curve.values, strict=True)
        rows: list[Any] = [row for row in every if row[0] >= low and row[1] <= high]
        columns: tuple[Column[Any], ...] = (
            Column("low_hz", "from", lambda r: r[0], "Hz"),
            Column("high_hz", "to", lambda r: r[1], "Hz"),
            value,
        )
    else:
        inside = (curve.frequency >= low) & (curve.frequency <= high)
        rows = list(zip(curve.frequency[inside], curve.values[inside], strict=True))
        columns = (Column("frequency_hz", "frequency", lambda r: r[0], "Hz"), value)
    return Table("spectrum", a.recording_name, a.sentence, columns, rows)
