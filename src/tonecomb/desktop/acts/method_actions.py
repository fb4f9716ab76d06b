"""What keys do to the method, and the popovers that stand on no phrase of their own."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from tonecomb.core.base.units import System
from tonecomb.core.method.document import in_units
from tonecomb.core.record.windows import WINDOWS, window
from tonecomb.core.steps.steady import Steady
from tonecomb.desktop.acts.presets import Presets, PresetsPopover
from tonecomb.desktop.dialogs.several import SeveralDialog
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.method_line.averaging import StrikePopover
from tonecomb.desktop.method_line.line import MethodLine
from tonecomb.desktop.readings.levels import LevelsPopover
from tonecomb.desktop.readings.readings import Readings
from tonecomb.desktop.stage.stage import Stage
from tonecomb.desktop.state import systems


class MethodActions(QObject):
    """Each acts on the method of the current recording, and does nothing without one."""

    def __init__(
        self,
        context: Context,
        presets: Presets,
        line: MethodLine,
        stage: Stage,
        readings: Readings,
    ) -> None:
        super().__init__(context.window)
        self._window, self._store, self._held = context.window, context.store, context.held
        self._results, self._notices = context.results, context.notices
        self._presets = presets
        self._line, self._stage, self._readings = line, stage, readings
        line.presets.clicked.connect(self.show_presets)
        line.wheeled.connect(self._turn)
        readings.levels_wanted.connect(self.edit_levels)

    def _turn(self, key: str, notches: int) -> None:
        """The wheel was turned over a phrase of the method line."""
        if key == "window":
            self.step_window(-notches)  # down the list as down the page
        else:
            self.scale_frame(2.0**notches)

    def scale_frame(self, factor: float) -> None:
        """Make frames longer or shorter, within the stretch."""
        method, signal = self._store.method, self._store.current
        if method is None or signal is None:
            return
        start, end = 0.0, signal.duration
        if method.source.stretch is not None:
            start, end = method.source.stretch.start, method.source.stretch.end
        longest = max(2, round((end - start) * signal.rate))
        frame = min(longest, max(2, int(method.frames.frame * factor)))
        self._store.edit_method("Change frame length", merge="frame key", frame=frame)

    def step_window(self, by: int) -> None:
        """Take the window so many places further in the list."""
        method = self._store.method
        if method is not None:
            names = list(WINDOWS)
            here = names.index(method.frames.window.partition(":")[0])
            name = window(names[(here + by) % len(names)]).name
            self._store.edit_method("Choose window", merge="window key", window=name)

    def whole_stretch(self) -> None:
        """Analyse the recording from end to end."""
        self._store.edit_method("Choose stretch", stretch=None)

    def steady(self) -> None:
        """Resample to the time of the machine whose speed breathes, or as it was again."""
        method, signal = self._store.method, self._store.current
        if method is None or signal is None:
            return
        steps = method.source.steps
        if steps and isinstance(steps[-1], Steady):
            self._store.edit_method("Leave the speed as it was", steps=steps[:-1])
            return
        analysis = self._results.analysis
        machine = None if analysis is None else analysis.machine
        if machine is None:
            self._notices.show_notice(
                "No tones breathe together here: there is no speed to steady. Shift+F tells a "
                "run-up's shaft."
            )
            return
        steps = (*steps, machine.step)
        self._store.edit_method("Steady the speed", steps=steps)

    def strike(self) -> None:
        """Choose parts whose frames are left out; between the readouts where there are two."""
        signal, method = self._store.current, self._store.method
        if signal is None or method is None:
            return
        between = self._stage.lanes.measured
        popover = StrikePopover(self._store, signal, method, self._line, between)
        popover.open_below(self._line.phrase("frames") or self._line, popover.focusProxy())

    def show_presets(self) -> None:
        """Use a preset, or keep the method as one."""
        if self._store.method is not None:
            popover = PresetsPopover(self._presets, self._line)
            popover.open_below(self._line.presets, popover.focusProxy())

    def edit_levels(self) -> None:
        """Choose the levels that are read."""
        signal, method = self._store.current, self._store.method
        if signal is not None and method is not None:
            popover = LevelsPopover(self._store, signal, self._readings)
            popover.open_below(self._readings.tabs["levels"], popover.focusProxy())

    def toggle_units(self) -> None:
        """Show what is worked out in the other system of units."""
        inch = systems.system_of(self._store.document) == "inch"
        system: System = "metric" if inch else "inch"
        systems.choose(system)
        document = in_units(self._store.document, system)
        self._store.apply(f"Units: {system}", document)

    def hold_several(self) -> None:
        """Analyse several channels alike and hold their traces."""
        dialog = SeveralDialog(self._store, self._window)
        if dialog.exec():
            self._held.hold_alike(dialog.chosen())
