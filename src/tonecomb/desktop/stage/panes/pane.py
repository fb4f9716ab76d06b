"""What the stage knows of a pane: its description, and what can be asked of every one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.edits.combs import ShownComb
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot

if TYPE_CHECKING:  # they are views themselves
    from tonecomb.desktop.stage.spectrum.spectrum import SpectrumView
    from tonecomb.desktop.stage.waveform.waveform import WaveformView
    from tonecomb.formats.report.figures import Panel

Axis = Literal["frequency", "time", "its own"]


@dataclass(frozen=True, eq=False)
class Views:
    """What a pane is made with: the context, and the two views that it goes with."""

    context: Context
    spectrum: SpectrumView
    waveform: WaveformView


class Pane(QWidget):
    """A view that stands below the spectrum or the waveform while it is wanted. All that the
    stage may ask of it does nothing unless a pane says otherwise.

    ``pointed`` carries the time (s) under its cursor, or None; ``clicked`` the time of a click;
    ``box_chosen`` times (s) and frequencies (Hz) of a box: start, end, low, high; ``edit_wanted``
    when what it shows is to be chosen; ``turned`` when its axes changed places. ``plots`` are those
    over the frequencies of the spectrum.
    """

    pointed = pyqtSignal(object)
    clicked = pyqtSignal(float)
    box_chosen = pyqtSignal(float, float, float, float)
    edit_wanted = pyqtSignal()
    turned = pyqtSignal()

    plots: Sequence[FrequencyPlot] = ()
    edit: QWidget | None = None
    """What opens the choice of what is shown."""

    def set_theme(self, theme: Theme) -> None:
        """Colour it."""

    def set_decibels(self, decibels: bool) -> None:
        """Levels in dB, or linear."""

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Follow the analysis."""

    def show_signal(self, signal: Signal, channel: int, stretch: Stretch) -> None:
        """Follow what the document says is analysed."""

    def show_moment(self, time: float | None) -> None:
        """The time (s) whose single frame is shown, None for none."""

    def show_frame(self, analysis: Analysis | None) -> None:
        """The single frame that is shown, None for none."""

    def show_time(self, time: float | None) -> None:
        """The time (s) that another view points at, None for none."""

    def show_combs(self, combs: Sequence[ShownComb]) -> None:
        """Let teeth run through what is no plot of :attr:`plots`."""

    def show_marks(self, marks: Sequence[tuple[float, str]]) -> None:
        """Let marked frequencies (Hz) run through what is no plot of :attr:`plots`."""

    def zoom(self, start: float, end: float) -> bool:
        """Show these times (s); False where that is for the waveform to do."""
        return False

    @property
    def place(self) -> tuple[float, float] | None:
        """Time (s) and frequency (Hz) under its cursor, None where there is none."""
        return None

    def fit(self) -> None:
        """Show all there is."""

    def panel(self, analysis: Analysis) -> Callable[[], Panel] | None:
        """How what it shows now is drawn for paper, with the sentence of its own where it has
        one; None where it is taken as it stands on the screen."""
        return None

    @property
    def sentence(self) -> str:
        """The method by which what it shows was made, "" where it is the analysis's."""
        return ""

    @property
    def as_drawn(self) -> QWidget:
        """What is taken where it is not drawn."""
        return self


@dataclass(frozen=True)
class PaneSpec:
    """``key`` names it, ``name``, ``keys`` and ``tip`` are those of its action. ``share`` is its
    part of the stage's height where the spectrum beside it has 260.

    What it is over decides what stands with it: over ``frequency`` the spectrum stays above it,
    over ``time`` the waveform. Where it ``shows_levels`` itself the other one makes room.
    """

    key: str
    name: str
    keys: str
    tip: str
    axis: Axis
    share: int
    make: Callable[[Views], Pane]
    shows_levels: bool = False
    names_frequency: bool = False
    """Its frequency axis, and not the spectrum's, is named while it stands there."""
