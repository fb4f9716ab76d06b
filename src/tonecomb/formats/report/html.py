"""One self-contained HTML file about one analysis."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from tonecomb import __version__
from tonecomb.core.against_truth import compared
from tonecomb.core.analysis import Analysis
from tonecomb.core.find.comb import Comb
from tonecomb.core.find.knowledge import NOTHING, Knowledge
from tonecomb.core.progress import Progress, part, silent
from tonecomb.core.record import pyramid
from tonecomb.core.record.recording import Array, Recording, Stretch, whole
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.statistics import ChannelFigures, channel_figures
from tonecomb.core.say.behaviour import words
from tonecomb.core.say.cautions import cautions
from tonecomb.core.say.in_short import in_short
from tonecomb.core.say.numbers import significant
from tonecomb.core.say.sentence import seconds
from tonecomb.core.steps.prepare import prepare
from tonecomb.formats import files, readings
from tonecomb.formats.kinds.kind import Context, Told
from tonecomb.formats.kinds.spectrum import LISTED, comb_words, resonance_words
from tonecomb.formats.report import figures, sealed, terms
from tonecomb.formats.report.figures import Panel, SpectrumView
from tonecomb.formats.report.layout import USUAL, Layout

_WAVEFORM_COLUMNS = 1400


def report(
    recording: Recording,
    analysis: Analysis,
    view: SpectrumView,
    progress: Progress = silent,
    made: datetime | None = None,
    said: Knowledge = NOTHING,
    besides: Sequence[Told] = (),
    folder: Path | None = None,
    layout: Layout = USUAL,
) -> str:
    """The report's HTML, with what was said about its peaks, and a section on results of other
    kinds, to lie in ``folder``, as ``layout`` says. The session from which it can be made again is
    inside. Reads the source once for its waveform and once for its SHA-256."""
    source = analysis.method.source
    signal, channel = prepare(recording, source.steps), source.channel

    def read(start: int, stop: int) -> Array:
        return signal.samples.read(channel, start, stop)

    built = pyramid.build(read, signal.length, part(progress, 0.0, 0.3))
    envelope = built.envelope(0, signal.length, _WAVEFORM_COLUMNS)
    if len(envelope.low) < _WAVEFORM_COLUMNS / 2:
        envelope = pyramid.envelope_of(read(0, signal.length), 0, _WAVEFORM_COLUMNS)
    (statistics,) = channel_figures(signal, (channel,), part(progress, 0.3, 0.4))
    problems = list(cautions(analysis, recording, part(progress, 0.4, 0.5)))
    digest = (
        "" if recording.path is None else files.sha256(recording.path, part(progress, 0.5, 1.0))
    )
    layout.check()
    stretch = source.stretch or whole(signal)
    families = said.families(analysis)
    values = dict(
        version=__version__,
        made=(made or datetime.now().astimezone()).strftime("%Y-%m-%d %H:%M %Z"),
        recording=recording,
        analysis=analysis,
        channel=analysis.channel,
        facts=_facts(recording, signal, analysis, statistics, digest) + _changed(recording, said),
        resolution=_resolution(analysis, stretch),
        problems=problems,
        short=[one.text for one in in_short(analysis, problems, said)],
        resonances=[resonance_words(one) for one in analysis.resonances],
        combs=[comb_words(comb, families) for comb in families],
        bands=[
            (f"{band.name}, {limits}" if band.name else limits,
             f"{significant(level)} {analysis.unit.symbol} rms")
            for band, level in zip(analysis.method.follow.bands, analysis.band_levels, strict=True)
            for limits in (f"{band.low:g}–{band.high:g} Hz",)
        ],
        waveform=_inline(
            figures.waveform_panel(
                envelope, signal.rate, (stretch.start, stretch.end), analysis.channel.unit
            ),
            "wave",
        ),
        spectrum=_inline(figures.spectrum_panel(analysis, _flagged(view, families)), "spec"),
        peaks=(peaks := _peak_rows(analysis, said)),
        noted=any(peak["note"] for peak in peaks),
        behaving=any(peak["doing"] for peak in peaks),
        lower=len(analysis.peaks or ()) - len(peaks),
        changing=_section(besides, Context(analysis, said=said, decibels=view.decibels)),
        shaft=said.shaft,
        known=[readings.truth_words(one, analysis.amplitude_unit) for one in compared(analysis)],
        description=recording.comment if recording.truth is not None else "",
        title=layout.cover.title or f"{recording.name} · {analysis.channel.name}",
        subject="Frequency content" if not layout.cover.title
        else f"Frequency content of {recording.name}, {analysis.channel.name}",
        cover=layout.cover,
        sections=layout.sections,
        terms=(),
        sealed=sealed.seal(
            recording, analysis.method, said, besides, view, folder, layout
        ),
    )  # fmt: skip
    if "terms" in layout.sections:
        values["terms"] = terms.used(sealed.words_in(_render(**values)))
    return _render(**values)


def _facts(
    recording: Recording,
    signal: Signal,
    analysis: Analysis,
    figures_of: ChannelFigures,
    digest: str,
) -> list[tuple[str, str]]:
    """What was analysed: the file, and the samples after the steps."""
    unit = analysis.channel.unit
    return [
        ("File", recording.path.name if recording.path else "not from a file"),
        ("Format", recording.format),
        ("Channel", f"{analysis.channel.name}, {unit}"),
        ("Sample rate", signal.rate_found),
        ("Duration", f"{seconds(signal.duration, signal.rate)} s, {signal.length} samples"),
        ("Range", f"{significant(figures_of.min)} to {significant(figures_of.max)} {unit}, rms "
                  f"{significant(figures_of.rms)}"),
        ("SHA-256", digest),
    ]  # fmt: skip


def _resolution(analysis: Analysis, stretch: Stretch) -> list[tuple[str, str]]:
    """What the frames can tell apart."""
    r, fs = analysis.resolution, analysis.fs
    return [
        ("Stretch", f"{seconds(stretch.start, fs)}–{seconds(stretch.end, fs)} s"),
        ("Bin spacing", f"{r.bin_hz:.5g} Hz"),
        ("Told apart from", f"{r.separable_hz:.4g} Hz"),
        ("ENBW", f"{r.enbw_hz:.5g} Hz"),
        ("Frame", f"{r.frame_s:.5g} s"),
        ("Frames", f"{r.frames}, worth {r.effective_averages:.1f} independent ones"),
        ("Covered", f"{100 * r.covered_fraction:.1f} % of the stretch"),
        ("Nyquist", f"{r.nyquist_hz:g} Hz"),
        ("Rms of the frames", f"{significant(analysis.spectrum.rms)} {analysis.unit.symbol}"),
    ]


def _changed(recording: Recording, said: Knowledge) -> list[tuple[str, str]]:
    """That the file is another than the one that was opened, where it is."""
    path, was = recording.path, said.source
    if path is None or was is None or not was.size:
        return []
    now = files.fingerprint(path)
    if now == was:
        return []
    return [("Changed", (
        f"the file was changed after it was opened: it had {was.size} bytes (digest of its ends "
        f"{was.ends_sha256[:16]}) and has {now.size} ({now.ends_sha256[:16]}). Figures are of what "
        "was read when; the SHA-256 is of what it is now."
    ))]  # fmt: skip


def _section(told: Sequence[Told], context: Context) -> dict[str, object] | None:
    """Pictures and lines of everything that was computed besides the spectrum."""
    if not told:
        return None
    pictures = [
        (f"{one.kind.key} {picture.name}", _inline(picture.panel, picture.name), picture.words)
        for one in told for picture in one.kind.pictures(one.result, context)
    ]  # fmt: skip
    lines = [
        (f"{one.kind.key} {i}", line)
        for one in told for i, line in enumerate(one.kind.lines(one.result, context), start=1)
    ]  # fmt: skip
    return {"pictures": pictures, "lines": lines}


def _peak_rows(analysis: Analysis, said: Knowledge) -> list[dict[str, str]]:
    table = readings.peaks(analysis, said, LISTED)
    rows = [{column.key: column.read(row) for column in table.columns} for row in table.rows]
    for row, source in zip(rows, table.rows, strict=True):
        steady = source.doing is None or source.doing.kind == "steady"
        row["doing"] = "" if steady else words(source.doing)
        row["note"] = source.note.words if source.note is not None else ""
    for name in ("frequency_hz", "amplitude"):
        tails = [len(row[name].partition(".")[2]) for row in rows]
        for row, tail in zip(rows, tails, strict=True):
            # Figure spaces bring the decimal points under each other.
            row[name] += "\u2007" * (max(tails) - tail)
    return rows


def _flagged(view: SpectrumView, families: Sequence[Comb]) -> SpectrumView:
    """The view with the names of teeth, unless it has some."""
    return view if view.flags else replace(view, flags=figures.flags_of(families))


def _inline(panel: Panel, prefix: str) -> str:
    """The SVG element alone, with its ids made the picture's own."""
    text = figures.stacked([panel], "svg").decode()
    text = text[text.index("<svg") :]
    return (
        text.replace('id="', f'id="{prefix}-')
        .replace("url(#", f"url(#{prefix}-")
        .replace('href="#', f'href="#{prefix}-')
    )


def _render(**values: object) -> str:
    import jinja2

    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("tonecomb.formats", "report"),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    return environment.get_template("report.html").render(**values)
