"""What the command line prints: the values behind its JSON, and the same as text."""

from __future__ import annotations

import json
import math
from dataclasses import asdict
from typing import Any

from tonecomb.core.analysis import Analysis
from tonecomb.core.find.combs import Comb, inharmonicity, mains, matching
from tonecomb.core.find.damping import Resonance
from tonecomb.core.find.knowledge import NOTHING, Knowledge
from tonecomb.core.find.peaks import Peak
from tonecomb.core.find.ratios import ratio_words, small_ratio
from tonecomb.core.progress import Progress, part, silent
from tonecomb.core.record.recording import Recording
from tonecomb.core.record.statistics import channel_figures, sample_problem
from tonecomb.core.say.cautions import Caution
from tonecomb.core.say.numbers import with_std


def dumps(value: Any) -> str:
    """Strict JSON: what is not a finite number becomes null."""
    return json.dumps(_finite(value), indent=1, ensure_ascii=False, allow_nan=False)


def _finite(value: Any) -> Any:
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {key: _finite(item) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [_finite(item) for item in value]
    return value


def description(recording: Recording, progress: Progress = silent) -> dict[str, Any]:
    """What a recording holds. Reads every channel once."""
    channels, problems = [], [asdict(problem) for problem in recording.problems]
    count = len(recording.channels)
    for i, channel in enumerate(recording.channels):
        figures = channel_figures(recording, i, part(progress, i / count, (i + 1) / count))
        channels.append(
            {
                "name": channel.name,
                "unit": channel.unit,
                "min": figures.min,
                "max": figures.max,
                "mean": figures.mean,
                "rms": figures.rms,
            }
        )
        if problem := sample_problem(recording, i, figures.missing, figures.infinite):
            problems.append(asdict(problem))
    rate = recording.sample_rate
    return {
        "name": recording.name,
        "format": recording.format,
        "sample_rate_hz": rate,
        "sample_rate_source": recording.rate_source,
        "sample_rate_found": recording.rate_found,
        "samples": recording.length,
        "duration_s": recording.length / rate if rate else None,
        "channels": channels,
        "problems": problems,
        "assumed": list(recording.assumed),
    }


def describe_text(d: dict[str, Any]) -> str:
    """A description for reading."""
    rate = f"{d['sample_rate_hz']:g} Hz" if d["sample_rate_hz"] else "sample rate unknown"
    duration = f", {d['duration_s']:.6g} s" if d["duration_s"] else ""
    lines = [
        f"{d['name']}: {d['format']}, {rate}{duration}, {d['samples']} samples",
        f"  sample rate {d['sample_rate_found']}",
    ]
    width = max(len(channel["name"]) for channel in d["channels"])
    for number, c in enumerate(d["channels"], start=1):
        lines.append(
            f"  {number:>2} {c['name']:<{width}}  {c['unit']:<6} min {c['min']:>12.5g}  "
            f"max {c['max']:>12.5g}  mean {c['mean']:>12.5g}  rms {c['rms']:>12.5g}"
        )
    lines += [f"  {text}" for text in d["assumed"]]
    lines += [f"  {problem['code']}: {problem['text']}" for problem in d["problems"]]
    return "\n".join(lines)


def analysis(
    a: Analysis, told: tuple[Caution, ...] = (), said: Knowledge = NOTHING
) -> dict[str, Any]:
    """An analysis for JSON."""
    r, families = a.resolution, said.families(a)
    peaks = []
    for peak in a.peaks or ():
        amplitude, std = a.amplitude(peak)
        note, order = said.of(peak, a), said.order(peak.tone.frequency)
        peaks.append(
            {
                "frequency_hz": peak.tone.frequency,
                "frequency_std_hz": peak.tone.frequency_std,
                "amplitude": amplitude,
                "amplitude_std": std,
                "unit": a.amplitude_unit,
                "phase_deg": peak.tone.phase_deg,
                "prominence_db": peak.prominence_db,
                "above_floor_db": peak.above_floor_db,
                **({} if order is None else {"order": order}),
                **({"name": note.name} if note is not None and note.name else {}),
                **({"set_aside": note.aside} if note is not None and note.aside else {}),
                **({"by_hand": True} if peak.by_hand else {}),
                **_resonance(a.resonance(peak)),
            }
        )
    return {
        "channel": a.channel.name,
        "unit": a.unit.symbol,
        "method": a.sentence,
        "method_values": asdict(a.method),
        "resolution": {
            "bin_hz": r.bin_hz,
            "enbw_hz": r.enbw_hz,
            "frame_s": r.frame_s,
            "frames": r.frames,
            "effective_averages": r.effective_averages,
            "covered_fraction": r.covered_fraction,
        },
        "rms": a.spectrum.rms,
        "peaks": peaks,
        "resonances": [_resonance(one) for one in a.resonances],
        "combs": [_comb(comb, families) for comb in families],
        "bands": [
            ({"name": band.name} if band.name else {})
            | {"low_hz": band.low, "high_hz": band.high, "rms": level}
            for band, level in zip(a.method.bands, a.band_levels, strict=True)
        ],
        "cautions": [{"code": caution.code, "text": caution.text} for caution in told],
    }


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


def _comb(comb: Comb, families: tuple[Comb, ...]) -> dict[str, Any]:
    """A family for JSON; figures that it has not are null."""
    told: dict[str, Any] = {
        "name": comb.name,
        "fundamental_hz": comb.spacing,
        "fundamental_std_hz": comb.spacing_std,
        "thd_percent": 100 * comb.distortion,
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


def comb_words(comb: Comb, combs: tuple[Comb, ...]) -> str:
    """A family in one line."""
    found = [tooth.number for tooth in comb.teeth if tooth.found]
    spacing = with_std(comb.spacing, comb.spacing_std)
    if comb.carrier is None:
        text = f"{comb.name}: {spacing} Hz, teeth {', '.join(map(str, found))}"
        if (hz := mains(comb)) is not None:
            text += f", {hz:g} Hz mains"
        if not math.isnan(comb.distortion):
            text += f", THD {100 * comb.distortion:.3g} %"
        for other in (one for one in combs if one is not comb and one.carrier is None):
            ratio = small_ratio(comb.spacing, comb.spacing_std, other.spacing)
            text += f", {ratio_words(ratio)} of {other.name}" if ratio else ""
        return text
    of = matching(comb, combs)
    tied = f" = comb {of}" if of else ""
    text = f"{comb.name}: sidebands of {with_std(comb.carrier, comb.carrier_std)} Hz, {spacing} Hz"
    sides = ", ".join(f"{n:+d}".replace("-", "−") for n in found if n)
    text += f" apart{tied}, {sides}"
    parent = next((c for c in combs if c.name == of), None)
    if parent is not None:
        ratio = small_ratio(comb.carrier, comb.carrier_std, parent.spacing)
        text += f"; the carrier is {ratio_words(ratio)} of {of}" if ratio else ""
    return text


def _said(said: Knowledge, peak: Peak, a: Analysis) -> str:
    """Order and note of a peak, for the end of its line."""
    note, order = said.of(peak, a), said.order(peak.tone.frequency)
    parts = [] if order is None else [f"{order:.3f} × shaft"]
    parts += [note.words] if note is not None else []
    return "  " + ", ".join(parts) if parts else ""


def analysis_text(a: Analysis, told: tuple[Caution, ...] = (), said: Knowledge = NOTHING) -> str:
    """An analysis for reading: the method, what it resolves, peaks, bands and cautions."""
    r = a.resolution
    frames = "frame" if r.frames == 1 else "frames"
    lines = [
        f"{a.recording_name} · {a.sentence}",
        f"  bins {r.bin_hz:.5g} Hz, ENBW {r.enbw_hz:.5g} Hz, {r.frames} {frames} of "
        f"{r.frame_s:.4g} s cover {100 * r.covered_fraction:.1f} % of the stretch, "
        f"rms {a.spectrum.rms:.5g} {a.unit.symbol}",
        "",
        f"  {'Hz':>14} {'±':>9} {a.amplitude_unit:>14} {'±':>9} {'°':>8} {'dB':>6}",
    ]
    for peak in a.peaks or ():
        tone, (amplitude, std) = peak.tone, a.amplitude(peak)
        phase = "wanders" if math.isnan(tone.phase_deg) else f"{tone.phase_deg:.1f}"
        lines.append(
            f"  {tone.frequency:>14.5f} {tone.frequency_std:>9.2g} {amplitude:>14.6g} "
            f"{std:>9.2g} {phase:>8} {peak.prominence_db:>6.1f}{_said(said, peak, a)}"
        )
    if not a.peaks:
        lines.append("  no peaks")
    lines += [f"  resonance {resonance_words(one)}" for one in a.resonances]
    families = said.families(a)
    lines += [f"  comb {comb_words(comb, families)}" for comb in families]
    for band, level in zip(a.method.bands, a.band_levels, strict=True):
        lines.append(f"  band {band.low:g}–{band.high:g} Hz: {level:.6g} {a.unit.symbol} rms")
    lines += [f"  {caution.code}: {caution.text}" for caution in told]
    return "\n".join(lines) + "\n"
