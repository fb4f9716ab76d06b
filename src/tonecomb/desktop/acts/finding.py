"""What is done to find and name things: combs, peaks, resonances, the machine, tracks."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from tonecomb.core.find.peaks import Peak
from tonecomb.core.method import document as edits
from tonecomb.core.method.document import Mark
from tonecomb.core.say.overview import Sentence
from tonecomb.desktop.dialogs.machine import MachineDialog
from tonecomb.desktop.dialogs.shaft import open_shaft
from tonecomb.desktop.dialogs.sketch import SketchDialog
from tonecomb.desktop.dialogs.tracks import TracksPopover
from tonecomb.desktop.dialogs.transfer import open_transfer
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings
from tonecomb.desktop.readings.readings import Readings
from tonecomb.desktop.stage.spectrogram.pane import GramPane
from tonecomb.desktop.stage.stage import Stage

_MOST_MARKED = 100


class Finding(QObject):
    """Joins the cursor on the stage, the rows of the readings, and the edits they lead to."""

    def __init__(self, context: Context, stage: Stage, readings: Readings) -> None:
        super().__init__(context.window)
        self._window, self._store, self._stage = context.window, context.store, stage
        self._results, self._readings = context.results, readings
        self._combs, self._notes = context.combs, context.notes
        self._watched = context.watched["transfer"]
        self._fits, self._notices = context.fits, context.notices
        readings.peak_chosen.connect(self._go_to_peak)
        stage.spectrum.drag.chosen.connect(self.fit_range)
        context.fits.armed.connect(self.choose_fit)
        context.held.comparison_asked.connect(lambda: stage.show_pane("against"))
        editors = {
            "trend": self.edit_tracks,
            "run-up": self.choose_shaft,
            "transfer": self.choose_transfer,
        }
        stage.more_marks.append(self._taps)
        context.watched["transfer"].changed.connect(lambda _: stage.refresh())
        readings.modes.tap_chosen.connect(stage.waveform.set_limits)
        stage.edit_wanted.connect(lambda key: editors[key]())
        readings.short.chosen.connect(self._go_to_part)

    def _taps(self) -> tuple[Mark, ...]:
        """The taps of the transfer function, with their numbers; those that do not count are
        struck out."""
        found = self._watched.shown
        signal = self._store.current
        if found is None or signal is None or found.recording_id != signal.id:
            return ()
        return tuple(
            Mark(
                found.start + tap.onset / found.fs,
                f"{tap.number}" if tap.number in found.used else f"({tap.number})",
            )
            for tap in found.taps[:_MOST_MARKED]
        )

    def name(self) -> None:
        """Name the chosen mode where modes are shown, else the chosen peak."""
        if self._readings.page == "modes":
            self._readings.modes.name_mode()
        else:
            self._notes.name(self._readings.current_peak())

    def set_aside(self) -> None:
        """Set the chosen mode aside where modes are shown, else the chosen peak."""
        if self._readings.page == "modes":
            self._readings.modes.set_aside()
        else:
            self._notes.set_aside(self._readings.current_peak())

    def sketch(self) -> None:
        """Ask where channels sit."""
        ref, signal = self._store.ref, self._store.current
        if ref is None or signal is None:
            return
        dialog = SketchDialog(self._window, signal.channels, ref.sketch)
        if dialog.exec() and (now := self._store.ref) is not None and dialog.sketch != now.sketch:
            drawn = edits.set_sketch(self._store.document, now, dialog.sketch)
            self._store.apply("Sketch the structure", drawn)

    def _go_to_part(self, part: Sentence) -> None:
        """Show what a sentence is about: a family is dropped as a comb, the rest comes into
        view."""
        if part.kind == "comb" and part.name:
            self._combs.keep(part.name)
            self._readings.show_page("combs")
        elif part.kind == "level":
            self._readings.show_page("levels")
        elif part.kind in ("peak", "resonance"):
            self._readings.show_page("resonances" if part.kind == "resonance" else "peaks")
            self._readings.place_chosen.emit(part.frequency)

    def _go_to_peak(self, peak: Peak) -> None:
        if self._stage.spectra.isHidden():
            self._stage.show_view(1)
        self._stage.spectrum.centre_on(peak)

    def drop_comb(self) -> None:
        """Drop a comb at the cursor, or else at the chosen peak."""
        place = self._stage.spectrum.cursor
        if place is None and (peak := self._readings.current_peak()) is not None:
            place = peak.tone.frequency
        self._combs.drop(place)
        self._readings.show_page("combs")

    def find_combs(self) -> None:
        """Put every family that is sure among the peaks."""
        self._combs.find()
        self._readings.show_page("combs")

    def outline_region(self) -> None:
        """Let an outline be drawn on the spectrogram, which is shown for it."""
        self._stage.show_pane("spectrogram")
        pane = self._stage.panes["spectrogram"]
        assert isinstance(pane, GramPane)
        pane.outline()

    def delete(self) -> None:
        """What the page of the readings shows: a tap or a capture is set aside or taken back, else
        the chosen comb goes."""
        page = self._readings.page
        if page == "modes":
            self._readings.modes.set_aside()
        elif page == "events":
            self._readings.events.turn()
        else:
            self.remove_comb()

    def remove_comb(self) -> None:
        """Take the comb away that is chosen in the readings."""
        at = self._readings.combs.current()
        if at is not None:
            self._combs.remove(at)

    def pick_peak(self) -> None:
        """Count what is at the cursor as a peak."""
        self._notes.pick(self._stage.spectrum.cursor)
        self._readings.show_page("peaks")

    def choose_fit(self, wanted: bool) -> None:
        """Let the next drag on the spectrum choose what is fitted, or not."""
        self._stage.spectrum.drag.choose(wanted)
        if wanted:
            self._notices.show_notice("Drag over the range on the spectrum that is to be fitted.")

    def fit_range(self, low: float, high: float) -> None:
        """Fit a resonance between two frequencies (Hz)."""
        self._fits.add(low, high)
        self._readings.show_page("resonances")

    def describe_machine(self) -> None:
        """What is known of the machine that was recorded."""
        ref = self._store.ref
        if ref is None:
            return
        dialog = MachineDialog(self._window, ref.machine, ref.combs, settings.folder_of(ref))
        if dialog.exec() and (now := self._store.ref) is not None and dialog.machine != now.machine:
            described = edits.set_machine(self._store.document, now, dialog.machine)
            self._store.apply("Describe machine", described)

    def edit_tracks(self) -> None:
        """Choose what is followed from frame to frame."""
        ref, at = self._store.ref, self._readings.combs.current()
        comb = ref.combs[at] if ref is not None and at is not None and at < len(ref.combs) else None
        self._stage.show_pane("trend")
        peak, analysis = self._readings.current_peak(), self._results.analysis
        tooth = self._readings.combs.current_tooth() if self._readings.page == "combs" else None
        chosen = None
        if analysis is not None and (tooth is not None or peak is not None):
            place = tooth[1] if tooth is not None else peak.tone.frequency if peak else 0.0
            name = tooth[0] if tooth is not None else f"{place:.2f} Hz"
            chosen = (name, place, analysis.resolution.separable_hz)
        view = self._stage.spectrum.limits()
        popover = TracksPopover(self._store, self._window, view, comb, chosen)
        popover.open_below(self._stage.panes["trend"].edit or self._stage)

    def choose_transfer(self) -> None:
        """Choose between which channels a transfer function is."""
        self._stage.show_pane("transfer")
        anchor = self._stage.panes["transfer"].edit
        open_transfer(self._store, anchor or self._window)

    def choose_shaft(self) -> None:
        """Choose what tells the speed of a run-up's shaft."""
        self._stage.show_pane("run-up")
        ref, anchor = self._store.ref, self._stage.panes["run-up"].edit or self._stage
        open_shaft(self._store, () if ref is None else ref.combs, anchor)

    def toggle_orders(self) -> None:
        """Show orders or not; ask for the shaft's speed where it is not known."""
        if self._notes.knowledge.shaft is None:
            self.describe_machine()
        else:
            self._stage.set_orders(not self._stage.orders)

    def copy_readings(self) -> None:
        """Put what the readings show on the clipboard."""
        page = self._readings.page
        if self._readings.copy():
            self._notices.show_notice(f"The {page} are on the clipboard.")
        else:
            self._notices.show_notice(f"There are no {page} to copy.", fault=True)
