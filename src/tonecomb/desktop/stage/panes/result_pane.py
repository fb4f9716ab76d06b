"""A pane that shows a result of its own, which is computed while the pane can be seen."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import Any, ClassVar

from PyQt6.QtWidgets import QLabel, QLayout, QVBoxLayout, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.desktop.kit.plot import AXIS_WIDTH
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import label, row
from tonecomb.desktop.stage.panes.pane import Pane, Views


class ResultPane(Pane):
    """``kind`` is the key of the result, ``found`` the result that is shown. Above what it draws
    stands a bar: ``told`` says the result in words, controls stand beside it."""

    kind: ClassVar[str]

    def __init__(self, views: Views, *, quiet: bool = False) -> None:
        super().__init__()
        self._watched = views.context.watched[self.kind]
        self.found: Any = None
        self.told: QLabel = label("", "quiet" if quiet else "")
        self.told.setFont(font(9 if quiet else 10))
        self._watched.changed.connect(self.show_result)
        self._watched.failed.connect(self.show_error)

    def lay_out(
        self,
        bar: Sequence[QWidget | None],
        *below: QWidget | QLayout,
        spacing: int = 12,
        gap: int = 2,
    ) -> QVBoxLayout:
        """Put a bar of controls (None is what stretches) over what shares the height."""
        top = row(*bar, spacing=spacing)
        top.setContentsMargins(AXIS_WIDTH + 4, 2, 8, 0)
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(gap)
        column.addLayout(top)
        for one in below:
            if isinstance(one, QWidget):
                column.addWidget(one, 1)
            else:
                column.addLayout(one, 1)
        if self.layout() is None:
            self.setLayout(column)
        return column

    def wanted(self) -> Hashable:
        """What is asked of the result while the pane can be seen."""
        return True

    def show_result(self, found: Any) -> None:
        """Show a result; None where there is none."""
        raise NotImplementedError

    def show_error(self, error: UserError) -> None:
        """Say why there is no result."""
        self.show_result(None)
        self.told.setText(error.text)

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)  # type: ignore[arg-type]
        self._watched.want(None)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._watched.want(self.wanted())
