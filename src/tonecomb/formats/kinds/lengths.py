"""Modes of what rings after taps, by frames of several lengths side by side."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import TYPE_CHECKING, Any, ClassVar

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.formats.columns import Column, Table
from tonecomb.formats.kinds.kind import Kind, ResultContext

if TYPE_CHECKING:
    from tonecomb.core.results.lengths import ByLength


class LengthsKind(Kind["ByLength"]):
    key: ClassVar[str] = "by-length"
    doing: ClassVar[str] = "Trying frames of several lengths"
    in_time: ClassVar[bool] = False
    lacks: ClassVar[tuple[str, str]] = (
        "Frames of several lengths are tried where taps are heard without a force",
        "choose nothing as reference, and a range of modes",
    )

    def parts(self, method: Method) -> Method:
        return method.frf_key()

    def possible(self, method: Method, asked: Hashable) -> bool:
        between = method.between
        return between is not None and between.reference is None and between.high > 0

    def called_for(self, method: Method, asked: Hashable) -> bool:
        return self.possible(method, asked)

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> ByLength:
        from tonecomb.core.results.lengths import by_length

        return by_length(method.frf_key(), recording, progress)

    def values(self, result: ByLength, context: ResultContext) -> dict[str, Any]:
        return {
            "modes_by_frame": [
                {
                    "frame": frame,
                    "modes": [
                        {
                            "frequency_hz": one.frequency,
                            "frequency_std_hz": one.frequency_std,
                            "damping_ratio": one.damping,
                            "damping_ratio_std": one.damping_std,
                        }
                        for one in modes.modes
                    ],
                }
                for frame, modes in result.modes
            ]
        }

    def lines(self, result: ByLength, context: ResultContext) -> list[str]:
        lines = []
        for frame, modes in result.modes:
            each = ", ".join(
                f"{one.frequency:.5g} Hz {100 * one.damping:.3g} %" for one in modes.modes
            )
            lines.append(f"by frames of {frame} samples: {each or 'no mode'}")
        return lines

    def tables(self, result: ByLength, context: ResultContext) -> Sequence[Table[Any]]:
        rows = [(frame, mode) for frame, modes in result.modes for mode in modes.modes]
        return [
            Table(
                "modes-by-frame",
                result.recording_name,
                "by frames of several lengths",
                (
                    Column("frame", "frame", lambda row: row[0], "samples", "d"),
                    Column("frequency_hz", "frequency", lambda row: row[1].frequency, "Hz"),
                    Column("frequency_std_hz", "±", lambda row: row[1].frequency_std, "Hz", ".2g"),
                    Column(
                        "damping_percent", "damping", lambda row: 100 * row[1].damping, "%", ".6g"
                    ),
                    Column(
                        "damping_std_percent", "±", lambda row: 100 * row[1].damping_std, "%", ".2g"
                    ),
                ),
                rows,
            )
        ]
