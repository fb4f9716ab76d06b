"""The one way a notice or a question reaches the user."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMessageBox, QPushButton, QToolButton, QWidget

from tonecomb.core.base.errors import Cancelled
from tonecomb.desktop.kit.widgets import label, link


class Notices(QFrame):
    """A strip above the stage that shows the latest notice, with at most one thing to do."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("notice")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 6, 6)
        row.setSpacing(16)
        self._text = label("", "", wrap=True)
        self._text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        row.addWidget(self._text, 1)
        self.remedy: QPushButton = link("", "", self.act)
        row.addWidget(self.remedy)
        close = QToolButton()
        close.setText("×")
        close.setObjectName("link")
        close.setToolTip("Close this notice")
        close.clicked.connect(self.clear)
        row.addWidget(close)
        self._action: Callable[[], object] | None = None
        self._source = ""
        self.hide()

    def show_notice(
        self,
        text: str,
        *,
        fault: bool = False,
        remedy: str = "",
        action: Callable[[], object] | None = None,
        source: str = "",
    ) -> None:
        """Show a sentence. ``source`` lets :meth:`clear_from` take it back later."""
        self._text.setText(text)
        self.remedy.setText(remedy)
        self.remedy.setVisible(bool(remedy))
        self._action, self._source = action, source
        self.setProperty("fault", fault)
        style = self.style()
        if style is not None:
            style.polish(self)
        self.show()

    def tell(self, error: Exception) -> None:
        """Tell an expected error; being stopped by the user needs no words."""
        if not isinstance(error, Cancelled):
            self.show_notice(str(error), fault=True)

    @property
    def text(self) -> str:
        """The sentence that stands there, "" when none does."""
        return self._text.text() if not self.isHidden() else ""

    def clear(self) -> None:
        """Take the notice away."""
        self.hide()
        self._action = None

    def clear_from(self, source: str) -> None:
        """Take the notice away if ``source`` put it there."""
        if self._source == source:
            self.clear()

    def act(self) -> None:
        action = self._action
        self.clear()
        if action is not None:
            action()


class Answer(Enum):
    SAVE = "save"
    DISCARD = "discard"
    CANCEL = "cancel"
    ELSEWHERE = "elsewhere"


_ROLES = (
    QMessageBox.ButtonRole.AcceptRole,
    QMessageBox.ButtonRole.DestructiveRole,
)


def _ask(parent: QWidget, title: str, text: str, *choices: tuple[str, Answer]) -> Answer:
    """The answer of the button that was pressed: the first loses nothing, the second does."""
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setText(text)
    answers = {
        box.addButton(words, role): answer
        for (words, answer), role in zip(choices, _ROLES, strict=True)
    }
    box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(next(iter(answers)))
    box.exec()
    pressed = box.clickedButton()
    return next((answer for one, answer in answers.items() if one is pressed), Answer.CANCEL)


def ask_unsaved(parent: QWidget, what: str) -> Answer:
    """Ask what becomes of unsaved work before ``what`` happens."""
    return _ask(
        parent,
        "Unsaved work",
        f"The session has changes that are not saved. Save them before {what}?",
        ("Save", Answer.SAVE),
        ("Do not save", Answer.DISCARD),
    )


def ask_changed(parent: QWidget, name: str) -> Answer:
    """Ask what is done about a session that somebody else saved since it was opened or saved
    here."""
    return _ask(
        parent,
        "Changed by another",
        f"{name} was saved by another window or program since. Replace what it holds now?",
        ("Save as…", Answer.ELSEWHERE),
        ("Replace", Answer.SAVE),
    )
