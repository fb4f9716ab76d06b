"""One channel of a report: what its page needs, as words and drawn pictures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.method.sentence import seconds
from tonecomb.core.record import pyramid
from tonecomb.core.record.channel_scan import whole_look
from tonecomb.core.record.recording import Recording, Stretch, whole
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.statistics import ChannelFigures
from tonecomb.core.results.against_truth import compared
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import NOTHING, Knowledge
from tonecomb.core.results.levels import level_readings, profile_reading
from tonecomb.core.say.behaviour import words as doing_words
from tonecomb.core.say.cautions import cautions
from tonecomb.core.say.in_short import in_short
from tonecomb.core.say.numbers import significant
from tonecomb.core.say.plain import printable
from tonecomb.core.steps.prepare import prepare
from tonecomb.formats import files, readings
from tonecomb.formats.kinds.kind import ResultContext, ResultEntry
from tonecomb.formats.kinds.spectrum import LISTED, comb_words, resonance_words
from tonecomb.formats.report import figures
from tonecomb.formats.report.figures import DrawnSpectrum, Panel
from tonecomb.formats.report.words import Words

_WAVEFORM_COLUMNS = 1400
Pairs = list[tuple[str, str]]


@dataclass(frozen=True, eq=False)
class ReportPart:
    """An ``analysis`` of a recording's channel, how its spectrum is shown, what was said about its
    peaks, and the results of other kinds."""

    recording: Recording
    analysis: Analysis
    view: DrawnSpectrum = field(default_factory=DrawnSpectrum)
    said: Knowledge = NOTHING
    besides: tuple[ResultEntry, ...] = ()

    @property
    def name(self) -> str:
        """Recording and channel."""
        return f"{self.recording.name} · {self.analysis.channel.name}"


def values(
    one: ReportPart, words: Words, mark: str = "", progress: Progress = silent
) -> dict[str, Any]:
    """What the template shows of a part; ids in its pictures begin with ``mark``. Reads the source
    once for its waveform and once for its SHA-256."""
    recording, analysis, said = one.recording, one.analysis, one.said
    source = analysis.method.source
    signal, channel = prepare(recording, source.steps), source.channel
    built, statistics = whole_look(signal, channel, part(progress, 0.0, 0.4))
    envelope = built.envelope(0, signal.length, _WAVEFORM_COLUMNS)
    if len(envelope.low) < _WAVEFORM_COLUMNS / 2:
        envelope = pyramid.envelope_of(
            signal.samples.read(channel, 0, signal.length), 0, _WAVEFORM_COLUMNS
        )
    problems = list(cautions(analysis, recording, part(progress, 0.4, 0.5)))
    digest = (
        "" if recording.path is None else files.sha256(recording.path, part(progress, 0.5, 1.0))
    )
    stretch = source.stretch or whole(signal)
    families = said.families(analysis)
    peaks = _peak_rows(analysis, said)
    panel = figures.waveform_panel(
        envelope, signal.rate, (stretch.start, stretch.end), analysis.channel.unit
    )
    view = one.view if one.view.flags else replace(one.view, flags=figures.flags_of(families))
    search = analysis.method.search.peaks
    tested = () if (reading := profile_reading(analysis)) is None else (reading,)
    return dict(
        name=one.name,
        sentence=analysis.sentence,
        overall=f"{significant(analysis.rms)} {analysis.unit.symbol} rms",
        unit=analysis.amplitude_unit,
        problems=problems,
        short=[sentence.text for sentence in in_short(analysis, problems, said)],
        resonances=[resonance_words(mode) for mode in analysis.resonances],
        combs=[comb_words(comb, families, analysis) for comb in families],
        levels=[level.words for level in (*level_readings(analysis), *tested)],
        waveform=_inline(panel, f"{mark}wave"),
        spectrum=_inline(figures.spectrum_panel(analysis, view), f"{mark}spec"),
        peaks=peaks,
        noted=any(peak["note"] for peak in peaks),
        behaving=any(peak["doing"] for peak in peaks),
        lower=len(analysis.peaks or ()) - len(peaks),
        above=f"{search.above_db:g}",
        prominence=f"{search.prominence_db:g}",
        shaft=None if said.shaft is None else f"{said.shaft:.6g}",
        changing=_changing(
            one.besides, ResultContext(analysis, said=said, decibels=view.decibels), mark
        ),
        known=[
            readings.truth_words(truth, analysis.amplitude_unit) for truth in compared(analysis)
        ],
        description=recording.comment if recording.truth is not None else "",
        facts=_facts(one, signal, statistics, digest, words),
        resolution=_resolution(analysis, stretch, words),
    )


HAS = {
    "in short": "short",
    "cautions": "problems",
    "resonances": "resonances",
    "combs": "combs",
    "put in": "known",
    "levels": "levels",
    "changes": "changing",
}
"""Sections that are left out where the value of this name is empty."""


def _facts(
    one: ReportPart, signal: Signal, figures_of: ChannelFigures, digest: str, words: Words
) -> Pairs:
    """What was analysed: the file, and the samples after the steps."""
    recording, channel = one.recording, one.analysis.channel
    low, high, rms = (
        significant(value) for value in (figures_of.min, figures_of.max, figures_of.rms)
    )
    file = recording.path
    told = [
        ("file", printable(file.name) if file else words("facts", "not a file")),
        ("format", recording.format),
        ("channel", f"{channel.name}, {channel.unit}"),
        ("rate", signal.rate_found),
        (
            "duration",
            words(
                "facts",
                "samples",
                seconds=seconds(signal.duration, signal.rate),
                count=signal.length,
            ),
        ),
        ("range", words("facts", "from to", low=low, high=high, unit=channel.unit, rms=rms)),
        ("digest", digest),
    ]
    return [(words("facts", key), text) for key, text in told] + _changed(one, words)


def _resolution(analysis: Analysis, stretch: Stretch, words: Words) -> Pairs:
    """What the frames can tell apart."""
    r, fs = analysis.resolution, analysis.fs
    told = [
        ("stretch", f"{seconds(stretch.start, fs)}–{seconds(stretch.end, fs)} s"),
        ("bin", f"{r.bin_hz:.5g} Hz"),
        ("separable", f"{r.separable_hz:.4g} Hz"),
        ("enbw", f"{r.enbw_hz:.5g} Hz"),
        ("frame", f"{r.frame_s:.5g} s"),
        (
            "frames",
            words("resolution", "worth", count=r.frames, averages=f"{r.effective_averages:.1f}"),
        ),
        ("covered", words("resolution", "of stretch", percent=f"{100 * r.covered_fraction:.1f}")),
        ("nyquist", f"{r.nyquist_hz:g} Hz"),
        ("rms", f"{significant(analysis.rms)} {analysis.unit.symbol}"),
    ]
    if aside := _set_aside(analysis, words):
        told.append(("set aside", aside))
    return [(words("resolution", key), text) for key, text in told]


def _set_aside(analysis: Analysis, words: Words) -> str:
    """How many frames are left out, and why; "" for none."""
    framing, averaging, fs = analysis.spectrum.framing, analysis.method.averaging, analysis.fs
    if framing.kept is None:
        return ""
    out = words(
        "resolution", "left out", count=framing.places - framing.count, places=framing.places
    )
    why = []
    if averaging.left_out:
        spans = ", ".join(
            f"{seconds(span.start, fs)}–{seconds(span.end, fs)} s" for span in averaging.left_out
        )
        why.append(words("resolution", "struck", spans=spans))
    if averaging.leave_clipped:
        why.append(words("resolution", "clipped"))
    return f"{out}: {'; '.join(why)}" if why else out


def _changed(one: ReportPart, words: Words) -> Pairs:
    """That the file is another than the one that was opened, where it is."""
    path, was = one.recording.path, one.said.source
    if path is None or was is None or not was.size:
        return []
    now = files.fingerprint(path)
    if now == was:
        return []
    return [
        (
            words("facts", "changed"),
            words(
                "facts",
                "was changed",
                had=was.size,
                digest=was.ends_sha256[:16],
                has=now.size,
                now=now.ends_sha256[:16],
            ),
        )
    ]


def _changing(
    told: Sequence[ResultEntry], context: ResultContext, mark: str
) -> dict[str, object] | None:
    """Pictures and lines of everything that was computed besides the spectrum."""
    if not told:
        return None
    pictures = [
        (
            f"{one.kind.key} {picture.name}",
            _inline(picture.panel, mark + picture.name),
            picture.words,
        )
        for one in told
        for picture in one.kind.pictures(one.result, context)
    ]
    lines = [
        (f"{one.kind.key} {i}", line)
        for one in told
        for i, line in enumerate(one.kind.lines(one.result, context), start=1)
    ]
    return {"pictures": pictures, "lines": lines}


def _peak_rows(analysis: Analysis, said: Knowledge) -> list[dict[str, str]]:
    table = readings.peaks(analysis, said, LISTED)
    rows = [{column.key: column.read(row) for column in table.columns} for row in table.rows]
    for row, source in zip(rows, table.rows, strict=True):
        steady = source.doing is None or source.doing.kind == "steady"
        row["doing"] = "" if steady else doing_words(source.doing)
        row["note"] = source.note.words if source.note is not None else ""
    for name in ("frequency_hz", "amplitude"):
        tails = [len(row[name].partition(".")[2]) for row in rows]
        for row, tail in zip(rows, tails, strict=True):
            # Figure spaces bring the decimal points under each other.
            row[name] += "\u2007" * (max(tails) - tail)
    return rows


def _inline(panel: Panel, prefix: str) -> str:
    """The SVG element alone, with its ids made the picture's own."""
    text = figures.stacked([panel], "svg").decode()
    text = text[text.index("<svg") :]
    return (
        text.replace('id="', f'id="{prefix}-')
        .replace("url(#", f"url(#{prefix}-")
        .replace('href="#', f'href="#{prefix}-')
    )
