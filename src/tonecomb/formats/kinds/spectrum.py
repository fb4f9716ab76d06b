"""The averaged spectrum with what was found in it."""

from __future__ import annotations

import math
from collections.abc import Hashable
from typing import Any, ClassVar

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.find.comb import Comb, inharmonicity, mains, matching
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.peaks import Peak
from tonecomb.core.find.ratios import ratio_words
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.account import Part
from tonecomb.core.results.against_truth import compared
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import Knowledge
from tonecomb.core.results.levels import level_readings, profile_reading
from tonecomb.core.results.machine_time import MachineTime
from tonecomb.core.results.search import run
from tonecomb.core.say.behaviour import words
from tonecomb.core.say.distortion import counted, distortion_words
from tonecomb.core.say.in_short import in_short
from tonecomb.core.say.numbers import borne, span, with_std
from tonecomb.formats import readings
from tonecomb.formats.columns import Table
from tonecomb.formats.kinds.kind import Kind, Picture, ResultContext
from tonecomb.formats.report.figures import DrawnSpectrum, flags_of, spectrum_panel
from tonecomb.formats.session.schema import method_values

LISTED = 30  # peaks in a list that people read


class SpectrumKind(Kind[Analysis]):
    key: ClassVar[str] = "spectrum"
    doing: ClassVar[str] = "Averaging the spectrum"

    def parts(self, method: Method) -> Method:
        return method.findings()

    def called_for(self, method: Method, asked: Hashable) -> bool:
        return True

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> Analysis:
        return run(method, recording, progress)

    def values(self, result: Analysis, context: ResultContext) -> dict[str, Any]:
        a, said, r = result, context.said, result.resolution
        families = said.families(a)
        table = readings.peaks(a, said)
        peaks = [
            value
            | {"unit": a.amplitude_unit}
            | ({"by_hand": True} if row.peak.by_hand else {})
            | _resonance(a.resonance(row.peak))
            | _turning(row.peak, a)
            for value, row in zip(table.values(), table.rows, strict=True)
        ]
        return (
            {
                "channel": a.channel.name,
                "in_short": [one.text for one in in_short(a, context.cautions, said)],
                "unit": a.unit.symbol,
                "method": a.sentence,
                "method_values": method_values(a.method),
                "steps": [
                    step.words(()) for step in a.method.source.steps if not (step.off or step.adds)
                ],
                "resolution": {
                    "bin_hz": r.bin_hz,
                    "enbw_hz": r.enbw_hz,
                    "frame_s": r.frame_s,
                    "frames": r.frames,
                    "effective_averages": r.effective_averages,
                    "covered_fraction": r.covered_fraction,
                },
                "rms": a.rms,
                "rms_of": a.rms_of,
                "peaks": peaks,
                "unlisted_peaks": 0 if a.found is None else a.found.unlisted,
                "resonances": [_resonance(one) for one in a.resonances],
                "combs": [_comb(comb, families, a.unit.quantity) for comb in families],
                "account": [_part(one, a) for one in a.account.parts],
                "levels": readings.levels(a).values(),
                "bands": [
                    {
                        "low_hz": one.band.low,
                        "high_hz": one.band.high,
                        "rms": one.value,
                        "unit": one.unit,
                    }
                    for one in level_readings(a)
                    if one.band.detector == "rms"
                ],
                "cautions": [{"code": one.code, "text": one.text} for one in context.cautions],
            }
            | _tested(a)
            | ({} if a.truth is None else {"truth": readings.truth(a).values()})
            | ({} if a.machine is None else {"machine": _machine(a.machine, a)})
        )

    def lines(self, result: Analysis, context: ResultContext) -> list[str]:
        a, said, r = result, context.said, result.resolution
        frames = "frame" if r.frames == 1 else "frames"
        lines = [f"• {one.text}" for one in in_short(a, context.cautions, said)]
        lines += [
            "",
            f"bins {r.bin_hz:.5g} Hz, ENBW {r.enbw_hz:.5g} Hz, {r.frames} {frames} of "
            f"{r.frame_s:.4g} s cover {100 * r.covered_fraction:.1f} % of the stretch, "
            f"rms {a.rms_of} {a.rms:.5g} {a.unit.symbol}",
            "",
            f"{'Hz':>14} {'±':>9} {a.amplitude_unit:>14} {'±':>9} {'°':>8} {'dB':>6}",
        ]
        listed = a.highest(LISTED)
        for peak in listed:
            tone, (amplitude, std) = peak.tone, a.amplitude(peak)
            phase = "wanders" if math.isnan(tone.phase_deg) else f"{tone.phase_deg:.1f}"
            known = borne(tone.frequency, tone.frequency_std)
            lines.append(
                f"{tone.frequency:>14.5f} {known:>9.2g} {amplitude:>14.6g} "
                f"{std:>9.2g} {phase:>8} {peak.prominence_db:>6.1f}{_said(said, peak, a)}"
            )
        if folded := len(a.momentary):
            lines.append(f"{folded} more, each in under 5 % of the frames: with --json and --out")
        if (more := len(a.peaks or ()) - len(listed) - folded) > 0:
            lines.append(f"{more} lower peaks more: with --json, and with --out in peaks.csv")
        if not a.peaks:
            axes = a.method.source.axes
            lines.append("no peaks are fitted to a sum of axes" if axes else "no peaks")
        lines += [f"resonance {resonance_words(one)}" for one in a.resonances]
        families = said.families(a)
        lines += [f"comb {comb_words(comb, families, a)}" for comb in families]
        lines += [f"made: {readings.truth_words(one, a.amplitude_unit)}" for one in compared(a)]
        lines += [f"level {one.words}" for one in level_readings(a)]
        tested = profile_reading(a)
        lines += [] if tested is None else [tested.words]
        return lines + [f"{caution.code}: {caution.text}" for caution in context.cautions]

    def tables(self, result: Analysis, context: ResultContext) -> list[Table[Any]]:
        return [
            readings.spectrum(result),
            readings.peaks(result, context.said),
            readings.combs(result, context.said.families(result)),
            readings.resonances(result),
            readings.levels(result),
            *readings.breaches(result),
            *([] if result.truth is None else [readings.truth(result)]),
        ]

    def pictures(self, result: Analysis, context: ResultContext) -> list[Picture]:
        flags = flags_of(context.said.families(result))
        view = DrawnSpectrum(decibels=context.decibels, flags=flags)
        return [Picture("spectrum", spectrum_panel(result, view))]


def _machine(machine: MachineTime, a: Analysis) -> dict[str, Any]:
    """For JSON: how a machine's speed breathes, over time relative to its mean."""
    time, speed = machine.speed(1.0)
    return {
        "shaft_hz": None if a.shaft is None else a.shaft.spacing,
        "shaft_std_hz": None if a.shaft is None else a.shaft.spacing_std,
        "wander_percent": 100 * machine.wander,
        "seconds": machine.seconds,
        "evidence_decades": machine.evidence,
        "time_s": time.tolist(),
        "speed_over_mean": speed.tolist(),
    }


def _turning(peak: Peak, a: Analysis) -> dict[str, Any]:
    """For JSON: in which time a peak stands still, and what it is of the shaft."""
    if a.machine is None:
        return {}
    of = a.of_shaft(peak)
    return {
        "turns": peak.turns or None,
        "of_shaft": None if of is None else of[0],
        "of_shaft_std": None if of is None else of[1],
    }


def _part(one: Part, a: Analysis) -> dict[str, Any]:
    """A part of the account. What is left, where it is more than noise can be, has its times."""
    values: dict[str, Any] = {
        "part": one.kind,
        "share": a.account.share(one),
        "mean_square": one.power,
        "std": one.std,
        "low_hz": one.low,
        "high_hz": one.high,
    }
    if one.name:
        values["name"] = one.name
    if not math.isnan(one.frequency):
        values["frequency_hz"] = one.frequency
    if one.kind == "left" and a.found is not None and a.found.left_at is not None:
        values["from_s"], values["to_s"] = a.found.left_at
    return values


def _resonance(one: Resonance | None) -> dict[str, Any]:
    """What is known of the mode under a peak: null where it is a tone's line."""
    if one is None:
        return {"q": None, "damping_ratio": None}
    return {
        "q": one.q,
        "damping_ratio": one.damping,
        "damping_ratio_std": one.damping_std,
        "natural_frequency_hz": one.frequency,
        "natural_frequency_std_hz": one.frequency_std,
        "half_power_bandwidth_hz": one.bandwidth,
        "half_power_measured_hz": one.half_power,
        "excited_by": one.kind,
    }


def resonance_words(one: Resonance) -> str:
    """A mode in one line."""
    excited = {"decay": "decay", "noise": "noise", "ringing": "rung by a comb"}[one.kind]
    cut = math.isnan(one.half_power)
    measured = "" if cut else f"{one.half_power:.4g} Hz in the spectrum; "
    return (
        f"{with_std(one.frequency, one.frequency_std)} Hz, damping "
        f"{with_std(100 * one.damping, 100 * one.damping_std)} %, Q {one.q:.4g}, half-power "
        f"bandwidth {one.bandwidth:.4g} Hz ({measured}{excited})"
    )


def _comb(comb: Comb, families: tuple[Comb, ...], quantity: str) -> dict[str, Any]:
    """A family for JSON; figures that it has not are null."""
    told: dict[str, Any] = {
        "name": comb.name,
        "fundamental_hz": comb.spacing,
        "fundamental_std_hz": comb.spacing_std,
        "moved_hz": comb.moved,
        "thd_percent": 100 * comb.distortion,
        "thd_of": quantity,
        "thd_harmonics": [] if math.isnan(comb.distortion) else counted(comb),
        "inharmonicity": inharmonicity(comb),
    }
    if comb.carrier is not None:
        told |= {
            "carrier_hz": comb.carrier,
            "carrier_std_hz": comb.carrier_std,
            "spacing_of": matching(comb, families) or None,
            "modulation_depth": comb.modulation,
        }
    told["teeth"] = [
        {
            "number": tooth.number,
            "expected_hz": tooth.expected,
            "frequency_hz": tooth.frequency,
            "amplitude": tooth.amplitude,
            "found": tooth.found,
        }
        for tooth in comb.teeth
    ]
    return told


def comb_words(comb: Comb, combs: tuple[Comb, ...], a: Analysis) -> str:
    """A family of an analysis in one line."""
    numbers = [tooth.number for tooth in comb.teeth if tooth.found]
    quantity, spacing = a.unit.quantity, with_std(comb.spacing, comb.spacing_std)
    if comb.carrier is None:
        text = f"{comb.name}: {spacing} Hz, teeth {', '.join(map(str, numbers))}"
        if comb.low is not None and comb.high is not None:
            text += f", moves from {span(comb.low, comb.high)} Hz"
        if (hz := mains(comb)) is not None:
            text += f", {hz:g} Hz mains"
        if distorted := distortion_words(comb, quantity):
            text += f", {distorted}"
        for other in (one for one in combs if one is not comb and one.carrier is None):
            ratio = a.ratio(comb.spacing, comb.spacing_std, other)
            text += f", {ratio_words(ratio)} of {other.name}" if ratio else ""
        return text
    of = matching(comb, combs)
    tied = f" = comb {of}" if of else ""
    text = f"{comb.name}: sidebands of {with_std(comb.carrier, comb.carrier_std)} Hz, {spacing} Hz"
    sides = ", ".join(f"{n:+d}".replace("-", "−") for n in numbers if n)
    text += f" apart{tied}, {sides}"
    parent = next((c for c in combs if c.name == of), None)
    if parent is not None:
        ratio = a.ratio(comb.carrier, comb.carrier_std, parent)
        text += f"; the carrier is {ratio_words(ratio)} of {of}" if ratio else ""
    return text


def _tested(a: Analysis) -> dict[str, Any]:
    """For JSON: what came of the test spectrum, where there is one."""
    reading = profile_reading(a)
    if reading is None:
        return {}
    return {
        "test_spectrum": {
            "rms": reading.rms,
            "asked_rms": reading.asked,
            "unit": reading.unit,
            "not_judged": reading.why_not,
            "breaches": [row for table in readings.breaches(a) for row in table.values()],
        }
    }


def _said(said: Knowledge, peak: Peak, a: Analysis) -> str:
    """What a peak does, its order and note, for the end of its line."""
    note, order = said.of(peak, a), said.order(peak.tone.frequency)
    doing = peak.behaviour
    steady = doing is None or doing.kind == "steady"
    parts = [] if steady or peak.turns == "turns" else [words(doing)]
    parts += [peak.turns] if peak.turns else []
    parts += [] if order is None else [f"{order:.3f} × shaft"]
    parts += [note.words] if note is not None else []
    return "  " + ", ".join(parts) if parts else ""
