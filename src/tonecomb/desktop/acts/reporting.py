"""What reports hold: edited once, kept for the next."""

from __future__ import annotations

import json

from PyQt6.QtCore import QObject, QUrl
from PyQt6.QtGui import QDesktopServices

from tonecomb.core.base.errors import UserError
from tonecomb.desktop.acts.exports import Exports
from tonecomb.desktop.acts.report_parts import SCOPES, keep_scope, kept_scope
from tonecomb.desktop.dialogs.reporting import ReportDialog
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings
from tonecomb.formats import atomic
from tonecomb.formats.report.layout import USUAL, Layout
from tonecomb.formats.session import schema

_SETTING = "report"


def kept_layout() -> Layout:
    """The layout that was chosen last; the usual one where none was, or it is damaged."""
    try:
        body = json.loads(str(settings.settings().value(_SETTING, "")))
        layout: Layout = schema.converter().structure(body, Layout)
        layout.check()
    except (ValueError, TypeError, AttributeError, UserError, ExceptionGroup):
        return USUAL
    return layout


class Reporting(QObject):
    """Edits the layout of ``exports``."""

    def __init__(self, context: Context, exports: Exports) -> None:
        super().__init__(context.window)
        self._window, self._exports = context.window, exports
        self._notices = context.notices
        exports.layout = kept_layout

    def edit(self) -> None:
        """Choose sections and cover."""
        asking = ReportDialog(self._window, kept_layout(), kept_scope(), SCOPES, self.look)
        if not asking.exec():
            return
        try:
            asking.layout_.check()
        except UserError as error:
            self._notices.tell(error)
            return
        text = json.dumps(schema.written(asking.layout_))
        settings.settings().setValue(_SETTING, text)
        keep_scope(asking.scope)

    def look(self, layout: Layout, scope: str) -> None:
        """Show the report by a layout, of what is in a scope, without saving it."""
        self._exports.make_report(layout, scope, _open)


def _open(page: bytes) -> None:
    """One file of the user's own, written over each time: reports name clients."""
    place = settings.data_folder() / "preview.html"
    atomic.make_folder(place.parent)
    atomic.write_bytes(place, page)
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(place)))
