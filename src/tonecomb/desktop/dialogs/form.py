"""A dialog with fields to type in."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractSpinBox, QDialog, QLineEdit


class Form(QDialog):
    """Return confirms the field that is being typed in, not yet the whole dialog."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        keys = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        typing = isinstance(self.focusWidget(), (QLineEdit, QAbstractSpinBox))
        if event is not None and event.key() in keys and typing:
            return
        super().keyPressEvent(event)
