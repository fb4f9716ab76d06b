"""Regions of the spectrogram, kept alone or taken out, as steps of the chain."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.method import document as edits
from tonecomb.core.steps.isolate import Isolate
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.regions import Points, Region, RegionTooth
from tonecomb.core.steps.step import Step
from tonecomb.desktop.edits.combs import Combs
from tonecomb.desktop.state.messages import Notices
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.store import Store

_OF_SPACING = 0.45  # that a sideband reaches to each side


class Isolating(QObject):
    """Marks and unmarks regions. What is marked alike, one after the other, is one step."""

    def __init__(
        self, window: QWidget, store: Store, results: Results, combs: Combs, notices: Notices
    ) -> None:
        super().__init__(window)
        self._store, self._results = store, results
        self._combs, self._notices = combs, notices

    @property
    def _steps(self) -> tuple[Step, ...]:
        method = self._store.method
        return () if method is None else method.source.steps

    @property
    def regions(self) -> tuple[tuple[Region, bool], ...]:
        """What is marked in what is analysed, and whether it is taken out."""
        return tuple(
            (region, step.out)
            for step in self._steps
            if isinstance(step, Isolate) and not step.off
            for region in step.regions
        )

    def _apply(self, label: str, steps: tuple[Step, ...]) -> None:
        ref, signal = self._store.ref, self._store.current
        if ref is None or signal is None:
            return
        try:
            prepare(signal.recording, steps)
        except UserError as error:
            self._notices.tell(error)
            return
        self._store.apply(label, edits.set_steps(self._store.document, ref, steps))

    def mark(self, region: Region, *, out: bool) -> None:
        """Keep a region, or take it out, beside those that are marked so already."""
        steps = self._steps
        last = steps[-1] if steps else None
        if isinstance(last, Isolate) and last.out == out and not last.off:
            steps = (*steps[:-1], replace(last, regions=(*last.regions, region)))
        else:
            steps = (*steps, Isolate((region,), out))
        self._apply("Take a region out" if out else "Isolate a region", steps)

    def mark_tooth(self, comb: int, number: int, *, out: bool) -> None:
        """The same with a tooth of a comb, along its track where the family moves."""
        shown = self._combs.shown
        if not 0 <= comb < len(shown):
            return
        found = shown[comb].comb
        if found.carrier is not None:
            tooth = RegionTooth(1, _OF_SPACING * found.spacing, ((0.0, found.place(number)),))
        else:
            tooth = RegionTooth(number, 0.0, self._track(found.low is not None, found.spacing))
        self.mark(tooth, out=out)

    def _track(self, moves: bool, spacing: float) -> Points:
        analysis = self._results.analysis
        findings = None if analysis is None or not moves else analysis.found
        if findings is not None and findings.moving is not None and findings.moving.track:
            return findings.moving.track
        return ((0.0, spacing),)

    def swap(self) -> None:
        """Change over what was kept and what was taken out last."""
        steps = list(self._steps)
        at = next((i for i in range(len(steps) - 1, -1, -1) if isinstance(steps[i], Isolate)), None)
        if at is None:
            self._notices.tell(
                UserError("Nothing is isolated", remedy="mark a region with Shift+I first")
            )
            return
        step = steps[at]
        assert isinstance(step, Isolate)
        steps[at] = step.swapped()
        self._apply("Swap kept and taken out", tuple(steps))
