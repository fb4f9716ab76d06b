"""The method of the bench over all recordings of a folder."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog

from tonecomb.batches.one import counted
from tonecomb.batches.plan import Plan, Rule
from tonecomb.batches.run import Batch, run
from tonecomb.batches.sources import recordings_in
from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.method.sentence import sentence
from tonecomb.core.results.zones import Limit, Zone, over
from tonecomb.desktop.acts.opening import Opening
from tonecomb.desktop.dialogs.many import ManyDialog, Offered, OverviewDialog
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings

_ALONE = 8  # recordings that do not pay for processes of their own


class Many(QObject):
    """``overview`` is what came of the last ones, while its window is there."""

    def __init__(self, context: Context, opening: Opening) -> None:
        super().__init__(context.window)
        self._context, self._opening = context, opening
        self.overview: OverviewDialog | None = None

    def choose(self) -> None:
        """Choose a folder of recordings."""
        start = str(settings.folder_of(self._context.store.ref))
        chosen = QFileDialog.getExistingDirectory(
            self._context.window, "Folder of recordings", start
        )
        if chosen:
            self.offer(Path(chosen))

    def offer(self, folder: Path) -> None:
        """Ask how the recordings of a folder are to be analysed, and do it."""
        self._context.jobs.submit(
            f"Looking through {folder.name}",
            lambda _: recordings_in([folder]),
            lambda files: self._ask(folder, files),
            self._context.notices.tell,
        )

    def _ask(self, folder: Path, files: list[Path]) -> None:
        context = self._context
        signal, method = context.store.current, context.store.method
        if signal is None or method is None:
            self._opening.open_paths(files[:1])
            context.notices.tell(
                UserError(
                    f"{folder.name} holds {len(files)} recordings, and there is no method yet",
                    remedy="set it up on the first of them, then use File ▸ Analyse many",
                )
            )
            return
        analysis = context.results.analysis  # whose quantity is the one that is shown
        channel = signal.channels[min(method.source.channel, len(signal.channels) - 1)]
        unit = channel.unit if analysis is None else analysis.unit.symbol
        beside, against = context.held.beside, context.held.against
        held = "" if beside is None or against is None else against.name
        asking = ManyDialog(
            context.window,
            Offered(len(files), folder, sentence(method, signal.recording), unit, held, analysis),
        )
        if not asking.exec():
            return
        limits = []
        if asking.most.value() > 0:
            most = Zone("within", asking.most.value())
            limits.append(Limit("overall", "overall", (most,), unit=unit))
        if beside is not None and asking.below.isChecked():
            limits.append(over(beside, asking.margin.value()))
        if asking.drawn.isChecked():
            limits.append(Limit("curve", "curve", points=asking.curve.points, unit=unit))
        # A stretch is of the recording that it was chosen in.
        alike = method.having(stretch=None)
        plan = Plan((Rule(method=alike),), tuple(limits), said=context.notes.knowledge.of_machine())
        self._run(plan, files, asking.chosen, asking.reports.isChecked())

    def _run(self, plan: Plan, files: list[Path], out: Path, reports: bool) -> None:
        workers = 1 if len(files) < _ALONE else os.cpu_count() or 1
        if self.overview is not None:
            self.overview.close()
        words = f"0 of {len(files)} recordings are done."
        dialog = OverviewDialog(self._context.window, (), words, out / "overview.html", files)
        self.overview = dialog
        dialog.opened.connect(lambda path: self._opening.open_paths([path]))
        came = Came(dialog)
        came.one.connect(dialog.add)  # from the thread that works
        dialog.show()

        def work(progress: Progress) -> Batch:
            plan.check()
            return run(
                plan,
                files,
                out,
                workers=workers,
                reports=reports,
                progress=progress,
                told=came.one.emit,
            )

        self._context.jobs.submit(
            f"Analysing {len(files)} recordings",
            work,
            lambda done: dialog.finish(
                f"{len(done.outcomes)} recordings: {counted(done.outcomes)}. "
                f"Tables and the page are in {out}."
            ),
            lambda error: self._stopped(error, dialog),
        )

    def _stopped(self, error: Exception, shown: OverviewDialog) -> None:
        self._context.notices.tell(error)
        shown.finish("Stopped: what is done is kept, and the same again goes on from there.")


class Came(QObject):
    """Carries each outcome from the thread that works to the overview."""

    one = pyqtSignal(object)
