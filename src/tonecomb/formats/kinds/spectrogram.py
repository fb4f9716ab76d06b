"""Levels over frequency and time."""

from __future__ import annotations

from collections.abc import Hashable
from typing import ClassVar

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.spectrogram import Spectrogram, View, run_spectrogram
from tonecomb.formats.kinds.kind import Kind, Picture, ResultContext

_ROWS, _COLUMNS = 400, 900  # on paper


class Spectrograms(Kind[Spectrogram]):
    """``asked`` is the :class:`View`, None for one that suits paper."""

    key: ClassVar[str] = "spectrogram"
    doing: ClassVar[str] = "Drawing the spectrogram"

    def parts(self, method: Method) -> Method:
        return method.single_frames()

    def possible(self, method: Method, asked: Hashable) -> bool:
        return asked is not None

    def run(
        self,
        method: Method,
        recording: Recording,
        asked: View | None = None,
        progress: Progress = silent,
    ) -> Spectrogram:
        search = method.search.peaks
        view = asked or View(_ROWS, _COLUMNS, low=search.low, high=search.high)
        return run_spectrogram(method, recording, view, progress)

    def pictures(self, result: Spectrogram, context: ResultContext) -> list[Picture]:
        from tonecomb.formats.report.figures_in_time import GramLook, gram_panel

        panel = gram_panel(context.analysis, result, GramLook(decibels=context.decibels))
        return [Picture("spectrogram", panel, "Spectrogram: the highest level in each cell.")]
