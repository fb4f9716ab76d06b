"""The response of a chain's filters over frequency, with edges to be dragged."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array
from tonecomb.core.steps.filters import Filter
from tonecomb.core.steps.step import Step
from tonecomb.desktop.kit.theme import PAPER, Theme
from tonecomb.desktop.stage.plots.comb_lines import CombLines
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot

LOWEST_DB = -90.0
Numbered = tuple[tuple[int, Step, float], ...]
"""Steps that have a response, with their number in the chain and the rate they are given."""


class Edge(pg.InfiniteLine):
    """An edge of a filter: ``step`` is the step's number in the chain, ``number`` the edge's."""

    def __init__(self, step: int, number: int) -> None:
        super().__init__(angle=90, movable=True)
        self.step, self.number = step, number
        self.setCursor(Qt.CursorShape.SplitHCursor)
        self.setZValue(6)
        self.addMarker("v", 1.0, 11.0)
        self.addMarker("^", 0.0, 11.0)


class FilterPlot(FrequencyPlot):
    """Gain or phase of all filters together. ``edge_moved`` carries the number of a step, the step
    with its edge elsewhere, and whether the edge was let go."""

    edge_moved = pyqtSignal(int, object, bool)

    def __init__(self) -> None:
        super().__init__()
        self.phase = False
        self.steps: Numbered = ()
        self._given: Numbered = ()  # without what is being dragged
        self.edges: list[Edge] = []
        self.curve = pg.PlotCurveItem(connect="finite")
        self.addItem(self.curve, ignoreBounds=True)
        self._theme: Theme = PAPER
        self.combs = CombLines(self)
        self.box.sigRangeChanged.connect(self._draw)
        self.box.sigResized.connect(self._draw)
        self.box.show_all.connect(self.fit)

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._theme = theme
        self.combs.set_theme(theme)
        self.curve.setPen(pg.mkPen(theme.second, width=1.4))
        for edge in self.edges:
            self._paint_edge(edge)

    def _paint_edge(self, edge: Edge) -> None:
        edge.setPen(pg.mkPen(self._theme.accent, width=1.5))
        edge.setHoverPen(pg.mkPen(self._theme.accent, width=3))

    def show_steps(self, steps: Numbered) -> None:
        """Draw the response of these."""
        self.steps = self._given = steps
        wanted = [
            (number, i)
            for number, step, _ in steps
            if isinstance(step, Filter)
            for i in range(len(step.edges))
        ]
        if [(edge.step, edge.number) for edge in self.edges] != wanted:
            for edge in self.edges:
                self.removeItem(edge)
            self.edges = [Edge(*one) for one in wanted]
            for edge in self.edges:
                self._paint_edge(edge)
                edge.sigDragged.connect(lambda moved: self._move(moved, False))
                edge.sigPositionChangeFinished.connect(lambda moved: self._move(moved, True))
                self.addItem(edge, ignoreBounds=True)
        self.place_edges()
        self.set_label("left", "Phase lead, °" if self.phase else "Gain, dB")
        self._draw()

    def take_axis(self, *_: object) -> None:
        super().take_axis(*_)
        self.place_edges()

    def place_edges(self) -> None:
        """Put the edges where the steps have them."""
        steps = {number: step for number, step, _ in self.steps}
        for edge in self.edges:
            step = steps[edge.step]
            if isinstance(step, Filter) and not edge.moving:
                edge.blockSignals(True)
                edge.setPos(self.place(step.edges[edge.number]))
                edge.blockSignals(False)

    def _move(self, edge: Edge, finished: bool) -> None:
        """An edge is dragged: the curve follows, if such a filter can be."""
        step, fs = next((step, fs) for number, step, fs in self.steps if number == edge.step)
        if not isinstance(step, Filter):
            return
        place = float(edge.value())
        hertz = 10**place if self.bottom.log else place
        moved = step.with_edge(edge.number, self._rounded(hertz))
        try:
            moved.sections(fs)
        except UserError as error:
            self.say(error.text)
            if finished:  # as it was before it was taken up
                self.show_steps(self._given)
            return
        self.steps = tuple(
            (number, moved if number == edge.step else one, rate)
            for number, one, rate in self.steps
        )
        self.say(moved.words(()))
        self._draw()
        self.edge_moved.emit(edge.step, moved, finished)

    def _rounded(self, hertz: float) -> float:
        """A frequency as precise as a pixel."""
        low, high = self.limits()
        step = max((high - low) / max(self.columns, 1), 1e-9)
        digits = max(0, -int(np.floor(np.log10(step))))
        return round(hertz, digits)

    def gain(self, frequency: Array) -> np.ndarray:
        """Of all steps together; nan above the frequencies that a step is given."""
        total = np.ones(len(frequency), dtype=np.complex128)
        for _, step, fs in self.steps:
            inside = frequency < fs / 2
            values = step.response(np.where(inside, frequency, fs / 4), fs)
            if values is not None:
                total *= np.where(inside, values, np.nan)
        return total

    def _values(self, frequency: Array) -> Array:
        gain = self.gain(frequency)
        if self.phase:
            return np.asarray(np.degrees(np.angle(gain)))
        return np.asarray(20 * np.log10(np.maximum(np.abs(gain), 1e-12)))

    def fit(self) -> None:
        """All of the phase, or the gain down to where it no longer matters."""
        self.box.setYRange(*((-190, 190) if self.phase else (LOWEST_DB, 6)), padding=0)

    def _draw(self, *_: object) -> None:
        shown = bool(self.steps)
        self.curve.setVisible(shown)
        self.show_scales(shown)
        if not shown:
            return
        low, high = self.limits()
        low = max(low, 1e-3)
        grid = np.geomspace if self.bottom.log else np.linspace
        # Notches are narrower than a pixel: their middle is drawn wherever it lies.
        middles = [one for _, step, fs in self.steps for one in step.turns(fs)]
        inside = [one for one in middles if low < one < high]
        even = grid(low, high, 2 * max(self.columns, 100))
        frequency = np.unique(np.concatenate([even, inside]))
        values = self._values(frequency)
        if self.phase:
            jumps = np.flatnonzero(np.abs(np.diff(values)) > 180) + 1
            frequency, values = (
                np.insert(frequency, jumps, np.nan),
                np.insert(values, jumps, np.nan),
            )
        self.curve.setData(self.places(frequency), values)

    def hover(self, place: QPointF | None) -> None:
        if place is None or not self.steps:
            self.say("")
            return
        frequency = 10 ** place.x() if self.bottom.log else place.x()
        if frequency <= 0:
            return
        gain = complex(self.gain(np.array([frequency]))[0])
        if np.isnan(gain):
            self.say("")
            return
        level = f"{20 * np.log10(max(abs(gain), 1e-12)):.2f} dB"
        phase = f" · {np.degrees(np.angle(gain)):.1f}°"
        self.say(f"{frequency:.5g} Hz · {level}{phase}".replace("-", "−"))


def with_responses(steps: tuple[Step, ...], rates: list[float]) -> Numbered:
    """The steps of a chain that have a response, given samples at these rates."""
    return tuple(
        (i, step, fs)
        for i, (step, fs) in enumerate(zip(steps, rates, strict=True))
        if step.takes and not step.off and step.response(np.array([fs / 8]), fs) is not None
    )


def changed(steps: tuple[Step, ...], number: int, step: Step) -> tuple[Step, ...]:
    """The chain with one of its steps changed."""
    return (*steps[:number], replace(step, off=False), *steps[number + 1 :])
