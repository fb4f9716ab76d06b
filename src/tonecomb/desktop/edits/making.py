"""Edits of made recordings: their parts, and how they are sampled."""

from __future__ import annotations

import uuid
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QObject

from tonecomb.core.base.errors import UserError
from tonecomb.core.method import document as edits
from tonecomb.core.method.document import Fingerprint, RecordingRef
from tonecomb.core.method.given import Given
from tonecomb.core.method.method import Method, default_frame, default_method, in_units
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.part import Part
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.scheduler import Scheduler
from tonecomb.desktop.state.store import Store
from tonecomb.desktop.state.systems import system_of

SAMPLING = -1
"""As the number of a part: the sampling."""


class Making(QObject):
    """Acts on the current recording, where it is a made one. What cannot be made changes nothing,
    and is said."""

    def __init__(self, store: Store, scheduler: Scheduler, results: Results) -> None:
        super().__init__(store)
        self._store, self._scheduler, self._results = store, scheduler, results

    @property
    def made(self) -> Made | None:
        """The description of the current recording."""
        ref = self._store.ref
        return None if ref is None else ref.given.made

    def begin(self, made: Made) -> None:
        """Put a made recording on the shelf; raises :class:`UserError` where it cannot be made."""
        new = uuid.uuid4().hex[:12]
        recording = made.recording(new)
        method = in_units(default_method(recording), system_of(self._store.document))
        ref = RecordingRef(new, made.name, "", Fingerprint(0, ""), method, Given(made=made))
        self._store.apply(f"Make {made.name}", edits.add_recording(self._store.document, ref))

    def change(self, label: str, made: Made, merge: str | None = None) -> str:
        """Have another description; what is wrong with it, "" where nothing is."""
        ref = self._store.ref
        if ref is None or ref.given.made is None:
            return ""
        try:
            made.check()
        except UserError as error:
            return error.text
        method = _fitted(ref.method, ref.given.made, made)
        changed = replace(ref, given=replace(ref.given, made=made), method=method)
        self._store.apply(label, edits.change_recording(self._store.document, changed), merge)
        if self._scheduler.lively:
            self._scheduler.look_now()
        return ""

    def set_one(self, number: int, attribute: str, value: Any) -> str:
        """Change a setting of a part, or of the sampling; what is wrong with it."""
        made = self.made
        if made is None:
            return ""
        merge = f"made {number} {attribute}"
        if number == SAMPLING:
            changed = replace(made, sampling=replace(made.sampling, **{attribute: value}))
            return self.change("Change sampling", changed, merge)
        if number >= len(made.parts):
            return ""
        parts = list(made.parts)
        parts[number] = replace(parts[number], **{attribute: value})
        return self.change("Change part", replace(made, parts=tuple(parts)), merge)

    def sample_at(self, rate: float) -> str:
        """Sample at another rate (Hz), for as long as now."""
        made = self.made
        if made is None:
            return ""
        sampling = replace(made.sampling, rate=rate).lasting(made.sampling.duration)
        return self.change("Sample faster", replace(made, sampling=sampling))

    def add(self, part: Part) -> str:
        """One part more; what is wrong with that."""
        made = self.made
        return (
            ""
            if made is None
            else self.change("Add part", replace(made, parts=(*made.parts, part)))
        )

    def drop(self, number: int) -> None:
        """Do without a part."""
        made = self.made
        if made is not None:
            left = made.parts[:number] + made.parts[number + 1 :]
            self.change("Drop part", replace(made, parts=left))

    def move(self, number: int, by: int) -> None:
        """Put a part elsewhere in the list."""
        made = self.made
        if made is not None and 0 <= number + by < len(made.parts):
            parts = list(made.parts)
            parts.insert(number + by, parts.pop(number))
            self.change("Move part", replace(made, parts=tuple(parts)))

    def hold(self, held: bool) -> None:
        """While a handle is held, results follow at once; what can wait follows when it is let
        go."""
        self._scheduler.lively = held
        if not held:
            self._store.changed.emit()
            self._results.tell_again()


def _fitted(method: Method, before: Made, now: Made) -> Method:
    """The method for another length: the frame stays the usual one where it was, and what no longer
    fits is the usual one again."""
    old, new = before.sampling, now.sampling
    frame, changes = method.frames.frame, dict[str, Any]()
    if old.samples != new.samples and (frame == default_frame(old.samples) or frame > new.samples):
        changes["frame"] = default_frame(new.samples)
    stretch = method.source.stretch
    if stretch is not None and stretch.end > new.duration:
        changes["stretch"] = None
    return method.having(**changes) if changes else method
