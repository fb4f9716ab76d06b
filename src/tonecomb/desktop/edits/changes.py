"""What changed since the trace that was held, as a list, while somebody looks at it."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.differences import Differences, differences
from tonecomb.core.results.knowledge import NOTHING, Knowledge, knowledge
from tonecomb.core.results.search import run_findings
from tonecomb.desktop.edits.held import HeldTraces
from tonecomb.desktop.state.scheduler import Slot, Want
from tonecomb.desktop.state.state import State
from tonecomb.formats.kinds.changes import Before

_TEACH = "Hold a trace (H), then look at another recording, channel or stretch: what came, went, "
_TEACH += "moved, grew and fell since is listed here."


class ChangeList(QObject):
    """``changed`` when ``found`` did: the :class:`Differences`, None with the ``reason`` where
    there are none. They are looked for while ``wanted``."""

    changed = pyqtSignal()

    def __init__(self, state: State, held: HeldTraces) -> None:
        super().__init__(held)
        self._store, self._results, self._held = state.store, state.results, held
        self.found: Differences | None = None
        self._said_before: Knowledge = NOTHING
        self.reason = _TEACH
        self._wants = False
        self._slot = Slot(state.scheduler, self._wanted, lazy=True)
        self._slot.changed.connect(self._arrived)
        self._slot.failed.connect(self._failed)
        held.changed.connect(self._slot.follow_now)
        state.results.analysis_changed.connect(lambda _: self._slot.follow_now())

    def look(self, wanted: bool) -> None:
        """Keep the list up to date, or do without."""
        self._wants = wanted
        self._slot.follow_now()

    def _wanted(self) -> Want | None:
        trace, now, signal = self._held.against, self._results.analysis, self._store.current
        if not self._wants or now is None or signal is None or now.found is None:
            return self._slot.wanted if self._wants and now is not None else None
        held = None if trace is None else self._held.computed(trace)
        if trace is None or held is None:
            return None
        estimate, recording = held
        method = trace.method.having(search=now.method.search)
        document = self._store.document
        refs = (document.get(trace.recording), self._store.ref)
        said_before, said = (NOTHING if ref is None else knowledge(ref) for ref in refs)

        self._said_before = said_before

        def work(progress: Progress) -> Differences:
            findings = run_findings(estimate, method, recording, progress)
            shown = method.having(shown=now.method.shown)
            before = Analysis.of(estimate, findings, shown, recording)
            return differences(before, now, said_before, said)

        key = ("changes", signal.key, now.method, trace.id, trace.method, said_before, said)
        return Want(key, "Looking for what changed", work, background=True)

    def before(self) -> Before | None:
        """What the list is held against, for a report; None where there is no list."""
        return None if self.found is None else Before(self.found.before, self._said_before)

    def _arrived(self, found: Differences | None) -> None:
        self.found, self.reason = found, _TEACH
        self.changed.emit()

    def _failed(self, error: UserError) -> None:
        self.found, self.reason = None, str(error)
        self.changed.emit()
