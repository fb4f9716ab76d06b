"""The search of a recording by a method: its spectrum, and all that is found in it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.frame_statistics import Courses
from tonecomb.core.estimate.framing import effective_averages
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.changes import find_changes, loud_between
from tonecomb.core.find.family_audit import Sounds, sounding
from tonecomb.core.find.family_audit import audited as audited_families
from tonecomb.core.find.floor import NoiseFloor, expected_bins, find_noise
from tonecomb.core.find.impact_resonance import find_ringing
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.mode_witness import WholeStretch
from tonecomb.core.find.parting import parted
from tonecomb.core.find.peaks import Peak, find_peaks
from tonecomb.core.find.ridge import find_ridge
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
from tonecomb.core.results.peak_audit import asked, borne_modes, with_lines
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
    average = method.averaging.average
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
    several = estimate.single is None and not recording.live
    of = _Searched(estimate, method, p, read, noise, several)
    findings = of.with_peaks(part(progress, 0.2, 1))
    findings = of.with_ridge(of.with_families_and_modes(findings))
    return of.with_account(replace(findings, content=findings.content_of(estimate, p.taper)))


@dataclass(frozen=True, eq=False)
class _Searched:
    """What is searched: an estimate, the method that made it, the frames, how samples are read and
    the noise; ``several`` says that frames can be held against each other. What grows is looked
    at again at once, and takes no time for that."""

    estimate: Estimate
    method: Method
    plan: FramePlan
    read: Read
    noise: NoiseFloor
    several: bool

    @cached_property
    def _stretch(self) -> WholeStretch | None:
        return WholeStretch.of(self.read, self.plan.framing.length, self.plan.fs)

    def _whole(self) -> WholeStretch | None:
        return self._stretch

    def with_peaks(self, progress: Progress) -> Findings:
        """The peaks, in the time of a machine where there is one that breathes, and what of them
        moves: from here on they are known by their numbers."""
        p, spectrum, noise, method = self.plan, self.estimate.spectrum, self.noise, self.method
        sought, fs = method.search.peaks, p.fs
        peaks, unlisted = find_peaks(spectrum, sought, self.read, fs, p.taper, noise, progress)
        machine, moving = None, None
        if self.several:
            peaks = parted(peaks, spectrum, self.read, fs)
            if p.framing.kept is None:
                peaks = with_lines(peaks, spectrum, self._whole)
            if reads_both_ways(peaks, p):
                peaks, machine = machine_peaks(peaks, method, p, part(progress, 0.5, 1))
        changes = None if noise.courses is None else find_changes(noise.courses, fs)
        findings = Findings(
            peaks, noise.floor, noise.averages, None, unlisted, changes, machine=machine
        )
        if machine is None:
            before = Analysis(self.estimate, method.findings(), findings, "")
            moving = _moving(before, self.read, p)
        if self.several and machine is None and moving is None:
            peaks = asked(peaks, spectrum, p.taper, self._whole, fs)
        return replace(findings, peaks=peaks, moving=moving)

    def with_families_and_modes(self, findings: Findings) -> Findings:
        """The families among the peaks, and the modes beside and under them."""
        p, peaks, moving, machine = self.plan, findings.peaks, findings.moving, findings.machine
        spectrum, method = self.estimate.spectrum, self.method
        before = Analysis(self.estimate, method.findings(), findings, "")
        separable = self.estimate.resolution.separable_hz
        rung: tuple[Resonance, ...] = ()
        between = None
        if machine is None:
            sounds = _sounds(peaks, self.noise.courses)
            combs = audited_families(before.combs, before.lines, sounds, separable)
            rung = find_ringing(combs, spectrum, self.read, p.fs, method.frames.detrend)
        else:
            combs = own_families(before.combs, peaks)
            findings = replace(findings, moving=moving_with(machine, combs, peaks))
            floor = self.noise.floor
            between = resting_data(peaks, combs, machine, p, floor, spectrum.enbw_hz)
        resonances = [*modes(self.estimate, findings, combs, method, p.taper, between), *rung]
        if machine is not None:
            resonances = modes_in_machine_time(resonances, combs, peaks)
            peaks, combs = machine.with_common(peaks, combs)
        elif self.several:
            by_hand = method.search.fits
            peaks, resonances = borne_modes(peaks, resonances, by_hand, spectrum, self._whole, p.fs)
        resonances.sort(key=lambda one: one.frequency)
        if machine is None:
            peaks = tuple(of_family(of_mode(one, resonances), moving, separable) for one in peaks)
        return replace(findings, peaks=peaks, combs=combs, resonances=tuple(resonances))

    def with_account(self, findings: Findings) -> Findings:
        """When there is what belongs to nothing that was found."""
        account = Analysis(self.estimate, self.method.findings(), findings, "").account
        left, courses = account.of_kind("left"), self.noise.courses
        if not left or courses is None:
            return findings
        return replace(
            findings, left_at=loud_between(courses, left[0].low, left[0].high, self.plan.fs)
        )

    def with_ridge(self, findings: Findings) -> Findings:
        """One tone that holds most of the power, looked for where steady ones do not."""
        p, level, peaks = self.plan, self.estimate.level, findings.peaks
        if findings.machine is not None or findings.moving is not None or findings.resonances:
            return findings
        still = sum(one.tone.amplitude**2 / 2 for one in peaks if one.tone.steady)
        wanders = any(one.behaviour and one.behaviour.kind == "wanders" for one in peaks)
        framed = not self.several or p.framing.kept is not None
        if framed or wanders or still > _STILL * level.rms**2:
            return findings
        return replace(
            findings, ridge=find_ridge(self.read, p.framing.length, p.fs, p.framing.frame)
        )


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
    if heard is None or not _borne_out(heard, before) or _stands(heard, peaks):
        return None
    start = p.start / p.fs  # of the stretch, from which it was heard
    return replace(heard, track=tuple((start + time, f) for time, f in heard.track))


def _stands(heard: Moving, peaks: Sequence[Peak]) -> bool:
    """Whether most of its teeth that are peaks keep one phase all over the stretch: what changes is
    something else."""
    teeth = [
        one
        for one in peaks
        if any(n * heard.low <= one.tone.frequency <= n * heard.high for n in heard.teeth)
    ]
    return 2 * sum(one.tone.steady for one in teeth) > len(teeth) > 1


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
