"""One recording of many: analysed, judged, told as plain values, and its reports written.

What goes to a worker and what comes back are paths, methods and rows, never samples.
"""

from __future__ import annotations

import hashlib
import json
import math
import os
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from tonecomb.batches.plan import Plan
from tonecomb.core.base.errors import Cancelled, UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.record.parallel import Alone, WorkerPool
from tonecomb.core.results.levels import level_readings
from tonecomb.core.results.zones import Verdict
from tonecomb.core.say.in_short import in_short
from tonecomb.formats import atomic, files, output, readings
from tonecomb.formats.analysed import Analysed, analyse
from tonecomb.formats.registry import open_recording
from tonecomb.formats.report.html import report
from tonecomb.formats.session import strict

Rows = list[dict[str, Any]]
TABLES = ("tones", "families", "resonances", "levels", "cautions", "limits")
DONE, REPORTS = "done", "reports"
_ALONE = Alone()  # one thread: there are as many processes as are wanted


@dataclass(frozen=True)
class BatchJob:
    """A file, what is to be done with it, the folder of the batch, and whether a report of each
    channel is written."""

    path: Path
    plan: Plan
    out: Path
    reports: bool = True

    @property
    def key(self) -> str:
        """A name for what belongs to the file in the batch's folder."""
        text = hashlib.sha256(str(self.path.absolute()).encode(errors="replace")).hexdigest()[:8]
        return f"{output.file_name(self.path.stem)}-{text}"

    @property
    def done(self) -> Path:
        """Where the outcome is kept."""
        return self.out / DONE / f"{self.key}.json"


@dataclass(frozen=True)
class ChannelOutcome:
    """One channel: what it is, its overall ``rms``, what was ``exceeded``, which limits could not
    be judged and why, the worst ``zone``, its report (relative to the batch's folder, "" for none),
    what it holds in short, and the rows of each table."""

    channel: str
    unit: str
    method: str
    rms: float
    exceeded: tuple[str, ...] = ()
    not_judged: tuple[str, ...] = ()
    worst: str = ""
    report: str = ""
    short: tuple[str, ...] = ()
    rows: dict[str, Rows] = field(default_factory=dict)

    @property
    def standing(self) -> tuple[str, ...]:
        """Where it stands: what is exceeded, else the worst zone, and what was not judged."""
        return (*(self.exceeded or ((self.worst,) if self.worst else ())), *self.not_judged)


@dataclass(frozen=True)
class Outcome:
    """What came of a file: its channels, or why it ``failed``. ``plan`` and the ``mark`` of the
    file tell whether it still holds."""

    path: str
    name: str
    plan: str
    mark: str = ""
    start: str = ""
    duration: float = 0.0
    failed: str = ""
    channels: tuple[ChannelOutcome, ...] = ()

    @property
    def exceeded(self) -> bool:
        """Whether a limit of a channel is."""
        return any(one.exceeded for one in self.channels)

    @property
    def not_judged(self) -> bool:
        """Whether a limit of a channel could not be."""
        return any(one.not_judged for one in self.channels)


def work(job: BatchJob, progress: Progress = silent, pool: WorkerPool = _ALONE) -> Outcome:
    """Do a job, with others where there is a ``pool``, and keep its outcome in the batch's folder.
    A file that cannot be used is an outcome too; a place that cannot be written is a
    :class:`UserError`."""
    path = str(job.path)
    try:
        mark = files.mark(job.path)
        recording = open_recording(
            job.path, job.plan.said.given, part(progress, 0, 0.2), strict=True
        )
        recording = replace(recording, pool=pool)
        methods = job.plan.methods(recording)
        if not methods:
            raise UserError("no rule of the plan fits a channel of it")
        outcomes, names = [], output.FileNames()
        for i, method in enumerate(methods):
            share = part(progress, 0.2 + 0.8 * i / len(methods), 0.2 + 0.8 * (i + 1) / len(methods))
            done = analyse(recording, method, said=job.plan.said, progress=share)
            name = names.of(done.analysis.channel.name)
            outcomes.append(_told(job, f"{REPORTS}/{job.key}/{name}.html", done))
        outcome = Outcome(
            path,
            recording.name,
            job.plan.digest,
            mark,
            recording.start,
            recording.length / recording.rate,
            channels=tuple(outcomes),
        )
    except Cancelled:
        raise
    except UserError as error:
        outcome = Outcome(path, job.path.stem, job.plan.digest, failed=error.text)
    except MemoryError:
        outcome = Outcome(
            path, job.path.stem, job.plan.digest, failed="it needs more memory than there is"
        )
    return keep(job, outcome)


def keep(job: BatchJob, outcome: Outcome) -> Outcome:
    """Write an outcome where :func:`kept` finds it; as it will be found."""
    text = output.dumps({"written by": "Tone Comb"} | asdict(outcome))
    atomic.write_text(job.done, text + "\n")
    return _parsed(text)


def _parsed(text: str) -> Outcome:
    """Raises :class:`ValueError` or an exception group where it is none: anybody may have been at
    the file."""
    body = json.loads(text)
    if not isinstance(body, dict) or body.pop("written by", "") != "Tone Comb":
        raise ValueError("it is no outcome")
    for one in body["channels"]:
        if one["rms"] is None:
            one["rms"] = math.nan
    outcome = strict.converter().structure(body, Outcome)
    if not all(set(TABLES) <= set(one.rows) for one in outcome.channels):
        raise ValueError("it lacks a table")
    return outcome


def kept(job: BatchJob) -> Outcome | None:
    """The outcome of an earlier call, where file and plan are still the same; what failed is tried
    again."""
    try:
        outcome = _parsed(job.done.read_text("utf-8"))
        mark = files.mark(job.path)
    except (OSError, ValueError, TypeError, KeyError, RecursionError, ExceptionGroup, UserError):
        return None
    there = all((job.out / one.report).is_file() for one in outcome.channels if one.report)
    wanted = not job.reports or all(one.report for one in outcome.channels)
    current = (outcome.plan, outcome.path, outcome.mark) == (job.plan.digest, str(job.path), mark)
    return outcome if there and wanted and current and not outcome.failed else None


def _told(job: BatchJob, place: str, done: Analysed) -> ChannelOutcome:
    """What there is to say of a channel, whose report goes to a ``place`` if it is wanted."""
    a, said = done.analysis, done.context.said
    verdicts = [limit.judge(a) for limit in job.plan.limits]
    verdicts += [
        Verdict(one.band.words, one.value, one.unit, one.zone, one.exceeded, one.why_not)
        for one in level_readings(a)
        if one.band.limits
    ]
    over = [one for one in verdicts if one.exceeded]
    if job.reports:
        target = job.out / place
        atomic.make_folder(target.parent)
        atomic.write_text(target, report([done.part], folder=target.parent))
    families = [
        {
            "name": comb.name,
            "fundamental_hz": comb.spacing,
            "fundamental_std_hz": comb.spacing_std,
            "carrier_hz": comb.carrier,
            "moved_hz": comb.moved,
            "teeth_found": sum(tooth.found for tooth in comb.teeth),
            "thd_percent": 100 * comb.distortion,
            "thd_of": a.unit.quantity,
        }
        for comb in said.families(a)
    ]
    rows: dict[str, Rows] = {
        "tones": readings.peaks(a, said).values(),
        "families": families,
        "resonances": readings.resonances(a).values(),
        "levels": readings.levels(a).values(),
        "cautions": [{"code": one.code, "text": one.text} for one in done.cautions],
        "limits": [asdict(one) for one in verdicts],
    }
    worst = over[0].zone if over else next((one.zone for one in verdicts if one.zone), "")
    return ChannelOutcome(
        a.channel.name,
        a.unit.symbol,
        a.sentence,
        a.rms,
        tuple(one.words for one in over),
        tuple(one.words for one in verdicts if one.why_not),
        worst,
        place if job.reports else "",
        tuple(one.text for one in in_short(a, done.cautions, said)),
        rows,
    )


def counted(outcomes: Sequence[Outcome]) -> str:
    """How many exceed a limit, have one that is not judged, or could not be used. Nothing is said
    of limits where there are none."""
    said = []
    if any(
        outcome.exceeded or outcome.rows.get("limits")
        for one in outcomes
        for outcome in one.channels
    ):
        said = [f"{sum(one.exceeded for one in outcomes)} exceed a limit"]
    if unjudged := sum(one.not_judged for one in outcomes):
        said.append(f"{unjudged} have one that is not judged")
    failed = sum(bool(one.failed) for one in outcomes)
    return ", ".join((*said, f"{failed} could not be used"))


def jobs(paths: Sequence[Path], plan: Plan, out: Path, reports: bool) -> list[BatchJob]:
    """One for each file, each file once."""
    return [BatchJob(path, plan, out, reports) for path in once(paths)]


def once(paths: Iterable[Path]) -> list[Path]:
    """Each file by the first of its names."""
    found: dict[str, Path] = {}
    for path in paths:
        found.setdefault(os.path.realpath(path), path)
    return list(found.values())
