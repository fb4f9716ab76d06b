"""An analysis that cannot be run: why, and what would help."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QObject

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.finite import HOLES
from tonecomb.desktop.acts.opening import Opening
from tonecomb.desktop.edits.context import Context

_SOURCE = "analysis"


class Failures(QObject):
    """Tells what fails, with the remedy where there is one; an edit takes the notice away."""

    def __init__(self, context: Context, opening: Opening) -> None:
        super().__init__(context.window)
        self._context, self._opening = context, opening
        context.results.failed.connect(self._tell)
        context.envelopes.failed.connect(self._tell)
        context.store.changed.connect(lambda: context.notices.clear_from(_SOURCE))

    def _tell(self, error: UserError) -> None:
        remedy, action = self._remedy(error)
        self._context.notices.show_notice(
            error.text, fault=True, remedy=remedy, action=action, source=_SOURCE
        )

    def _remedy(self, error: UserError) -> tuple[str, Callable[[], object] | None]:
        advice, ref = self._context.advice, self._context.store.ref
        short = advice.short_stretch()
        if ref is not None and error.what == HOLES and ref.given.how.missing == "refuse":
            filled = replace(ref.given, how=replace(ref.given.how, missing="interpolate"))
            return "Interpolate them", lambda: self._opening.change(ref.id, filled, "Interpolate")
        if short is not None:
            return short.remedy, lambda: advice.take(short)
        return "", None
