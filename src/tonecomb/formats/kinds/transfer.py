"""Transfer functions and modes: between channels, or what rings after taps."""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.knowledge import NOTHING, Knowledge
from tonecomb.core.say.numbers import with_std
from tonecomb.formats.columns import Column, Table, series
from tonecomb.formats.kinds.kind import Kind, Picture, ResultContext
from tonecomb.formats.report.figures import Panel

if TYPE_CHECKING:
    from tonecomb.core.method.document import PeakNote
    from tonecomb.core.modal.impacts import Tap
    from tonecomb.core.modal.modes import Mode
    from tonecomb.core.results.transfer import Transfer

_FAR_PHASE = 20.0  # degrees from 0 or 180, from which a part of a shape is told as complex


class TransferKind(Kind["Transfer"]):
    key: ClassVar[str] = "transfer"
    doing: ClassVar[str] = "Working out the transfer function"
    in_time: ClassVar[bool] = False
    lacks: ClassVar[tuple[str, str]] = ("No reference is named", "choose one with Shift+G")

    def parts(self, method: Method) -> Method:
        return method.frf_key()

    def possible(self, method: Method, asked: Hashable) -> bool:
        return method.between is not None

    def called_for(self, method: Method, asked: Hashable) -> bool:
        return method.between is not None

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> Transfer:
        from tonecomb.core.results.transfer import run_transfer

        return run_transfer(method.frf_key(), recording, progress)

    def values(self, result: Transfer, context: ResultContext) -> dict[str, Any]:
        r = result.response
        told: dict[str, Any] = {}
        if result.taps:
            told["taps"] = [
                {
                    "number": tap.number,
                    "time_s": result.start + tap.onset / result.fs,
                    "level": tap.peak,
                    "taken": tap.number in result.used,
                    "why_not": tap.why_not,
                }
                for tap in result.taps
            ]
        if result.reference is not None:
            told["response"] = {
                "method": result.sentence,
                "reference": result.reference.name,
                "averages": r.averages,
                "exponential_s": r.decay,
                "channels": [
                    {
                        "channel": one.name,
                        "unit": result.units[i],
                        "frequency_hz": r.frequency.tolist(),
                        "real": _numbers(result.curves[i].real),
                        "imaginary": _numbers(result.curves[i].imag),
                        "coherence": None if r.coherence is None else r.coherence[i].tolist(),
                        "radius_95": _numbers(result.radius[i]),
                    }
                    for i, one in enumerate(result.answers)
                ],
            }
        if result.modes is not None:
            told["modes"] = [
                _mode_values(mode, result) | _said(context.said.of_mode(mode))
                for mode in result.modes.modes
            ]
        told["response_cautions"] = [{"code": code, "text": text} for code, text in result.cautions]
        return told

    def lines(self, result: Transfer, context: ResultContext) -> list[str]:
        lines = [result.sentence]
        lines += [
            f"tap {tap.number} at {result.start + tap.onset / result.fs:.3f} s set aside: "
            f"{tap.why_not or 'by hand'}"
            for tap in result.taps
            if tap.number not in result.used
        ]
        for mode in result.modes.modes if result.modes is not None else ():
            lines.append(mode_words(mode, result, context.said.of_mode(mode)))
        if result.modes is not None and not result.modes.modes:
            lines.append(f"no mode between {result.modes.low:g} and {result.modes.high:g} Hz")
        return lines + [f"{code}: {text}" for code, text in result.cautions]

    def tables(self, result: Transfer, context: ResultContext) -> Sequence[Table[Any]]:
        tables: list[Table[Any]] = [curves_table(result)]
        if result.taps:
            tables.append(taps_table(result))
        if result.modes is not None:
            tables.append(modes_table(result, context.said))
            if result.reference is None and result.modes.modes:
                tables.append(excited_table(result, context.said))
        return tables

    def pictures(self, result: Transfer, context: ResultContext) -> Sequence[Picture]:
        modes = () if result.modes is None else result.modes.modes
        words = "; ".join(
            mode_words(one, result, said)
            for one in modes[:6]
            if not ((said := context.said.of_mode(one)) and said.aside)
        )
        return [Picture("response", _panel(result), words, result.sentence)]

    def files(self, result: Transfer, context: ResultContext) -> Sequence[tuple[str, bytes]]:
        if result.reference is None:
            return ()
        from tonecomb.formats.functions import as_hdf5, as_uff

        sketch = context.said.sketch
        return (("response.uff", as_uff(result, sketch)), ("response.h5", as_hdf5(result)))


def _numbers(values: Any) -> list[float | None]:
    return [None if not math.isfinite(one) else one for one in values.tolist()]


def shape_part(mode: Mode, i: int) -> float:
    """How far an answer goes in a mode, against the one that goes furthest; negative where it goes
    the other way."""
    one = complex(mode.shape[i])
    return abs(one) * (1.0 if one.real >= 0 else -1.0)


def _said(note: PeakNote | None) -> dict[str, str]:
    """Its name and why it is set aside, where anything is said."""
    if note is None:
        return {}
    return {key: text for key, text in (("name", note.name), ("aside", note.aside)) if text}


def mode_words(mode: Mode, result: Transfer, said: PeakNote | None = None) -> str:
    """A mode in one line."""
    text = (
        f"{f'{said.words}: ' if said and said.words else ''}"
        f"{with_std(mode.frequency, mode.frequency_std)} Hz, damping "
        f"{with_std(100 * mode.damping, 100 * mode.damping_std)} %"
    )
    if result.reference is None or len(result.answers) < 2:
        return text
    parts = ", ".join(
        f"{one.name} {shape_part(mode, i):.2f}".replace("-", "−")
        for i, one in enumerate(result.answers)
    )
    return f"{text}: {parts}"


def _mode_values(mode: Mode, result: Transfer) -> dict[str, Any]:
    told: dict[str, Any] = {
        "frequency_hz": mode.frequency,
        "frequency_std_hz": mode.frequency_std,
        "damping_ratio": mode.damping,
        "damping_ratio_std": mode.damping_std,
    }
    if result.reference is None:
        by_tap = np.abs(mode.constant).reshape(-1, len(result.answers))
        told["taps"] = [
            {"number": number, "amplitude": row.tolist()}
            for number, row in zip(result.used, by_tap, strict=True)
        ]
        return told
    told["shape"] = [
        {"channel": one.name, "real": float(part.real), "imaginary": float(part.imag)}
        for one, part in zip(result.answers, mode.shape, strict=True)
    ]
    told["constant"] = [
        {
            "channel": one.name,
            "real": float(part.real),
            "imaginary": float(part.imag),
            "std": float(std),
        }
        for one, part, std in zip(result.answers, mode.constant, mode.constant_std, strict=True)
    ]
    return told


def taps_table(result: Transfer) -> Table[Tap]:
    """All taps, and why some do not count."""
    unit = (result.reference or result.answers[0]).unit
    return Table(
        "taps",
        result.recording_name,
        result.sentence,
        (
            Column("number", "tap", lambda one: one.number, "", "d"),
            Column("time_s", "at", lambda one: result.start + one.onset / result.fs, "s", ".6f"),
            Column("level", "peak", lambda one: one.peak, unit, ".5g"),
            Column("width_s", "pulse", lambda one: one.width, "s", ".3g", rarely=True),
            Column("taken", "counts", lambda one: "yes" if one.number in result.used else "no"),
            Column("why_not", "why not", lambda one: one.why_not, rarely=True),
        ),
        result.taps,
    )


def modes_table(result: Transfer, said: Knowledge = NOTHING) -> Table[Mode]:
    """The modes, with what is said about them and the part of each answer."""
    assert result.modes is not None

    def part(i: int) -> Column[Mode]:
        name = result.answers[i].name
        return Column(f"shape_{i + 1}", name, lambda one: shape_part(one, i), "", ".4f")

    shapes = () if result.reference is None else tuple(part(i) for i in range(len(result.answers)))
    return Table(
        "modes",
        result.recording_name,
        result.sentence,
        (
            Column("frequency_hz", "frequency", lambda one: one.frequency, "Hz"),
            Column("frequency_std_hz", "±", lambda one: one.frequency_std, "Hz", ".2g"),
            Column("damping_percent", "damping", lambda one: 100 * one.damping, "%", ".6g"),
            Column("damping_std_percent", "±", lambda one: 100 * one.damping_std, "%", ".2g"),
            Column(
                "said",
                "name",
                lambda one: note.words if (note := said.of_mode(one)) else "",
                rarely=True,
            ),
            *shapes,
        ),
        result.modes.modes,
    )


def excited_table(result: Transfer, said: Knowledge = NOTHING) -> Table[int]:
    """How strongly each tap excites each mode, in each answer: which spot is good for which."""
    assert result.modes is not None
    columns: list[tuple[str, str, Any]] = [("tap", "tap", np.array(result.used))]
    for mode in result.modes.modes:
        by_tap = np.abs(mode.constant).reshape(-1, len(result.answers))
        for i, one in enumerate(result.answers):
            key = f"mode_{mode.frequency:.5g}_hz_{i + 1}"
            note = said.of_mode(mode)
            called = note.name if note and note.name else f"{mode.frequency:.5g} Hz"
            columns.append((key, f"{called} in {one.name}", by_tap[:, i]))
    return series("taps-by-modes", result.recording_name, result.sentence, columns, ".4g")


def curves_table(result: Transfer) -> Table[int]:
    """Magnitude, phase and coherence of every answer."""
    r = result.response
    columns: list[tuple[str, str, Any]] = [("frequency_hz", "frequency [Hz]", r.frequency)]
    for i, one in enumerate(result.answers):
        unit = result.units[i]
        columns.append((f"magnitude_{i + 1}", f"{one.name} [{unit}]", np.abs(result.curves[i])))
        if result.reference is not None:
            phase = np.angle(result.curves[i], deg=True)
            columns.append((f"phase_{i + 1}", f"{one.name} phase lead [°]", phase))
        if r.coherence is not None:
            columns.append((f"coherence_{i + 1}", f"{one.name} coherence", r.coherence[i]))
    return series("response", result.recording_name, result.sentence, columns)


def _panel(result: Transfer) -> Panel:
    def draw(part: Any) -> None:
        from tonecomb.formats.palette import TRACES

        r, phases = result.response, result.reference is not None
        rows = 1 + phases + (r.coherence is not None)
        axes = part.subplots(rows, 1, sharex=True, height_ratios=[3, 1.3, 1][:rows])
        axes = np.atleast_1d(axes)
        high = result.modes.high if result.modes is not None else float(r.frequency[-1])
        seen = (r.frequency > 0) & (r.frequency <= high)
        f = r.frequency[seen]
        for i, one in enumerate(result.answers):
            colour = TRACES[i % len(TRACES)]
            with np.errstate(divide="ignore"):
                level = 20 * np.log10(np.abs(result.curves[i][seen]))
            axes[0].plot(f, level, color=colour, linewidth=0.8, label=one.name)
            if phases:
                axes[1].plot(
                    f, np.angle(result.curves[i][seen], deg=True), color=colour, linewidth=0.6
                )
            if r.coherence is not None:
                axes[2].plot(f, r.coherence[i][seen], color=colour, linewidth=0.6)
        fitted = result.fitted
        if fitted is not None and result.modes is not None:
            for one in fitted:
                axes[0].plot(
                    result.modes.frequency,
                    20 * np.log10(np.abs(one)),
                    color="black",
                    linewidth=0.6,
                    linestyle="--",
                )
        for mode in result.modes.modes if result.modes is not None else ():
            axes[0].axvline(mode.frequency, color="0.7", linewidth=0.5)
        axes[0].legend(fontsize=7, loc="best")
        axes[0].set_ylabel(f"{result.title}, dB re 1 {result.units[0]}")
        if phases:
            axes[1].set_ylabel("Phase lead, °")
            axes[1].set_ylim(-190, 190)
        if r.coherence is not None:
            axes[2].axhline(r.floor, color="0.6", linewidth=0.6, linestyle=":")
            axes[2].set_ylabel("Coherence")
            axes[2].set_ylim(0, 1.05)
        axes[-1].set_xlabel("Frequency, Hz")
        axes[-1].set_xlim(0, high)

    return Panel(5.6, draw)
