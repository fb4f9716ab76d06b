"""A report made again from its session and the recording, and held against what stands in it."""

from __future__ import annotations

import os
from collections.abc import Sequence, Set
from dataclasses import dataclass, replace
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.method.document import Fingerprint, RecordingRef
from tonecomb.core.method.given import Given
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.knowledge import knowledge
from tonecomb.formats import files
from tonecomb.formats.analysed import analyse
from tonecomb.formats.registry import open_recording
from tonecomb.formats.report import pdf, sealed
from tonecomb.formats.report.figures import DrawnSpectrum
from tonecomb.formats.report.html import FigureMark, report
from tonecomb.formats.report.part import ReportPart

PRINTED = "another figure is printed"
_MOST_FILES = 20_000  # in which the recording is looked for
_NOT_HELD = ("recording, File", "recording, Changed")  # names that a copy may change


@dataclass(frozen=True)
class FigureFinding:
    """A figure that does not hold: its name, what stands in the report, and what is read now; ""
    where it is not there."""

    name: str
    stands: str
    now: str

    @property
    def words(self) -> str:
        """In one line, with the place from which they differ."""
        if not self.stands:
            return f"{self.name}: not in the report, now {self.now}"
        if self.stands == PRINTED:
            return f"{self.name}: not printed as {self.now}, which is what was computed"
        if not self.now:
            return f"{self.name}: {self.stands} in the report, not found now"
        pairs = zip(self.stands, self.now, strict=False)
        shorter = min(len(self.stands), len(self.now))
        same = next((i for i, (a, b) in enumerate(pairs) if a != b), shorter)
        digits = sum(one.isdigit() for one in self.stands[:same])
        where = ""
        if same < len(self.stands) and (self.stands[same].isdigit() or self.stands[same] in "()."):
            where = f" (from digit {digits + 1})" if digits else ""
        if max(len(self.stands), len(self.now)) > _LONG:
            start = max(0, same - 20)
            lead = "…" if start else ""
            return (
                f"{self.name}: {lead}{self.stands[start : start + _LONG]} in the report, "
                f"{lead}{self.now[start : start + _LONG]} now{where}"
            )
        return f"{self.name}: {self.stands} in the report, {self.now} now{where}"


_LONG = 90  # letters of a figure that are told


@dataclass(frozen=True)
class Checked:
    """What came of it: the ``sources`` that were read and the ``others``, which are not the files
    that the report is of, how many figures hold, which do not, and the names of those that cannot
    be computed again."""

    sources: tuple[str, ...]
    others: tuple[str, ...]
    held: int
    findings: tuple[FigureFinding, ...]
    unchecked: tuple[str, ...]

    @property
    def same(self) -> bool:
        """Whether every source is the file that the report is of."""
        return not self.others

    @property
    def holds(self) -> bool:
        """Whether the report can be relied on."""
        return self.same and not self.findings


def check(path: Path, folders: Sequence[Path] = (), progress: Progress = silent) -> Checked:
    """Compute a report anew. Its recordings are looked for where they were, beside the report, and
    in ``folders`` by their fingerprints.

    Raises :class:`UserError` where the file is no report or a recording is not found.
    """
    kept = sealed.opened(path)
    remade, others, sources = [], [], []
    opened: dict[tuple[str, Given], tuple[Recording, bool]] = {}  # channels share their recording
    for i, one in enumerate(kept.parts):
        doing = part(progress, 0.7 * i / len(kept.parts), 0.7 * (i + 1) / len(kept.parts))
        key = (one.ref.path, one.ref.given)
        if key not in opened:
            opened[key] = _recording(one.ref, path, folders, part(doing, 0, 0.3))
        recording, same = opened[key]
        recording = replace(recording, name=one.ref.name)
        remade.append(_remade(recording, one, part(doing, 0.3, 1)))
        source = str(recording.path) if recording.path is not None else recording.name
        if source not in sources:
            sources.append(source)
        if not same and source not in others:
            others.append(source)
    page = report(remade, kept.layout, progress=part(progress, 0.7, 1))
    once = {
        FigureMark(i + 1, len(kept.parts) > 1).before + key
        for i, one in enumerate(kept.parts)
        for key in one.once
    }
    held, findings, unchecked = _compared(kept.figures, sealed.figures_in(page), once)
    lacking = _not_printed(kept.figures, pdf.printed(path), held)
    return Checked(
        tuple(sources),
        tuple(others),
        len(held) - len(lacking),
        (*findings, *lacking),
        tuple(unchecked),
    )


def _not_printed(
    stands: dict[str, str], printed: str | None, held: Set[str]
) -> list[FigureFinding]:
    """Those figures of the page inside a PDF that ``held``, and that its own pages do not show
    where they should, one after the other. One that runs over the end of a page has other words
    within it: its numbers are looked for."""
    figure_findings: list[FigureFinding] = []
    at = 0
    for name, words in stands.items() if printed is not None else ():
        text = printed or ""
        here = text.find(pdf.squeezed(words), at)
        if here >= 0:
            at = here + len(pdf.squeezed(words))
            continue
        parts = [one for one in words.split() if any(sign.isdigit() for sign in one)]
        apart = len(words) > _LONG and all(text.find(pdf.squeezed(one), at) >= 0 for one in parts)
        if not apart and name in held:
            figure_findings.append(FigureFinding(name, PRINTED, words))
    return figure_findings


def _remade(recording: Recording, one: sealed.SealedPart, progress: Progress) -> ReportPart:
    """A part computed anew."""
    said = replace(knowledge(one.ref), source=None)
    done = analyse(recording, one.ref.method, asked=one.asked, said=said, progress=progress)
    view = DrawnSpectrum(decibels=one.decibels, log_frequency=one.log_frequency)
    return ReportPart(recording, done.analysis, view, said, done.told[1:])


def _compared(
    stands: dict[str, str], now: dict[str, str], once: Set[str]
) -> tuple[set[str], list[FigureFinding], list[str]]:
    """Names of the figures that are the same, those that are not, and names of those that were not
    computed."""
    held, findings, unchecked = set(), [], []
    for name in (*stands, *(one for one in now if one not in stands)):  # as they stand in it
        if name.endswith(_NOT_HELD):
            continue
        if any(name.startswith((f"{key} ", f"{key},")) for key in once):
            unchecked.append(name)
        elif stands.get(name, "") == now.get(name, ""):
            held.add(name)
        else:
            findings.append(FigureFinding(name, stands.get(name, ""), now.get(name, "")))
    return held, findings, unchecked


def _recording(
    ref: RecordingRef, report_path: Path, folders: Sequence[Path], progress: Progress
) -> tuple[Recording, bool]:
    """The recording, and whether its file is the one that the report is of."""
    if ref.given.made is not None:
        return ref.given.made.recording("a"), True
    if ref.given.live:
        raise UserError(f"{report_path.name} is of what came in live", "that cannot be read again")
    near = [Path(ref.path), report_path.parent / Path(ref.path).name]
    path = _same_file(near, ref.fingerprint) or _same_file(_all_in(folders), ref.fingerprint)
    same = path is not None
    if path is None:  # a file of its name that was changed is worth looking at
        named = [
            one for one in (*near, *(f / Path(ref.path).name for f in folders)) if one.is_file()
        ]
        if not named:
            raise UserError(
                f"The recording of {report_path.name} was not found",
                f"it was {Path(ref.path).name}, {ref.fingerprint.size} bytes",
                "name the folder that it is in with --source",
            )
        path = named[0]
    recording = open_recording(path, ref.given, progress, "a")
    return recording, same


def _same_file(paths: Sequence[Path], wanted: Fingerprint) -> Path | None:
    for one in paths:
        try:
            if one.stat().st_size == wanted.size and files.fingerprint(one) == wanted:
                return one
        except (OSError, UserError):
            continue
    return None


def _all_in(folders: Sequence[Path]) -> list[Path]:
    """Ordinary files in folders and those below them, the first twenty thousand."""
    paths: list[Path] = []
    for folder in folders:
        if not folder.is_dir():
            raise UserError(f"{folder} is no folder", remedy="name one that holds recordings")
        for where, _, names in os.walk(folder):
            paths += [Path(where) / name for name in sorted(names)]
            if len(paths) > _MOST_FILES:
                return paths[:_MOST_FILES]
    return paths
