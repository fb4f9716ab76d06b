"""Choosing what is followed from frame to frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtWidgets import QLineEdit, QWidget

from tonecomb.core.estimate.tracks import MOST_TEETH, Wanted
from tonecomb.core.method.document import DroppedComb
from tonecomb.desktop.kit.rows_popover import RowsPopover
from tonecomb.desktop.kit.widgets import Number, label, link, row
from tonecomb.desktop.state.store import Store

_PLAY = 3.0  # gaps at which two are told apart, to either side of a peak that is followed
_ABOUT = 0.15  # of a comb's fundamental to either side that it may go


class TracksPopover(RowsPopover):
    """Tones and combs to add, change and drop; each change is applied at once. ``view`` are the
    frequencies that are shown, ``peak`` is the name of the chosen one, or of a comb's tooth, its
    place and the gap at which two are told apart (Hz)."""

    def __init__(
        self,
        store: Store,
        parent: QWidget,
        view: tuple[float, float],
        comb: DroppedComb | None,
        peak: tuple[str, float, float] | None,
    ) -> None:
        super().__init__(
            parent,
            "Follow from frame to frame",
            "The strongest tone in a range, or the fundamental in it of a comb with the teeth that "
            "are named, like 1, 2, 17.",
            (
                link(
                    "The tone in view",
                    "The strongest tone in the frequencies that are shown",
                    self._add_view,
                ),
                link(
                    "The chosen peak or tooth",
                    "The tone at the peak or the comb's tooth chosen in the readings, and near it",
                    self._add_peak,
                ),
                link(
                    "The chosen comb",
                    "The fundamental of the comb chosen in the readings",
                    self._add_comb,
                ),
            ),
        )
        self._store, self._view, self._comb, self._peak = store, view, comb, peak
        self._fill()

    @property
    def _tracks(self) -> tuple[Wanted, ...]:
        method = self._store.method
        return () if method is None else method.follow.tracks

    def _fill(self) -> None:
        recording = self._store.current
        nyquist = 1.0 if recording is None else recording.rate / 2
        self.fill(
            _TrackRow(i, one, nyquist, self._change, self._drop)
            for i, one in enumerate(self._tracks)
        )

    def _put(self, text: str, tracks: tuple[Wanted, ...], merge: str | None = None) -> None:
        self.wrong.setText("")
        self._store.edit_method(text, merge=merge, tracks=tracks)

    def _add_view(self) -> None:
        recording = self._store.current
        if recording is not None:
            low, high = self._view
            self._put(
                "Follow tone",
                (*self._tracks, Wanted(round(low, 3), min(round(high, 3), recording.rate / 2))),
            )
            self._fill()

    def _add_peak(self) -> None:
        recording = self._store.current
        if self._peak is None or recording is None:
            self.wrong.setText("Choose a peak, or a tooth of a comb, in the readings first.")
            return
        name, frequency, apart = self._peak
        low = round(max(frequency - _PLAY * apart, 0.0), 4)
        high = round(min(frequency + _PLAY * apart, recording.rate / 2), 4)
        wanted = Wanted(low, high, (), name)
        self._put("Follow peak", (*self._tracks, wanted))
        self._fill()

    def _add_comb(self) -> None:
        comb = self._comb
        if comb is None or comb.carrier is not None:
            self.wrong.setText("Choose a comb of harmonics in the readings first.")
            return
        teeth = tuple(range(max(1, comb.first), min(comb.last, MOST_TEETH) + 1))
        low, high = (comb.spacing * (1 + side * _ABOUT) for side in (-1, 1))
        wanted = Wanted(round(low, 4), round(high, 4), teeth, f"comb {comb.name}")
        self._put("Follow comb", (*self._tracks, wanted))
        self._fill()

    def _change(self, number: int, wanted: Wanted | None) -> None:
        if wanted is None:
            self.wrong.setText(f"Teeth are up to {MOST_TEETH} whole numbers from 1, with commas.")
        elif wanted.high <= wanted.low:
            self.wrong.setText("The lower frequency must come first.")
        elif number < len(self._tracks):  # else taken back, or another recording's, meanwhile
            tracks = list(self._tracks)
            tracks[number] = wanted
            self._put("Change track", tuple(tracks), merge=f"track {number}")

    def _drop(self, number: int) -> None:
        self._put("Drop track", tuple(t for i, t in enumerate(self._tracks) if i != number))
        self._fill()


class _TrackRow(QWidget):
    def __init__(
        self,
        number: int,
        wanted: Wanted,
        nyquist: float,
        change: Callable[[int, Wanted | None], None],
        drop: Callable[[int], None],
    ) -> None:
        super().__init__()
        self._number, self._wanted, self._change = number, wanted, change
        self.name = QLineEdit(wanted.name)
        self.name.setPlaceholderText("name")
        self.name.setAccessibleName("Name of the track")
        self.low = Number(wanted.low, 0, nyquist, 4, "Hz", shortest=True)
        self.high = Number(wanted.high, 0, max(nyquist, wanted.high), 4, "Hz", shortest=True)
        self.low.setAccessibleName("From")
        self.high.setAccessibleName("To")
        self.teeth = QLineEdit(", ".join(map(str, wanted.teeth)))
        self.teeth.setPlaceholderText("teeth of a comb")
        self.teeth.setAccessibleName("Teeth")
        for field in (self.name, self.teeth):
            field.editingFinished.connect(self._changed)
        for number_field in (self.low, self.high):
            number_field.valueChanged.connect(self._changed)
        away = link("Drop", "Follow this no more", lambda: drop(number))
        self.setLayout(row(self.name, self.low, label("–"), self.high, self.teeth, away))

    def _changed(self, _: object = None) -> None:
        try:
            teeth = tuple(int(text) for text in self.teeth.text().replace(",", " ").split())
            if teeth and (min(teeth) < 1 or len(teeth) > MOST_TEETH):
                raise ValueError
        except ValueError:
            self._change(self._number, None)
            return
        wanted = replace(
            self._wanted,
            name=self.name.text().strip(),
            low=self.low.value(),
            high=self.high.value(),
            teeth=teeth,
        )
        if wanted != self._wanted:
            self._wanted = wanted
            self._change(self._number, wanted)
