"""The document: which recordings are on the shelf and by which method each is analysed.

Edits are pure functions from one document to the next.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from tonecomb.core.base.units import System
from tonecomb.core.method.given import NOTHING_GIVEN, Given
from tonecomb.core.method.machine import Machine
from tonecomb.core.method.method import Method, levels_of
from tonecomb.core.method.method import in_units as in_system
from tonecomb.core.method.sketch import Sketch
from tonecomb.core.steps.keep import Keep
from tonecomb.core.steps.step import Step


@dataclass(frozen=True)
class Fingerprint:
    """Enough of a file to know it again: its size in bytes and a digest of both ends."""

    size: int
    ends_sha256: str


@dataclass(frozen=True)
class Mark:
    """A note at a time in s of the recording after its steps."""

    time: float
    note: str


@dataclass(frozen=True)
class PeakNote:
    """What is said about the peak at ``frequency`` (Hz): a ``name``, and why it is set
    ``aside``, "" where it is not; ``marked`` where a line through every view shows it."""

    frequency: float
    name: str = ""
    aside: str = ""
    marked: bool = False

    @property
    def words(self) -> str:
        """The note in one line."""
        parts = (self.name, f"set aside: {self.aside}" if self.aside else "")
        return ", ".join(part for part in parts if part)


def note_at(notes: tuple[PeakNote, ...], frequency: float, play: float) -> PeakNote | None:
    """The note nearest to a frequency, give or take ``play`` Hz, None where there is none."""
    nearest = min(notes, key=lambda note: abs(note.frequency - frequency), default=None)
    if nearest is None or abs(nearest.frequency - frequency) > play:
        return None
    return nearest


@dataclass(frozen=True)
class DroppedComb:
    """A comb on a recording's spectra: harmonics of ``spacing`` (Hz), or sidebands so far apart
    about ``carrier``, with the teeth ``first`` to ``last``. ``std`` is the standard deviation of
    the spacing as it was fitted, 0 where it was put there by hand."""

    name: str
    spacing: float
    carrier: float | None = None
    first: int = 1
    last: int = 10
    std: float = 0.0

    def place(self, number: int) -> float:
        """Where tooth ``number`` should be, in Hz."""
        return (self.carrier or 0.0) + number * self.spacing


@dataclass(frozen=True)
class Chain:
    """A channel and steps under a name, to be analysed at a click."""

    name: str
    channel: int = 0
    steps: tuple[Step, ...] = ()


@dataclass(frozen=True)
class RecordingRef:
    """A recording on the shelf: where its file is and what the user said about it.

    ``beside`` are the channels whose waveforms are shown beside the one that is analysed,
    ``chains`` those that were put on the shelf. ``mode_notes`` are on modes by their frequencies,
    ``sketch`` says where channels sit.
    """

    id: str
    name: str
    path: str
    fingerprint: Fingerprint
    method: Method
    given: Given = NOTHING_GIVEN
    chains: tuple[Chain, ...] = ()
    beside: tuple[int, ...] = ()
    marks: tuple[Mark, ...] = ()
    combs: tuple[DroppedComb, ...] = ()
    peak_notes: tuple[PeakNote, ...] = ()
    mode_notes: tuple[PeakNote, ...] = ()
    sketch: Sketch = field(default_factory=Sketch)
    machine: Machine = field(default_factory=Machine)


@dataclass(frozen=True)
class HeldTrace:
    """A curve kept for comparison: of which recording, as it was ``given`` then (None for as it is
    now), and by which method, with its steps."""

    id: str
    name: str
    recording: str
    method: Method
    shown: bool = True
    given: Given | None = None


@dataclass(frozen=True)
class Document:
    """Everything that undo, sessions and autosave are about."""

    recordings: tuple[RecordingRef, ...] = ()
    current: str | None = None
    held: tuple[HeldTrace, ...] = ()

    def get(self, recording_id: str | None) -> RecordingRef | None:
        """The recording with this id, or None."""
        return next((ref for ref in self.recordings if ref.id == recording_id), None)

    @property
    def current_ref(self) -> RecordingRef | None:
        """The recording that is being analysed."""
        return self.get(self.current)


def add_recording(document: Document, ref: RecordingRef) -> Document:
    """Put a recording at the shelf's end and analyse it."""
    return replace(document, recordings=(*document.recordings, ref), current=ref.id)


def remove_recording(document: Document, recording_id: str) -> Document:
    """Take a recording off the shelf, and the traces of it; its neighbour becomes the current
    one."""
    ids = [ref.id for ref in document.recordings]
    at = ids.index(recording_id)
    rest = tuple(ref for ref in document.recordings if ref.id != recording_id)
    current = document.current
    if current == recording_id:
        current = rest[min(at, len(rest) - 1)].id if rest else None
    held = tuple(trace for trace in document.held if trace.recording != recording_id)
    return Document(rest, current, held)


def change_recording(document: Document, ref: RecordingRef) -> Document:
    """Put ``ref`` in the place of the recording with its id."""
    return replace(
        document,
        recordings=tuple(ref if old.id == ref.id else old for old in document.recordings),
    )


def set_steps(document: Document, ref: RecordingRef, steps: tuple[Step, ...]) -> Document:
    """Give a recording's method other steps; its stretch is kept where it means the same."""
    method = ref.method.having(steps=steps)
    before, now = _kept(ref.method.source.steps), _kept(steps)
    if before != now:
        method = method.having(stretch=None)  # its limits were counted from another start
    gone = added(ref.method.source.steps) - added(steps)
    if gone > 0:
        method = method.having(channel=0)
    return change_recording(document, replace(ref, method=method))


def _kept(steps: tuple[Step, ...]) -> tuple[Step, ...]:
    return tuple(step for step in steps if isinstance(step, Keep) and not step.off)


def added(steps: tuple[Step, ...]) -> int:
    """How many channels the steps add."""
    return sum(step.adds for step in steps)


def put_chain(document: Document, ref: RecordingRef, chain: Chain) -> Document:
    """Put a chain on the shelf below its recording, over one of the same name."""
    others = tuple(one for one in ref.chains if one.name != chain.name)
    return change_recording(document, replace(ref, chains=(*others, chain)))


def drop_chain(document: Document, ref: RecordingRef, name: str) -> Document:
    """Take a chain off the shelf."""
    kept = tuple(one for one in ref.chains if one.name != name)
    return change_recording(document, replace(ref, chains=kept))


def take_chain(document: Document, ref: RecordingRef, chain: Chain) -> Document:
    """Analyse a recording by a chain from the shelf."""
    method = set_steps(document, ref, chain.steps).get(ref.id)
    assert method is not None
    taken = replace(method, method=method.method.having(channel=chain.channel))
    return replace(change_recording(document, taken), current=ref.id)


def hold(document: Document, trace: HeldTrace) -> Document:
    """Keep one more trace."""
    return replace(document, held=(*document.held, trace))


def held_trace(document: Document, trace_id: str) -> HeldTrace | None:
    """The held trace with this id, or None."""
    return next((trace for trace in document.held if trace.id == trace_id), None)


def change_trace(document: Document, trace: HeldTrace) -> Document:
    """Put ``trace`` in the place of the held one with its id."""
    held = tuple(trace if old.id == trace.id else old for old in document.held)
    return replace(document, held=held)


def drop_trace(document: Document, trace_id: str) -> Document:
    """Let go of a held trace."""
    return replace(document, held=tuple(t for t in document.held if t.id != trace_id))


def show_beside(document: Document, ref: RecordingRef, channels: tuple[int, ...]) -> Document:
    """Show the waveforms of these channels beside the one that is analysed."""
    return change_recording(document, replace(ref, beside=tuple(sorted(set(channels)))))


def set_marks(document: Document, ref: RecordingRef, marks: tuple[Mark, ...]) -> Document:
    """Give a recording these marks, in the order of their times."""
    ordered = tuple(sorted(marks, key=lambda mark: mark.time))
    return change_recording(document, replace(ref, marks=ordered))


def set_combs(document: Document, ref: RecordingRef, combs: tuple[DroppedComb, ...]) -> Document:
    """Give a recording these combs."""
    return change_recording(document, replace(ref, combs=combs))


def set_peak_notes(document: Document, ref: RecordingRef, notes: tuple[PeakNote, ...]) -> Document:
    """Give a recording's peaks these notes, in the order of their frequencies."""
    ordered = tuple(sorted(notes, key=lambda note: note.frequency))
    return change_recording(document, replace(ref, peak_notes=ordered))


def set_mode_notes(document: Document, ref: RecordingRef, notes: tuple[PeakNote, ...]) -> Document:
    """Give a recording's modes these notes, in the order of their frequencies."""
    ordered = tuple(sorted(notes, key=lambda note: note.frequency))
    return change_recording(document, replace(ref, mode_notes=ordered))


def set_sketch(document: Document, ref: RecordingRef, sketch: Sketch) -> Document:
    """Say where a recording's channels sit."""
    return change_recording(document, replace(ref, sketch=sketch))


def set_machine(document: Document, ref: RecordingRef, machine: Machine) -> Document:
    """Say what is known of the machine that was recorded: the level that it is judged by begins
    where its shaft asks for."""
    turns = machine.shaft != ref.machine.shaft
    method = levels_of(ref.method, machine.shaft) if turns else ref.method
    return change_recording(document, replace(ref, machine=machine, method=method))


def move_recording(document: Document, recording_id: str, by: int) -> Document:
    """Move a recording ``by`` places down the shelf (up where negative), as far as it goes."""
    refs = list(document.recordings)
    at = next(i for i, ref in enumerate(refs) if ref.id == recording_id)
    refs.insert(min(max(at + by, 0), len(refs) - 1), refs.pop(at))
    return replace(document, recordings=tuple(refs))


def in_units(document: Document, system: System) -> Document:
    """All that is worked out of every recording in units of this system."""
    every = tuple(replace(ref, method=in_system(ref.method, system)) for ref in document.recordings)
    held = tuple(replace(one, method=in_system(one.method, system)) for one in document.held)
    return replace(document, recordings=every, held=held)


def set_method(document: Document, method: Method) -> Document:
    """Analyse the current recording by ``method``."""
    ref = document.current_ref
    return document if ref is None else change_recording(document, replace(ref, method=method))


def select(document: Document, recording_id: str, channel: int) -> Document:
    """Analyse ``channel`` of a recording."""
    ref = document.get(recording_id)
    if ref is None:
        return document
    ref = replace(ref, method=ref.method.having(channel=channel))
    return replace(change_recording(document, ref), current=recording_id)
