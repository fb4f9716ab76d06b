"""What a report holds, and what stands on its cover."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialogButtonBox,
    QFileDialog,
    QGridLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.base.errors import UserError
from tonecomb.desktop.dialogs.form import Form
from tonecomb.desktop.kit.widgets import Choice, label, link, row
from tonecomb.formats.report.layout import AUDIENCES, COVER, SECTIONS, Cover, Layout, logo_of

_KEY = Qt.ItemDataRole.UserRole


class ReportDialog(Form):
    """Edit a layout, and which of the ``scopes`` (words by their keys) it is of; ``look`` shows
    what the report would be."""

    def __init__(
        self,
        parent: QWidget,
        layout: Layout,
        scope: str,
        scopes: Mapping[str, str],
        look: Callable[[Layout, str], object],
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("The report's cover and sections")
        self.setMinimumWidth(620)
        self._logo = layout.cover.logo
        column = QVBoxLayout(self)
        column.setSpacing(10)
        self.of = Choice(list(scopes.items()), scope, "What the report is of")
        column.addLayout(row(label("A report of"), self.of, None))
        grid = QGridLayout()
        self.lines: dict[str, QLineEdit] = {}
        for i, name in enumerate(COVER):
            line = QLineEdit(getattr(layout.cover, name))
            line.setAccessibleName(name.capitalize())
            grid.addWidget(label(name.capitalize()), i, 0)
            grid.addWidget(line, i, 1)
            self.lines[name] = line
        self.lines["title"].setPlaceholderText("the recording and its channel")
        self.remarks = QPlainTextEdit(layout.cover.remarks)
        self.remarks.setAccessibleName("Remarks")
        self.remarks.setTabChangesFocus(True)
        self.remarks.setMaximumHeight(90)
        grid.addWidget(label("Remarks"), len(COVER), 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(self.remarks, len(COVER), 1)
        self.logo = label("", "quiet")
        choose = link("Choose a logo…", "A PNG or JPEG of 1 MB at most", self._choose)
        self.drop = link("No logo", "Take the logo away", lambda: self._set_logo(""))
        grid.addLayout(row(self.logo, choose, self.drop, None), len(COVER) + 1, 1)
        column.addLayout(grid)
        column.addWidget(
            label(
                "Sections, in this order: drag them, or move them with Alt and the arrow keys",
                "quiet",
                wrap=True,
            )
        )
        self.sections = _Sections(layout.sections)
        column.addWidget(self.sections)
        usual = [
            link(
                name.capitalize(),
                f"The sections for a report of {name}",
                partial(self.sections.show_sections, chosen),
            )
            for name, chosen in AUDIENCES.items()
        ]
        preview = link(
            "Look at it",
            "The report as it would be, in the browser",
            lambda: look(self.layout_, self.scope),
        )
        column.addLayout(row(*usual, None, preview, spacing=14))
        self.wrong = label("", "fault", wrap=True)
        column.addWidget(self.wrong)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        buttons.addButton("Use it for reports", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self._set_logo(layout.cover.logo)

    @property
    def layout_(self) -> Layout:
        """As it is edited now."""
        said = {name: line.text().strip() for name, line in self.lines.items()}
        cover = Cover(**said, remarks=self.remarks.toPlainText().strip(), logo=self._logo)  # type: ignore[arg-type]
        return Layout(self.sections.chosen, cover)

    @property
    def scope(self) -> str:
        """The key of what it is of."""
        return str(self.of.value)

    def _choose(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Logo", "", "Pictures (*.png *.jpg *.jpeg)")
        if not chosen:
            return
        try:
            self._set_logo(logo_of(Path(chosen)))
        except UserError as error:
            self.wrong.setText(error.text)

    def _set_logo(self, logo: str) -> None:
        self._logo = logo
        self.logo.setText("with a logo" if logo else "no logo")
        self.drop.setVisible(bool(logo))

    def _accept(self) -> None:
        try:
            self.layout_.check()
        except UserError as error:
            self.wrong.setText(error.text)
            return
        self.accept()


class _Sections(QListWidget):
    """Every section, the chosen ones ticked; rows are dragged, or moved by keys."""

    def __init__(self, chosen: tuple[str, ...]) -> None:
        super().__init__()
        self.setAccessibleName("Sections of the report")
        self.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        self.setTabKeyNavigation(False)
        self.show_sections(chosen)
        self.setSpacing(2)
        self.setFixedHeight(20 * len(SECTIONS) + 12)

    def show_sections(self, chosen: tuple[str, ...]) -> None:
        """Tick these, in their order, the others below."""
        self.clear()
        for key in (*chosen, *(key for key in SECTIONS if key not in chosen)):
            item = QListWidgetItem(SECTIONS[key], self)
            item.setData(_KEY, key)
            state = Qt.CheckState.Checked if key in chosen else Qt.CheckState.Unchecked
            item.setCheckState(state)

    @property
    def chosen(self) -> tuple[str, ...]:
        """The keys of those that are ticked, in their order."""
        items = (self.item(i) for i in range(self.count()))
        ticked = Qt.CheckState.Checked
        return tuple(str(one.data(_KEY)) for one in items if one and one.checkState() == ticked)

    def keyPressEvent(self, event: object) -> None:
        from PyQt6.QtGui import QKeyEvent

        assert isinstance(event, QKeyEvent)
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        at = self.currentRow()
        if step is None or not event.modifiers() & Qt.KeyboardModifier.AltModifier or at < 0:
            super().keyPressEvent(event)
            return
        to = min(max(at + step, 0), self.count() - 1)
        item = self.takeItem(at)
        self.insertItem(to, item)
        self.setCurrentRow(to)
