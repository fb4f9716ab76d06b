"""Results that are computed only while somebody looks at them."""

from __future__ import annotations

from collections.abc import Hashable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from tonecomb.desktop.state.scheduler import Scheduler, Slot, Want
from tonecomb.desktop.state.store import Store
from tonecomb.formats.kinds.kind import Kind


class LazyResult(QObject):
    """Delivers the results of one kind while they are wanted. ``changed`` carries the result, or
    None; ``failed`` a :class:`UserError`."""

    changed = pyqtSignal(object)
    failed = pyqtSignal(object)

    def __init__(self, kind: Kind[Any], store: Store, scheduler: Scheduler) -> None:
        super().__init__(store)
        self._kind, self._store = kind, store
        self.wanted: Hashable = None
        self._slot = Slot(scheduler, self._now)
        self._slot.changed.connect(self.changed)
        self._slot.failed.connect(self.failed)
        store.changed.connect(self._follow_store)
        store.grew.connect(self._follow_store)
        store.reopened.connect(lambda _: self._follow_store())

    @property
    def shown(self) -> Any:
        """The result, None while there is none."""
        return self._slot.shown

    @property
    def busy(self) -> bool:
        """Whether a result is awaited."""
        return self._slot.busy

    def want(self, asked: Hashable) -> None:
        """Have what is asked of whatever is analysed; nothing any more for None and False."""
        self.wanted = asked or None
        self._slot.follow()

    def _follow_store(self) -> None:
        if self.wanted is not None or self._slot.wanted is not None:
            self._slot.follow()

    def _now(self) -> Want | None:
        signal, method = self._store.current, self._store.method
        if signal is None or method is None or self.wanted is None:
            return None
        if not self._kind.possible(method, self.wanted):
            return None
        kind, asked, recording = self._kind, self.wanted, signal.recording
        parts = kind.parts(method)
        return Want(
            (kind.key, signal.key, parts, asked),
            kind.doing,
            lambda progress: kind.run(parts, recording, asked, progress),
        )
