"""One self-contained HTML file about one analysis."""

from __future__ import annotations

import math
from datetime import datetime

from tonecomb import __version__
from tonecomb.core.analysis import Analysis
from tonecomb.core.changing import Changing
from tonecomb.core.estimate.spectrogram import View, run_spectrogram
from tonecomb.core.find.knowledge import NOTHING, Knowledge
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method import seconds
from tonecomb.core.progress import Progress, part, silent
from tonecomb.core.record import pyramid
from tonecomb.core.record.recording import Recording, whole
from tonecomb.core.record.statistics import channel_figures
from tonecomb.core.say.cautions import cautions
from tonecomb.core.say.numbers import significant, with_std
from tonecomb.formats import changes, files
from tonecomb.formats.output import comb_words, resonance_words
from tonecomb.formats.report import figures
from tonecomb.formats.report.figures import Panel, SpectrumView

_WAVEFORM_COLUMNS = 1400
_GRAM_ROWS, _GRAM_COLUMNS = 400, 900


def report(
    recording: Recording,
    analysis: Analysis,
    view: SpectrumView,
    progress: Progress = silent,
    made: datetime | None = None,
    said: Knowledge = NOTHING,
    changing: Changing | None = None,
) -> str:
    """The report's HTML, with what was said about its peaks, and a section on what changes in time
    where that was looked at. Reads the source once for its waveform and once for its SHA-256."""
    channel = analysis.method.channel
    built = pyramid.build(
        lambda start, stop: recording.samples.read(channel, start, stop),
        recording.length,
        part(progress, 0.0, 0.3),
    )
    envelope = built.envelope(0, recording.length, _WAVEFORM_COLUMNS)
    if len(envelope.low) < _WAVEFORM_COLUMNS / 2:
        samples = recording.samples.read(channel, 0, recording.length)
        envelope = pyramid.envelope_of(samples, 0, _WAVEFORM_COLUMNS)
    statistics = channel_figures(recording, channel, part(progress, 0.3, 0.4))
    problems = list(cautions(analysis, recording, part(progress, 0.4, 0.5)))
    digest = (
        "" if recording.path is None else files.sha256(recording.path, part(progress, 0.5, 0.8))
    )
    stretch = analysis.method.stretch or whole(recording)
    resolution, families = analysis.resolution, said.families(analysis)
    fs = recording.rate
    return _render(
        version=__version__,
        made=(made or datetime.now().astimezone()).strftime("%Y-%m-%d %H:%M %Z"),
        recording=recording,
        analysis=analysis,
        channel=analysis.channel,
        facts=[
            ("File", recording.path.name if recording.path else "not from a file"),
            ("Format", recording.format),
            ("Channel", f"{analysis.channel.name}, {analysis.channel.unit}"),
            ("Sample rate", recording.rate_found),
            ("Duration", f"{seconds(recording.duration, fs)} s, {recording.length} samples"),
            ("Range", f"{significant(statistics.min)} to {significant(statistics.max)} "
                      f"{analysis.channel.unit}, rms {significant(statistics.rms)}"),
            ("SHA-256", digest),
        ],
        resolution=[
            ("Stretch", f"{seconds(stretch.start, fs)}–{seconds(stretch.end, fs)} s"),
            ("Bin spacing", f"{resolution.bin_hz:.5g} Hz"),
            ("Told apart from", f"{resolution.separable_hz:.4g} Hz"),
            ("ENBW", f"{resolution.enbw_hz:.5g} Hz"),
            ("Frame", f"{resolution.frame_s:.5g} s"),
            ("Frames", f"{resolution.frames}, worth {resolution.effective_averages:.1f} "
                       f"independent ones"),
            ("Covered", f"{100 * resolution.covered_fraction:.1f} % of the stretch"),
            ("Nyquist", f"{resolution.nyquist_hz:g} Hz"),
            ("Rms of the frames", f"{significant(analysis.spectrum.rms)} {analysis.unit.symbol}"),
        ],
        problems=problems,
        resonances=[resonance_words(one) for one in analysis.resonances],
        combs=[comb_words(comb, families) for comb in families],
        bands=[
            (f"{band.name}, {limits}" if band.name else limits,
             f"{significant(level)} {analysis.unit.symbol} rms")
            for band, level in zip(analysis.method.bands, analysis.band_levels, strict=True)
            for limits in (f"{band.low:g}–{band.high:g} Hz",)
        ],
        waveform=_inline(
            figures.waveform_panel(
                envelope, fs, (stretch.start, stretch.end), analysis.channel.unit
            ),
            "wave",
        ),
        spectrum=_inline(figures.spectrum_panel(analysis, view), "spec"),
        peaks=(peaks := _peak_rows(analysis, said)),
        noted=any(peak["note"] for peak in peaks),
        changing=_changing(recording, analysis, changing, part(progress, 0.8, 1.0)),
        shaft=said.shaft,
    )  # fmt: skip


def changing_panels(
    recording: Recording, analysis: Analysis, changing: Changing, progress: Progress = silent
) -> dict[str, tuple[Panel, str]]:
    """A picture of each kind, and the words below it: always the spectrogram, then those of what
    was computed."""
    from tonecomb.formats.report import figures_in_time as drawn

    search = analysis.method.search
    view = View(_GRAM_ROWS, _GRAM_COLUMNS, low=search.low, high=search.high)
    gram = run_spectrogram(analysis.method, recording, view, progress)
    panels = {
        "spectrogram": (
            drawn.gram_panel(analysis, gram), "Spectrogram: the highest level in each cell."
        )
    }  # fmt: skip
    if changing.slices is not None:
        low, high = search.low or 0.0, search.high or analysis.fs / 2
        count = len(changing.slices.time)
        panels["waterfall"] = (
            drawn.waterfall_panel(analysis, changing.slices, low, high),
            f"{count} slices of {changing.slices.width_s:.4g} s each.",
        )
    if changing.trend is not None:
        panels["trend"] = (
            drawn.trend_panel(changing.trend), "One value a frame, at the frame's middle."
        )  # fmt: skip
    if changing.run_up is not None:
        panels["run-up"] = (
            drawn.run_up_panel(changing.run_up),
            "Orders over time, and their levels over the shaft's speed; dashed: resonances.",
        )
    return panels


def _changing(
    recording: Recording, analysis: Analysis, changing: Changing | None, progress: Progress
) -> dict[str, object] | None:
    """Pictures of what changes in time, and a line about each track, slice and order."""
    if not changing:
        return None
    panels = changing_panels(recording, analysis, changing, progress)
    return {
        "pictures": [(_inline(panel, name), words) for name, (panel, words) in panels.items()],
        "lines": changes.text(changing).splitlines(),
    }


def _peak_rows(analysis: Analysis, said: Knowledge) -> list[dict[str, str]]:
    rows = [_peak(analysis, peak, said) for peak in analysis.peaks or ()]
    for name in ("frequency", "amplitude"):
        tails = [len(row[name].partition(".")[2]) for row in rows]
        for row, tail in zip(rows, tails, strict=True):
            # Figure spaces bring the decimal points under each other.
            row[name] += "\u2007" * (max(tails) - tail)
    return rows


def _peak(analysis: Analysis, peak: Peak, said: Knowledge) -> dict[str, str]:
    amplitude, std = analysis.amplitude(peak)
    tone = peak.tone
    note, order = said.of(peak, analysis), said.order(tone.frequency)
    wandering = math.isnan(tone.phase_deg)
    return {
        "frequency": with_std(tone.frequency, tone.frequency_std),
        "amplitude": with_std(amplitude, std),
        "phase": "wanders" if wandering else f"{tone.phase_deg:.1f}".replace("-", "−"),
        "prominence": f"{peak.prominence_db:.1f}",
        "order": "" if order is None else f"{order:.3f}",
        "note": "" if note is None else note.words,
    }


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
