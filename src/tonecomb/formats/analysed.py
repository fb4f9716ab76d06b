"""A recording analysed by a method, with all that the method calls for: the one way through for
the command line, scripts, batches and the check of a report."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.comb import Comb
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import NOTHING, Knowledge
from tonecomb.core.say.caution import Caution
from tonecomb.core.say.cautions import cautions
from tonecomb.formats import atomic, guard
from tonecomb.formats.columns import Table
from tonecomb.formats.kinds.kind import ResultContext, ResultEntry
from tonecomb.formats.kinds.table import SPECTRUM, besides
from tonecomb.formats.report.layout import USUAL, Layout

if TYPE_CHECKING:
    from tonecomb.formats.report.part import ReportPart
    from tonecomb.formats.report.pdf import Paper


@dataclass(frozen=True, eq=False)
class Analysed:
    """All that a method found in a recording. ``told`` are the results, the spectrum first, each
    with its kind; ``context`` is what they are told with."""

    recording: Recording
    context: ResultContext
    told: tuple[ResultEntry, ...]

    @property
    def analysis(self) -> Analysis:
        """Spectrum, peaks, combs and resonances as the method shows them, with the scales."""
        return self.context.analysis

    @property
    def method(self) -> Method:
        """By which it was found."""
        return self.analysis.method

    @property
    def sentence(self) -> str:
        """The method in words, as it stands over every picture."""
        return self.analysis.sentence

    @property
    def spectrum(self) -> Spectrum:
        """``frequency`` in Hz and ``mean_square`` per bin, both of shape (bins,)."""
        return self.analysis.spectrum

    @property
    def peaks(self) -> tuple[Peak, ...]:
        """Tones with their standard deviations, by rising frequency."""
        return self.analysis.peaks or ()

    @property
    def combs(self) -> tuple[Comb, ...]:
        """Families of tones."""
        return self.analysis.combs

    @property
    def resonances(self) -> tuple[Resonance, ...]:
        """Modes with frequency and damping."""
        return self.analysis.resonances

    @property
    def cautions(self) -> tuple[Caution, ...]:
        """What a careful engineer would say of it; each has an ``edit`` of the method that
        follows its advice."""
        return self.context.cautions

    def result(self, key: str) -> Any:
        """The result of the kind with this key, like ``trend`` or ``run-up``; None where the
        method calls for none."""
        return next((one.result for one in self.told if one.kind.key == key), None)

    def tables(self) -> tuple[Table[Any], ...]:
        """What goes into CSV files; ``table.csv()`` and ``table.tabbed()`` write one."""
        return tuple(
            table for one in self.told for table in one.kind.tables(one.result, self.context)
        )

    def values(self) -> dict[str, Any]:
        """Everything as JSON has it."""
        values: dict[str, Any] = {}
        for one in self.told:
            values |= one.kind.values(one.result, self.context)
        return values

    def text(self) -> str:
        """Everything for reading."""
        lines = [line for one in self.told for line in one.kind.lines(one.result, self.context)]
        body = "".join(f"  {line}".rstrip() + "\n" for line in lines)
        return f"{self.analysis.recording_name} · {self.sentence}\n{body}"

    def table(self, name: str) -> Table[Any]:
        """One of :meth:`tables`, by its name; raises :class:`KeyError` where there is none."""
        found = {one.name: one for one in self.tables()}
        return found[name]

    def figure(self, kind: str = "svg") -> bytes:
        """The spectrum as the method shows it, as ``svg`` or ``png``."""
        from tonecomb.formats.report import figures

        (picture,) = SPECTRUM.pictures(self.analysis, self.context)
        return figures.stacked([picture.panel], kind, figures.heading_of(self.analysis))

    def report(
        self,
        path: Path | str,
        progress: Progress = silent,
        paper: Paper = "A4",
        layout: Layout = USUAL,
    ) -> Path:
        """Write the report as one HTML file, or as PDF on ``paper`` where the name ends in
        ``.pdf``, with the sections and the cover of ``layout``; see
        :func:`~tonecomb.api.check`."""
        return report([self], path, progress, paper, layout)

    @property
    def part(self) -> ReportPart:
        """For a report."""
        from tonecomb.formats.report.figures import DrawnSpectrum
        from tonecomb.formats.report.part import ReportPart

        view = DrawnSpectrum(decibels=self.context.decibels)
        return ReportPart(self.recording, self.analysis, view, self.context.said, self.told[1:])

    def _repr_html_(self) -> str:
        """In a notebook: the sentence, what it holds in short, the picture and the peaks."""
        from html import escape

        from tonecomb.core.say.in_short import in_short

        short = in_short(self.analysis, self.cautions, self.context.said)
        text = "".join(f"<li>{escape(one.text)}</li>" for one in short)
        picture = self.figure().decode()
        picture = picture[picture.index("<svg") :]
        peaks = self.table("peaks").html()
        return f"<p><b>{escape(self.sentence)}</b></p><ul>{text}</ul>{picture}{peaks}"

    def write(
        self,
        folder: Path | str,
        progress: Progress = silent,
        *,
        force: bool = False,
        layout: Layout = USUAL,
        report: bool = True,
        also: Sequence[str] = (),
        pictures: str = "png",
    ) -> list[Path]:
        """Write tables as CSV, ``pictures`` as png, svg or pdf, and, where ``report``,
        ``report.html`` into a folder, which is made where it is not there. ``also`` may name
        ``.xlsx`` and ``.h5``, for all tables in one file, and ``.uff`` for the spectrum. What was
        written; each file is either whole or not there. Files of others that stand in the way are
        a :class:`UserError`, and nothing is written, unless ``force`` says that they may go;
        sources never are."""
        from tonecomb.formats.report.folder import files_of

        folder = Path(folder)
        files = files_of(
            self.recording,
            self.told,
            self.context,
            progress,
            folder,
            layout if report else None,
            also,
            pictures,
        )
        made = list(files)
        for name, _ in made:
            guard.refuse_others(folder / name, force)
        atomic.make_folder(folder)
        for name, content in made:
            atomic.write_bytes(folder / name, content)
        return [folder / name for name, _ in made]


def report(
    results: Sequence[Analysed],
    path: Path | str,
    progress: Progress = silent,
    paper: Paper = "A4",
    layout: Layout = USUAL,
) -> Path:
    """Write one report of several channels, of one recording or of many, in their order; as
    :meth:`Analysed.report` does of one."""
    from tonecomb.formats.report import pdf
    from tonecomb.formats.report.html import report as made

    target = Path(path)
    as_pdf = target.suffix.lower() == pdf.SUFFIX
    page = made(
        [one.part for one in results],
        layout,
        folder=target.absolute().parent,
        progress=part(progress, 0, 0.7 if as_pdf else 1),
    )
    if as_pdf:
        atomic.write_bytes(target, pdf.pdf(page, paper, part(progress, 0.7, 1)))
    else:
        atomic.write_text(target, page)
    return target


def analyse(
    recording: Recording,
    method: Method | None = None,
    *,
    asked: Mapping[str, Hashable] | None = None,
    said: Knowledge = NOTHING,
    progress: Progress = silent,
) -> Analysed:
    """Spectrum, peaks, combs, resonances and cautions of one channel, and all else that the
    method calls for: trend with ``tracks`` or ``bands``, run-up with a ``shaft``.

    ``method`` is the default one for None: the first channel, whole, Hann, half overlapped.
    ``asked`` is what is asked of a kind besides the method, like ``{"slices": Slicing(count=10)}``;
    ``said`` is what is known of the machine. Raises :class:`UserError` where the method does not
    fit, and :class:`~tonecomb.core.base.errors.Cancelled` where ``progress`` does.
    """
    method = (method or Method()).resolved(recording, said.shaft)
    analysis = SPECTRUM.run(method, recording, None, part(progress, 0, 0.6))
    warned = cautions(analysis, recording, part(progress, 0.6, 0.7))
    others = besides(method, recording, asked, part(progress, 0.7, 1))
    return Analysed(
        recording, ResultContext(analysis, warned, said), (ResultEntry(SPECTRUM, analysis), *others)
    )
