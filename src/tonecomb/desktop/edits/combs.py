"""Combs on the bench: dropped, found, dragged, snapped; measured against the peaks there are."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.find import comb as families
from tonecomb.core.find.comb import Comb
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method import document as edits
from tonecomb.core.method.document import DroppedComb
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import knowledge, measured_comb, reach, same
from tonecomb.desktop.state.messages import Notices
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.store import Store

MOST = 8
_TEETH = 12  # of a comb that is dropped


@dataclass(frozen=True, eq=False)
class ShownComb:
    """A comb of the document, measured; ``colour`` is the number of its trace colour, ``tied``
    the name of the comb whose fundamental its spacing is, ``chosen`` whether it is the one that
    was picked, or was dropped last."""

    dropped: DroppedComb
    comb: Comb
    colour: int
    tied: str
    chosen: bool = False


class Combs(QObject):
    """Watches store and results; ``changed`` when a comb came, went or was measured anew."""

    changed = pyqtSignal()

    def __init__(self, window: QWidget, store: Store, results: Results, notices: Notices) -> None:
        super().__init__(window)
        self._window, self._store = window, store
        self._results, self._notices = results, notices
        self.shown: tuple[ShownComb, ...] = ()
        self._chosen = ""
        store.changed.connect(self._follow)
        self._awaited: tuple[str, int] | None = None  # the channel whose combs are to be found
        results.analysis_changed.connect(lambda _: self._arrived())

    @property
    def _dropped(self) -> tuple[DroppedComb, ...]:
        ref = self._store.ref
        return () if ref is None else ref.combs

    def _arrived(self) -> None:
        """Another analysis, or its peaks: combs that were asked for before can be found now."""
        self._follow()
        awaited, self._awaited = self._awaited, None
        analysis = self._results.analysis
        if analysis is not None and awaited == _channel_of(analysis):
            self.find()  # which waits on where there are no peaks yet

    def _follow(self) -> None:
        analysis = self._results.analysis
        if analysis is not None and analysis.peaks is None:
            analysis = None
        found = [
            (one, measured_comb(one, analysis), 1 + i % 7) for i, one in enumerate(self._dropped)
        ]
        every = [comb for _, comb, _ in found]
        self.shown = tuple(
            ShownComb(one, comb, colour, families.matching(comb, every), one.name == self._chosen)
            for one, comb, colour in found
        )
        self.changed.emit()

    def choose(self, index: int | None) -> None:
        """Make a comb the one whose teeth can be taken anywhere."""
        combs = self._dropped
        name = combs[index].name if index is not None and index < len(combs) else ""
        if name != self._chosen:
            self._chosen = name
            self._follow()

    def _apply(self, label: str, combs: tuple[DroppedComb, ...], merge: str | None = None) -> None:
        ref = self._store.ref
        if ref is not None:
            self._store.apply(label, edits.set_combs(self._store.document, ref, combs), merge)

    def _room(self) -> bool:
        if len(self._dropped) < MOST:
            return True
        self._notices.tell(UserError(f"There are {MOST} combs already", remedy="remove one first"))
        return False

    def _name(self, taken: tuple[DroppedComb, ...]) -> str:
        names = {one.name for one in taken}
        return next(letter for letter in "ABCDEFGHIJKLMNOP" if letter not in names)

    def drop(self, frequency: float | None) -> None:
        """Put a comb where the cursor is, and let it take the tones of its teeth."""
        analysis = self._results.analysis
        if analysis is None or frequency is None or frequency <= 0:
            self._notices.tell(
                UserError("There is no place to drop a comb", remedy="point at a tone first")
            )
            return
        if not self._room():
            return
        at = frequency
        nearest = min(analysis.lines, key=lambda one: abs(one.frequency - at), default=None)
        close = 2 * analysis.resolution.separable_hz
        if nearest is not None and abs(nearest.frequency - frequency) < close:
            frequency = nearest.frequency
        last = max(1, min(_TEETH, int(analysis.fs / 2 / frequency)))
        comb = DroppedComb(self._name(self._dropped), frequency, last=last)
        self._chosen = comb.name
        self._apply("Drop comb", (*self._dropped, self._snapped(comb, analysis)))

    def find(self) -> None:
        """Put every family that is sure among the peaks, beside the combs there are."""
        analysis = self._results.analysis
        if analysis is None or analysis.peaks is None:  # they are on their way
            self._awaited = None if analysis is None else _channel_of(analysis)
            return
        combs = self._dropped
        for comb in analysis.combs:
            combs = self._with(combs, comb)
        new = len(combs) - len(self._dropped)
        if not analysis.combs:
            self._notices.show_notice(
                "No comb is sure enough among these peaks. Ask for weaker peaks, or drop one (B)."
            )
        elif not new:
            self._notices.show_notice(
                "All combs that are sure among these peaks are there already."
            )
        else:
            self._apply("Find combs", combs)

    def _with(self, combs: tuple[DroppedComb, ...], comb: Comb) -> tuple[DroppedComb, ...]:
        """These and one that was found, unless it is among them or there is no room."""
        if any(same(one, comb) for one in combs) or len(combs) >= MOST:
            return combs
        first, last = comb.teeth[0].number, comb.teeth[-1].number
        name = self._name(combs)
        return (
            *combs,
            DroppedComb(name, comb.spacing, comb.carrier, first, last, comb.spacing_std),
        )

    def keep(self, name: str) -> None:
        """Put the family of this name, where it was found and is not there yet."""
        analysis = self._results.analysis
        if analysis is None:
            return
        there = knowledge(self._store.ref).families(analysis)
        comb = next((one for one in there if one.name == name), None)
        if comb is None:
            return
        combs = self._with(self._dropped, comb)
        if combs != self._dropped:
            self._apply("Drop comb", combs)
        at = next((i for i, one in enumerate(combs) if same(one, comb)), None)
        self.choose(at)

    def drag(self, index: int, number: int, frequency: float, finished: bool) -> None:
        """Move tooth ``number`` of a comb to ``frequency``: the spacing follows; when it is let
        go the comb takes the tones near its teeth."""
        combs = list(self._dropped)
        if not 0 <= index < len(combs) or number == 0:
            return
        one = combs[index]
        spacing = (frequency - (one.carrier or 0.0)) / number
        analysis = self._results.analysis
        if analysis is None or spacing <= analysis.spectrum.bin_hz:
            return
        moved = replace(one, spacing=spacing, std=0.0)
        if finished:
            moved = self._snapped(moved, analysis)
        combs[index] = moved
        self._apply("Drag comb", tuple(combs), merge=None if finished else f"drag {index}")

    def snap(self, index: int) -> None:
        """Fit a comb to the tones near its teeth."""
        combs, analysis = list(self._dropped), self._results.analysis
        if 0 <= index < len(combs) and analysis is not None:
            combs[index] = self._snapped(combs[index], analysis)
            self._apply("Snap comb", tuple(combs))

    def follow_teeth(self) -> None:
        """Let every comb go along with its teeth, as they were found last."""
        analysis, ref = self._results.analysis, self._store.ref
        if analysis is None or ref is None or not ref.combs or not analysis.lines:
            return
        moved = tuple(self._snapped(one, analysis) for one in ref.combs)
        self._store.amend(edits.set_combs(self._store.document, ref, moved))

    def _snapped(self, one: DroppedComb, analysis: Analysis) -> DroppedComb:
        """Fitted tooth by tooth from the fundamental up, so that the higher ones find theirs."""
        near = reach(one.spacing, analysis)
        lines = analysis.lines
        low = min(abs(one.first), abs(one.last)) if one.carrier is None else 1
        for most in sorted({max(low, k) for k in (2, 4, 8, 16, one.last)}):
            first = max(one.first, -most) if one.carrier is not None else one.first
            numbers = range(first, min(one.last, most) + 1)
            comb = families.measured(lines, one.spacing, one.carrier, numbers, near)
            comb = families.snapped(lines, comb, near)
            std = 0.0 if comb.spacing_std != comb.spacing_std else comb.spacing_std
            one = replace(one, spacing=comb.spacing, carrier=comb.carrier, std=std)
        return one

    def remove(self, index: int) -> None:
        """Take a comb away; undo brings it back."""
        combs = tuple(one for i, one in enumerate(self._dropped) if i != index)
        self._apply("Remove comb", combs)

    def rename(self, index: int) -> None:
        """Give a comb a name."""
        one = self._dropped[index]
        name, ok = QInputDialog.getText(self._window, "Rename", "Name of the comb:", text=one.name)
        if ok and name.strip():
            self._change(index, replace(one, name=name.strip()), "Rename comb")

    def type_in(self, index: int) -> None:
        """Type the fundamental, or the spacing of sidebands."""
        one = self._dropped[index]
        what = "Fundamental" if one.carrier is None else "Spacing"
        value, ok = QInputDialog.getDouble(
            self._window, f"Comb {one.name}", f"{what}, Hz:", one.spacing, 1e-6, 1e9, 6
        )
        if ok:
            self._change(index, replace(one, spacing=value, std=0.0), "Type comb")

    def set_teeth(self, index: int) -> None:
        """Choose how far the teeth go."""
        one = self._dropped[index]
        value, ok = QInputDialog.getInt(
            self._window, f"Comb {one.name}", "Teeth up to number:", one.last, 1, 200
        )
        if ok:
            first = -value if one.carrier is not None else one.first
            self._change(index, replace(one, first=min(first, value), last=value), "Set teeth")

    def sidebands(self, index: int, number: int) -> None:
        """A comb of sidebands about a tooth, with the spacing of the first comb that is not its
        own, or a tenth of the tooth's frequency."""
        if not self._room():
            return
        one = self._dropped[index]
        self._sidebands(one.place(number), one)

    def sidebands_at(self, peak: Peak | None) -> None:
        """A comb of sidebands about a peak."""
        if peak is not None and self._room():
            self._sidebands(peak.tone.frequency, None)

    def type_new(self) -> None:
        """A comb with a fundamental that is typed; it takes the tones of its teeth."""
        analysis = self._results.analysis
        if analysis is None or not self._room():
            return
        value, ok = QInputDialog.getDouble(
            self._window, "Type a comb", "Fundamental, Hz:", 50.0, 1e-6, analysis.fs / 2, 6
        )
        if ok:
            last = max(1, min(_TEETH, int(analysis.fs / 2 / value)))
            self._apply(
                "Type comb",
                (*self._dropped, DroppedComb(self._name(self._dropped), value, last=last)),
            )

    def _sidebands(self, carrier: float, but: DroppedComb | None) -> None:
        combs, analysis = self._dropped, self._results.analysis
        if analysis is None:
            return
        others = [c.spacing for c in combs if c is not but and c.carrier is None]
        spacing = min((s for s in others if s < carrier / 3), default=carrier / 10)
        comb = DroppedComb(self._name(combs), spacing, carrier, -4, 4)
        self._apply("Drop sidebands", (*combs, self._snapped(comb, analysis)))

    def _change(self, index: int, one: DroppedComb, label: str) -> None:
        combs = list(self._dropped)
        combs[index] = one
        self._apply(label, tuple(combs))


def _channel_of(analysis: Analysis) -> tuple[str, int]:
    return analysis.recording_id, analysis.method.source.channel
