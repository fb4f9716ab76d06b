"""The highest, the median and the lowest spectrum of all frames."""

from __future__ import annotations

from typing import Any, ClassVar

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.averages import Average, Highest, Lowest, Median
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.estimate import Estimate, run_spectrum
from tonecomb.formats.kinds.kind import Kind

_AVERAGES: tuple[Average, ...] = (Highest(), Median(), Lowest())


class Ranges(Kind[tuple[Estimate, ...]]):
    key: ClassVar[str] = "range"
    doing: ClassVar[str] = "Ranging over the frames"

    def parts(self, method: Method) -> Method:
        return method.single_frames()

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> tuple[Estimate, ...]:
        plain, count = method.single_frames(), len(_AVERAGES)
        return tuple(
            run_spectrum(
                plain.having(average=average), recording, part(progress, i / count, (i + 1) / count)
            )
            for i, average in enumerate(_AVERAGES)
        )
