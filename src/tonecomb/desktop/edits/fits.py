"""Resonances fitted by hand: a range is dragged on the spectrum."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from tonecomb.core.method.searches import Fit
from tonecomb.desktop.kit.widgets import Popover, link, row
from tonecomb.desktop.state.store import Store


class Fits(QObject):
    """The ranges of the method. ``armed`` tells that the next drag is to choose one, or no
    longer."""

    armed = pyqtSignal(bool)

    def __init__(self, window: QWidget, store: Store) -> None:
        super().__init__(window)
        self._window, self._store = window, store

    @property
    def _fits(self) -> tuple[Fit, ...]:
        method = self._store.method
        return () if method is None else method.search.fits

    def arm(self) -> None:
        """Let the next drag on the spectrum choose a range."""
        self.armed.emit(True)

    def holding(self, frequency: float) -> Fit | None:
        """The range that a frequency (Hz) lies in."""
        return next((fit for fit in self._fits if fit.low <= frequency <= fit.high), None)

    def add(self, low: float, high: float) -> None:
        """Fit one mode between two frequencies (Hz), instead of what was fitted there; then ask
        whether there are two."""
        kept = tuple(fit for fit in self._fits if fit.high <= low or fit.low >= high)
        fit = Fit(low, high)
        self._store.edit_method("Fit resonance", fits=(*kept, fit))
        self._ask(fit)

    def change(self, fit: Fit, modes: int) -> Fit:
        """Fit one mode or two in a range."""
        other = replace(fit, modes=modes)
        fits = tuple(other if one == fit else one for one in self._fits)
        self._store.edit_method("Change fit", fits=fits)
        return other

    def drop(self, fit: Fit) -> None:
        """Fit nothing there by hand."""
        fits = tuple(one for one in self._fits if one != fit)
        self._store.edit_method("Drop fit", fits=fits)

    def _ask(self, fit: Fit) -> None:
        popover = Popover(
            self._window,
            f"Fit {fit.low:.5g}–{fit.high:.5g} Hz",
            "Natural frequency and damping, by least squares over all of the range.",
        )
        now = [fit]

        def choose(modes: int) -> None:
            now[0] = self.change(now[0], modes)

        def away() -> None:
            self.drop(now[0])
            popover.close()

        popover.add(
            row(
                link("One mode", "One resonance in the range", lambda: choose(1)),
                link("Two modes", "Two resonances that run together", lambda: choose(2)),
                None,
                link("Drop the fit", "Fit nothing here", away),
                spacing=16,
            )
        )
        popover.open_below(self._window)
        middle = self._window.mapToGlobal(self._window.rect().center())
        popover.move(middle.x() - popover.width() // 2, middle.y())
