"""The search of a recording by a method: its spectrum, and all that is found in it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import cache

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.frame_statistics import Courses
from tonecomb.core.estimate.framing import effective_averages
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.changes import find_changes
from tonecomb.core.find.family_audit import Sounds, sounding
from tonecomb.core.find.family_audit import audited as audited_families
from tonecomb.core.find.floor import expected_bins, find_noise
from tonecomb.core.find.impact_resonance import find_ringing
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.mode_witness import WholeStretch
from tonecomb.core.find.parting import parted
from tonecomb.core.find.peaks import Peak, find_peaks
from tonecomb.core.find.ridge import Ridge, find_ridge
from tonecomb.core.find.variable_speed import Moving, find_moving
from tonecomb.core.method.method import FramePlan, Method, plan
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.estimate import Estimate, run_spectrum
from tonecomb.core.results.findings import (
    SEVERAL,
    Findings,
    modes,
    of_family,
    of_mode,
)
from tonecomb.core.results.machine_families import (
    modes_in_machine_time,
    moving_with,
    own_families,
    resting_data,
)
from tonecomb.core.results.machine_time import (
    is_steadied,
    machine_peaks,
    reads_both_ways,
)
from tonecomb.core.results.peak_audit import audited, with_lines
from tonecomb.core.results.true_peak import true_peaks
from tonecomb.core.steps.filters import Filter
from tonecomb.core.steps.prepare import prepare

_STILL = 0.5  # of the power that steady tones hold, from which no other holds most
_SWELLS = ("comes and goes", "modulated")
_BORNE_OUT = 1.4  # times the floor, that a tooth's range holds on average
_DEEPEST = 1e-6  # of a filter's gain squared, down to which noise is seen to follow it
_FAR = 0.1  # of its frequency that a tone moves, so that it may be the first of a family


def run(method: Method, recording: Recording, progress: Progress = silent) -> Analysis:
    """Analyse ``recording`` by ``method``: spectrum and peaks. Pure: same arguments, same result.

    Raises :class:`UserError` when the method does not fit or samples are missing.
    """
    method = method.resolved(recording)
    estimate = followed_spectrum(method, recording, part(progress, 0.0, 0.5))
    findings = run_findings(estimate, method, recording, part(progress, 0.5, 0.9))
    extremes = true_peaks(method, recording, part(progress, 0.9, 1.0))
    return Analysis.of(replace(estimate, followed=None), findings, method, recording, extremes)


def followed_spectrum(
    method: Method, recording: Recording, progress: Progress = silent
) -> Estimate:
    """As :func:`run_spectrum`, but for the frames, which are followed in the same pass where that
    can be: what is then found takes less, and the spectrum a little more."""

    def expect(few: Spectrum, count: int) -> NDArray[np.int_]:
        return expected_bins(few, count, shaped_by(method, recording, few.frequency))

    return run_spectrum(method, recording, progress, expect)


def shaped_by(method: Method, recording: Recording, frequency: Array) -> Array | None:
    """The square of the gain of a chain's filters at these frequencies (Hz), as far down as noise
    follows it; None where nothing is filtered."""
    steps = method.source.steps
    total: Array | None = None
    for i, step in enumerate(steps):
        if isinstance(step, Filter) and not step.off:
            fs = prepare(recording, steps[:i]).rate
            gain = np.abs(step.response(np.minimum(frequency, 0.4999 * fs), fs)) ** 2
            total = gain if total is None else total * gain
    return None if total is None else np.maximum(total, _DEEPEST)


def run_findings(
    estimate: Estimate, method: Method, recording: Recording, progress: Progress = silent
) -> Findings:
    """Look for peaks and resonances in an estimate that was made by the same method."""
    average, search = method.averaging.average, method.search
    if not average.typical or method.source.axes:
        # A tone is fitted to all frames alike: its amplitude would not be that of the curve.
        return Findings()
    p = plan(method.findings(), recording)
    read: Read = p.read
    if not average.spaced and estimate.single is not None:
        samples = estimate.single.samples

        def read(start: int, stop: int) -> Array:
            return samples[start:stop]

    spectrum = estimate.spectrum
    nominal = effective_averages(spectrum.framing, p.taper.name)
    shape = shaped_by(method, recording, spectrum.frequency)
    noise = find_noise(
        read, spectrum, p.fs, nominal, shape, part(progress, 0, 0.2), estimate.followed
    )
    progress = part(progress, 0.2, 1)
    whole = cache(lambda: WholeStretch.of(read, p.framing.length, p.fs))
    peaks, unlisted = find_peaks(spectrum, search.peaks, read, p.fs, p.taper, noise, progress)
    if estimate.single is None and not recording.live:  # what grows is looked at again at once
        peaks = parted(peaks, spectrum, read, p.fs)
        if p.framing.kept is None:
            peaks = with_lines(peaks, spectrum, whole)
    machine = None
    if estimate.single is None and not recording.live and reads_both_ways(peaks, p):
        peaks, machine = machine_peaks(peaks, method, p, part(progress, 0.5, 1))
    findings = Findings(peaks, noise.floor, noise.averages, unlisted=unlisted, machine=machine)
    if noise.courses is not None:
        findings = replace(findings, changes=find_changes(noise.courses, p.fs))
    before = Analysis(estimate, method.findings(), findings, "")
    moving = None if machine is not None else _moving(before, read, p)
    findings = replace(findings, moving=moving)
    combs = before.combs if moving is None else replace(before, found=findings).combs
    separable = estimate.resolution.separable_hz
    if machine is not None:
        combs = own_families(combs, peaks)
    else:
        combs = audited_families(combs, before.lines, _sounds(peaks, noise.courses), separable)
    if machine is not None:
        moving = moving_with(machine, combs, peaks)
        findings = replace(findings, moving=moving)
    rung: tuple[Resonance, ...] = ()
    if machine is None:
        rung = find_ringing(combs, spectrum, read, p.fs, method.frames.detrend)
    between = None
    if machine is not None:
        between = resting_data(peaks, combs, machine, p, noise.floor, spectrum.enbw_hz)
    resonances = [*modes(estimate, findings, combs, method, p.taper, between), *rung]
    if machine is not None:
        resonances = modes_in_machine_time(resonances, combs, peaks)
    elif estimate.single is None and not recording.live:
        peaks, resonances = audited(
            peaks, resonances, method.search.fits, spectrum, p.taper, whole, p.fs
        )
    resonances.sort(key=lambda one: one.frequency)
    if machine is None:
        peaks = tuple(of_family(of_mode(peak, resonances), moving, separable) for peak in peaks)
    else:
        peaks, combs = machine.with_common(peaks, combs)
    findings = replace(findings, peaks=peaks, combs=combs, resonances=tuple(resonances))
    one_by_one = estimate.single is None and not recording.live and not resonances
    if machine is None and moving is None and one_by_one:
        findings = replace(findings, ridge=_ridge(estimate, peaks, read, p))
    return replace(findings, content=findings.content_of(estimate, p.taper))


def _ridge(estimate: Estimate, peaks: Sequence[Peak], read: Read, p: FramePlan) -> Ridge | None:
    """One tone that holds most of the power, looked for where steady ones do not."""
    still = sum(one.tone.amplitude**2 / 2 for one in peaks if one.tone.steady)
    wanders = any(one.behaviour is not None and one.behaviour.kind == "wanders" for one in peaks)
    if p.framing.kept is not None or wanders or still > _STILL * estimate.level.rms**2:
        return None
    return find_ridge(read, p.framing.length, p.fs, p.framing.frame)


def _sounds(peaks: Sequence[Peak], courses: Courses | None) -> Sounds | None:
    """In which frames the peaks sound; None where all always do, or it is not known."""
    if courses is None or all(one.tone.steady or one.turns == "turns" for one in peaks):
        return None
    always = np.ones((len(peaks), len(courses.lines)), dtype=bool)
    for i, one in enumerate(peaks):
        near = round(one.tone.frequency / courses.bin_hz)
        first, last = courses.around(near - 1, near + 1)
        if not one.tone.steady and one.turns != "turns" and last > first:
            power = np.abs(courses.lines[:, first:last]).max(axis=1) ** 2
            always[i] = sounding(power[None])[0]
    return always


def _moving(before: Analysis, read: Read, p: FramePlan) -> Moving | None:
    """A family that moves, looked for where several peaks do, or where what is there is not."""
    peaks, findings = before.peaks or (), before.found
    if p.framing.kept is not None or findings is None or is_steadied(p.signal):
        return None
    moves = [
        one
        for one in peaks
        if one.behaviour and not one.tone.steady and one.behaviour.kind != "comes and goes"
    ]
    goes = any(one.behaviour and one.behaviour.kind in _SWELLS for one in peaks)
    changes = findings.changes is not None and findings.changes.elsewhere > 0 and not goes
    far = any(
        one.behaviour and one.behaviour.moved > _FAR * one.tone.frequency for one in moves
    )  # a fundamental that runs: its teeth may stand where it holds its speed
    if len(moves) < SEVERAL and not changes and not far:
        return None
    teeth = {line for comb in before.combs for line in comb.lines}
    still = [
        one.tone.frequency for i, one in enumerate(peaks) if one.tone.steady and i not in teeth
    ]
    heard = find_moving(read, p.framing.length, p.fs, np.array(still))
    if heard is None or not _borne_out(heard, before):
        return None
    start = p.start / p.fs  # of the stretch, from which it was heard
    return replace(heard, track=tuple((start + time, f) for time, f in heard.track))


def _borne_out(heard: Moving, before: Analysis) -> bool:
    """Whether the average has something over its noise where a tooth of the family was: what is
    heard in short frames may be steady lines beside those that were left out."""
    power, floor, hz = before.spectrum.mean_square, before.floor, before.spectrum.bin_hz
    if floor is None:
        return True

    for number in heard.teeth:
        first, last = math.floor(number * heard.low / hz), math.ceil(number * heard.high / hz)
        over = power[first : last + 1] / np.maximum(floor[first : last + 1], 1e-300)
        if len(over) and over.mean() > _BORNE_OUT:
            return True
    return False
