"""All that is said about a recording: notes on peaks and modes, combs that were put there, the
machine's known frequencies and its shaft, and where channels sit."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from string import ascii_uppercase

from tonecomb.core.find.comb import Comb, measured
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method.document import DroppedComb, Fingerprint, PeakNote, RecordingRef, note_at
from tonecomb.core.method.given import NOTHING_GIVEN, Given
from tonecomb.core.method.machine import Known, named
from tonecomb.core.method.sketch import Sketch
from tonecomb.core.modal.modes import Mode
from tonecomb.core.results.analysis import Analysis


@dataclass(frozen=True)
class Knowledge:
    """Notes on single peaks, combs, known frequencies, and the shaft's frequency in Hz (None
    where it is not known), notes on modes, the sketch of what was measured, what the ``source``
    file was when it was opened, and what was ``given`` about how it is read."""

    notes: tuple[PeakNote, ...] = ()
    combs: tuple[DroppedComb, ...] = ()
    known: tuple[Known, ...] = ()
    shaft: float | None = None
    modes: tuple[PeakNote, ...] = ()
    sketch: Sketch = field(default_factory=Sketch)
    source: Fingerprint | None = None
    given: Given = NOTHING_GIVEN

    def of_machine(self) -> Knowledge:
        """What is said of the machine alone: it holds for other recordings of it."""
        return Knowledge(known=self.known, shaft=self.shaft)

    def of_mode(self, mode: Mode) -> PeakNote | None:
        """What is said about a mode: a note within its half-power bandwidth is its own."""
        return note_at(self.modes, mode.frequency, mode_play(mode))

    def of(self, peak: Peak, analysis: Analysis) -> PeakNote | None:
        """What is said about a peak; a name that the user gave goes before a known one."""
        frequency = peak.tone.frequency
        note = note_at(self.notes, frequency, analysis.resolution.separable_hz / 2)
        name = named(self.known, self.shaft, frequency, 3 * peak.tone.frequency_std)
        if note is None:
            return PeakNote(frequency, name) if name else None
        return note if note.name else replace(note, name=name)

    def order(self, frequency: float) -> float | None:
        """How many times the shaft's frequency this is (Hz)."""
        return frequency / self.shaft if self.shaft else None

    def families(self, analysis: Analysis) -> tuple[Comb, ...]:
        """The combs that were put there as the analysis's peaks bear them out, then those found
        among the peaks that are none of them, under the letters that are left."""
        mine = [measured_comb(one, analysis) for one in self.combs]
        names = {one.name for one in self.combs}
        free = (letter for letter in ascii_uppercase if letter not in names)
        others = [
            replace(comb, name=next(free))
            for comb in analysis.combs
            if not any(same(one, comb) for one in self.combs)
        ]
        return (*mine, *others)


def mode_play(mode: Mode) -> float:
    """How far a mode may move (Hz) and still be the same."""
    return max(mode.damping * mode.frequency, 3 * mode.frequency_std)


NOTHING = Knowledge()
_REACH = 0.3  # of the spacing within which a tooth takes a tone, at most


def reach(spacing: float, analysis: Analysis) -> float:
    """How far from a tooth a tone is taken for it, in Hz."""
    return min(_REACH * spacing, analysis.resolution.separable_hz)


def measured_comb(one: DroppedComb, analysis: Analysis | None) -> Comb:
    """A comb of the document with the tones that an analysis has at its teeth."""
    if analysis is not None and (comb := _as_it_moves(one, analysis)) is not None:
        return comb
    lines = () if analysis is None else analysis.lines
    near = 0.0 if analysis is None else reach(one.spacing, analysis)
    numbers = range(one.first, one.last + 1)
    comb = measured(lines, one.spacing, one.carrier, numbers, near, one.name)
    return replace(comb, spacing_std=one.std, carrier_std=one.std)


def _as_it_moves(one: DroppedComb, analysis: Analysis) -> Comb | None:
    """A comb of the document as the family that was found and moves; None where none is it."""
    moving = None if analysis.found is None else analysis.found.moving
    if moving is None or moving.runs:
        return None
    combs = (comb for comb in analysis.combs if comb.low is not None and same(one, comb))
    comb = next(combs, None)
    return None if comb is None else replace(comb, name=one.name)


def same(one: DroppedComb, comb: Comb) -> bool:
    """Whether a comb of the document is the family that was found."""
    if (one.carrier is None) != (comb.carrier is None):
        return False
    off = abs((one.carrier or 0.0) - (comb.carrier or 0.0))
    return abs(one.spacing / comb.spacing - 1) < 1e-3 and off < comb.spacing / 4


def knowledge(ref: RecordingRef | None) -> Knowledge:
    """What is said about a recording of the document."""
    if ref is None:
        return NOTHING
    machine = ref.machine
    shaft = machine.shaft
    if shaft is None:
        tied = (c.spacing for c in ref.combs if c.name == machine.comb and c.carrier is None)
        shaft = next(tied, None)
    return Knowledge(
        ref.peak_notes,
        ref.combs,
        machine.known,
        shaft,
        ref.mode_notes,
        ref.sketch,
        ref.fingerprint,
        ref.given,
    )
