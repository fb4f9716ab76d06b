"""What a spectrogram looks like, whichever way its time runs: levels, their scale, colours."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.spectrogram import Pooling, Spectrogram
from tonecomb.desktop.kit.theme import PAPER, Theme
from tonecomb.formats.report import colours

_DOWN_DB = 70.0  # of the highest level, where the scale begins at most
_LEVELS = 20_000  # cells whose levels the histogram counts


class GramPicture(QObject):
    """``changed`` when it is to be drawn anew, ``levels_changed`` when its scale is; ``pointed``
    carries frequencies (Hz) and levels of the row under the cursor, None where there is none."""

    pointed = pyqtSignal(object)
    changed = pyqtSignal()
    levels_changed = pyqtSignal()

    def __init__(self, colours_name: str) -> None:
        super().__init__()
        self.pooling: Pooling = "max"
        self.colours = colours_name
        self.decibels = True
        self.automatic = True
        self.ends = (0.0, 1.0)
        self.gram: Spectrogram | None = None
        self.analysis: Analysis | None = None
        self.levels: Array = np.zeros((0, 0))
        self._theme: Theme = PAPER

    def set_theme(self, theme: Theme) -> None:
        self._theme = theme
        self.changed.emit()

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Levels are shown as this analysis shows its own."""
        before, self.analysis = self.analysis, analysis
        if analysis is None:
            self.show_gram(None)
        elif before is None or (before.method.shown, before.channel) != (
            analysis.method.shown,
            analysis.channel,
        ):
            self._take_levels()

    def show_gram(self, gram: Spectrogram | None) -> None:
        """Have this spectrogram."""
        self.gram = gram
        self._take_levels()

    def set_decibels(self, decibels: bool) -> None:
        """Levels in dB, or linear."""
        if decibels != self.decibels:
            self.decibels, self.automatic = decibels, True
            self._take_levels()

    def choose(self, pooling: Pooling, colours_name: str) -> None:
        """How cells are pooled, and coloured."""
        self.pooling, self.colours = pooling, colours_name
        self.changed.emit()
        self.levels_changed.emit()

    def set_ends(self, low: float, high: float) -> None:
        """The levels of the two ends of the scale."""
        self.automatic, self.ends = False, (low, high)
        self.changed.emit()

    def fit_ends(self) -> None:
        """Choose the ends by the levels there are."""
        self.automatic = True
        self._take_levels()

    def _take_levels(self) -> None:
        gram, analysis = self.gram, self.analysis
        if gram is None or analysis is None:
            self.levels = np.zeros((0, 0))
        else:
            method = analysis.method
            unit = analysis.channel.unit
            values = gram.values(method.shown.scaling, method.shown.level, analysis.display, unit)
            self.levels = analysis.decibels(values) if self.decibels else values
            if self.automatic:
                self._fit()
        self.pointed.emit(None)  # what was pointed at had other levels
        self.changed.emit()
        self.levels_changed.emit()

    def _fit(self) -> None:
        sample = self.sample()
        top = float(sample.max()) if len(sample) else 1.0
        low = float(np.percentile(sample, 40)) if len(sample) else 0.0
        low = max(low, top - _DOWN_DB) if self.decibels else 0.0
        self.ends = (low, top if top > low else low + 1.0)

    def sample(self) -> Array:
        """Some of the levels in the picture, finite ones."""
        flat = self.levels.ravel()
        some = flat[:: max(1, len(flat) // _LEVELS)]
        some = some[np.isfinite(some) & (some > -1000)]
        return np.asarray(some, dtype=np.float64)

    @property
    def table(self) -> colours.Table:
        """The colours in use."""
        return colours.table(self.colours, dark=self._theme.name == "Night")

    @property
    def unit(self) -> str:
        """Of the levels."""
        if self.decibels:
            return "dB"
        return "" if self.analysis is None else self.analysis.values_unit

    def cells(self) -> np.ndarray | None:
        """Numbers of colours, shape (rows, columns), None where there is nothing to draw."""
        if self.gram is None or not self.levels.size:
            return None
        low, high = self.ends
        scaled = (self.levels - low) * np.float32(255 / (high - low))
        return np.clip(np.nan_to_num(scaled, neginf=0.0), 0, 255).astype(np.uint8)

    def words(self, time: float, frequency: float) -> tuple[str, str] | None:
        """Time, and level, at a place; None outside."""
        gram, analysis = self.gram, self.analysis
        cell = None if gram is None else gram.cell(time, frequency)
        if gram is None or analysis is None or cell is None or not self.levels.size:
            return None
        digits = max(1, 1 - math.floor(math.log10(gram.hop / gram.fs)))
        level = self.levels[cell]
        value = f"{level:.1f} dB" if self.decibels else f"{level:.4g} {analysis.values_unit}"
        return f"{time:.{digits}f} s", value

    def point(self, time: float | None) -> None:
        """The cursor is at a time (s), or nowhere."""
        gram, analysis = self.gram, self.analysis
        cell = None if gram is None or time is None else gram.cell(time, gram.centres[0])
        if gram is None or cell is None or analysis is None or not self.levels.size:
            self.pointed.emit(None)
        elif analysis.method.shown.display.drawn == "bins":
            self.pointed.emit((gram.centres, self.levels[cell[0]]))

    def against_time(self, frequency: float) -> tuple[Array, Array]:
        """Times (s) of the rows' middles, and the levels at a frequency (Hz) there."""
        gram = self.gram
        assert gram is not None
        _, column = gram.cell(float(gram.time[0]), frequency) or (0, 0)
        return np.asarray((gram.time[:-1] + gram.time[1:]) / 2), self.levels[:, column]

    def resolved(self) -> tuple[float, float]:
        """The gap at which two tones are told apart (Hz), and a frame's length (s)."""
        if self.analysis is None:
            return 0.0, 0.0
        resolution = self.analysis.resolution
        frame = resolution.frame_s if self.gram is None else self.gram.frame / self.gram.fs
        return resolution.separable_hz, frame

    def facts(self) -> str:
        """How many frames there are, and how they follow each other."""
        gram = self.gram
        if gram is None:
            return ""
        length, step = gram.frame / gram.fs, gram.hop / gram.fs
        return f"{gram.frames} × {length:.3g} s, every {step:.3g} s"
