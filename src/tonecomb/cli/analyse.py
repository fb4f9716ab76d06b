"""``tone-comb analyse``: spectra, peaks and all that a method asks for."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import click

import tonecomb
from tonecomb.api import Analysed
from tonecomb.cli.between import between_of, sketch_of
from tonecomb.cli.common import (
    ReadingOptions,
    as_json,
    channels_of,
    forcing,
    importing,
    only,
    say,
    shown_progress,
)
from tonecomb.cli.common import stretch as stretch_option
from tonecomb.cli.method import chain_of, method_of, method_options, slicing_of
from tonecomb.cli.reporting import Writing, reporting
from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part
from tonecomb.core.method.given import NOTHING_GIVEN, Given
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.record.resampling import excerpt
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import NOTHING, Knowledge, knowledge
from tonecomb.formats import guard, output
from tonecomb.formats.kinds.alike import OtherRecording
from tonecomb.formats.registry import write_recording


@click.command()
@click.argument("paths", nargs=-1, metavar="PATH…", type=click.Path(path_type=Path))
@importing
@as_json
@only
@stretch_option
@method_options
@click.option("--shaft", type=float, metavar="HZ", help="The shaft's speed: peaks get orders.")
@click.option(
    "--machine",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="A CSV table of known frequencies that name peaks: name, frequency [Hz] or times "
    "shaft, tolerance [%].",
)
@click.option("--hits", is_flag=True, help="Look for hits that repeat, such as a bearing's.")
@click.option("--cepstrum", is_flag=True, help="Families of lines by the power cepstrum.")
@click.option(
    "--srs",
    metavar="Q[:N]",
    help="Shock response spectrum of the stretch, for oscillators of this Q, N (12) an octave.",
)
@click.option(
    "--session",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Take the method, and without PATH the recording, of a saved session.",
)
@reporting
@click.option(
    "--write-signal",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write what is analysed, after all steps, in the format that FILE ends in.",
)
@forcing
def analyse(
    paths: tuple[Path, ...],
    reading: ReadingOptions,
    as_json: bool,
    channels: tuple[str, ...],
    session: Path | None,
    write_signal: Path | None,
    force: bool,
    writing: Writing,
    **settings: Any,
) -> None:
    """Spectrum and peaks of the recordings at PATH…, all channels unless some are named."""
    machine, shaft = settings.pop("machine"), settings.pop("shaft")
    call = Call(reading, settings, channels, asked=_asked(settings))
    calls = [(path, call) for path in paths]
    if session is not None:
        calls = _from_session(session, call, paths, every=writing.together)
    calls = [(path, replace(one, said=_known(one.said, machine, shaft))) for path, one in calls]
    if not calls:
        raise click.UsageError("Name a recording to analyse, or a session with --session.")
    if write_signal is not None and len(calls) > 1:
        raise UserError("--write-signal writes one recording", remedy="name one PATH")
    results: list[tuple[Recording, list[Analysed]]] = []
    with shown_progress("Analysing") as progress:
        for i, (path, one) in enumerate(calls):
            share = part(progress, i / len(calls), (i + 1) / len(calls))
            try:
                recording, analyses = one.of(path, share)
            except UserError as error:
                if len(calls) == 1 or path.name in error.what:
                    raise
                raise UserError(f"{path.name}: {error.what}", error.why, error.remedy) from error
            results.append((recording, analyses))
            if write_signal is not None:
                guard.refuse_existing(write_signal, force)
                _write_signal(write_signal, recording, [one.analysis for one in analyses])
    described = (
        [
            {
                "recording": output.description(recording),
                "analyses": [one.values() for one in analyses],
            }
            for recording, analyses in results
        ]
        if as_json
        else []
    )
    written = writing.write(results, force)
    if as_json:
        say(output.dumps(described[0] if len(described) == 1 else described))
        return
    for recording, analyses in results:
        for guess in recording.assumed:
            say(f"{recording.name}: {guess}")
        for done in analyses:
            say(done.text())
    for path in [*written, *([write_signal] if write_signal is not None else [])]:
        say(f"wrote {path}")


@dataclass(frozen=True)
class Call:
    """What is wanted of every PATH: the ``reading`` of the call over what is ``given``, by the
    ``base`` of a session and the ``settings`` of the call, the ``channels`` named, and what is
    ``asked`` besides."""

    reading: ReadingOptions
    settings: dict[str, Any]
    channels: tuple[str, ...] = ()
    given: Given = NOTHING_GIVEN
    base: Method | None = None
    said: Knowledge = NOTHING
    asked: dict[str, Hashable] = field(default_factory=dict)

    def of(self, path: Path, progress: Progress) -> tuple[Recording, list[Analysed]]:
        """The recording, and an analysis of each channel that is wanted."""
        given = self.reading.of(path, self.given)
        recording = tonecomb.open(path, given=given, progress=part(progress, 0, 0.2))
        signal = tonecomb.prepare(recording, chain_of(self.base, self.settings))
        wanted, answers = self._wanted(recording, signal)
        settings = self.settings | {"answers": answers}
        said, asked = replace(self.said, given=given), dict(self.asked)
        places, there = settings["places"], settings["against_places"]
        if places:
            said = replace(said, sketch=sketch_of(signal, places))
        other = None
        if (against := settings["against"]) is not None:
            other = tonecomb.open(against, given=self.reading.of(against, self.given))
        axes: tuple[int, ...] = ()
        if settings["power_sum"]:
            if len(wanted) < 2:
                raise UserError("A power sum takes two channels or more", remedy="name them")
            wanted, axes = wanted[:1], tuple(wanted[1:])
        analyses = []
        for i, channel in enumerate(wanted):
            method = method_of(recording, channel, self.base, settings, self.said.shaft)
            if axes:
                method = method.having(channel=channel, axes=axes)
            if other is not None:
                sketch = sketch_of(other, there or places)
                asked["alike"] = OtherRecording(other.id, other, method, said.sketch, sketch)
            done = part(progress, *(0.2 + 0.8 * (i + k) / len(wanted) for k in (0, 1)))
            analyses.append(
                tonecomb.analyse(recording, method, asked=asked, said=said, progress=done)
            )
        return recording, analyses

    def _wanted(self, recording: Recording, signal: Signal) -> tuple[list[int], tuple[int, ...]]:
        """Numbers of the channels that are analysed, and of those that answer a reference."""
        count = len(signal.channels)
        usual = list(range(count)) if self.base is None else [self.base.source.channel]
        wanted = channels_of(recording.name, signal.channels, self.channels, usual)
        if not self.settings["taps"] and self.settings["reference"] is None:
            return wanted, ()
        # One result for all of them goes with the first that answers.
        answers = tuple(wanted) if self.channels else ()
        between = between_of(signal, self.settings | {"answers": answers})
        assert between is not None
        return [between.of(count)[0]], answers


def _asked(settings: dict[str, Any]) -> dict[str, Hashable]:
    """What is asked of kinds besides the method; those settings are taken out."""
    asked: dict[str, Hashable] = {"slices": slicing_of(settings)}
    if (srs := settings.pop("srs")) is not None:
        asked["shock"] = _srs(srs)
    return asked | {key: True for key in ("hits", "cepstrum") if settings.pop(key)}


def _srs(text: str) -> tuple[float, int]:
    """Q, and oscillators an octave."""
    q, _, fraction = text.partition(":")
    try:
        return float(q), int(fraction or 12)
    except ValueError as error:
        raise UserError(f"‘{text}’ is no Q", remedy="give it like 10, or 10:24") from error


def _write_signal(file: Path, recording: Recording, analyses: list[Analysis]) -> None:
    """Write the samples that were analysed, after the steps, over their stretch."""
    source = analyses[0].method.source
    signal = tonecomb.prepare(recording, source.steps)
    numbers = [one.method.source.channel for one in analyses]
    with shown_progress("Writing") as progress:
        write_recording(file, excerpt(signal.as_recording(), numbers, source.stretch), progress)


def _from_session(
    file: Path, call: Call, paths: tuple[Path, ...], every: bool
) -> list[tuple[Path, Call]]:
    """The call for each of ``paths`` by the session's current method; without paths for its own
    recording, or for ``every`` one by its own method, read as the session says."""
    from tonecomb.formats.session.session import load

    document = load(file)
    ref = document.current_ref
    if ref is None:
        raise UserError(f"{file.name} has no recording", remedy="name one, without --session")
    if paths:
        alike = replace(call, base=ref.method, said=knowledge(ref))
        return [(path, alike) for path in paths]
    return [
        (Path(one.path), replace(call, given=one.given, base=one.method, said=knowledge(one)))
        for one in (document.recordings if every else (ref,))
    ]


def _known(said: Knowledge, machine: Path | None, shaft: float | None) -> Knowledge:
    """What a session says, and over it what the call says, of the machine."""
    from tonecomb.formats import machines

    if machine is not None:
        said = replace(said, known=machines.read(machine))
    if shaft is not None:
        if not shaft > 0:
            raise UserError("--shaft takes a frequency above 0, in Hz")
        said = replace(said, shaft=shaft)
    return said
