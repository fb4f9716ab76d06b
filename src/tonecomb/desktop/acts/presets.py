"""Methods that the user named: kept beside the settings, and handed on as JSON."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QLineEdit, QMessageBox, QVBoxLayout, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.document import set_method
from tonecomb.core.method.method import Preset
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.widgets import Popover, label, link, row, rule
from tonecomb.formats.session import presets

_FILTER = "Presets (*.json)"


class Presets(QObject):
    """What can be done with presets."""

    def __init__(self, context: Context) -> None:
        super().__init__(context.window)
        self._window, self._store = context.window, context.store
        self._notices = context.notices

    def known(self) -> tuple[Preset, ...]:
        """The user's presets by name; none, and a notice, where they cannot be read."""
        try:
            return presets.library(settings.presets_file())
        except UserError as error:
            self._notices.tell(error)
            return ()

    def keep(self, name: str) -> None:
        """Keep the current method under a name, over another of that name."""
        method = self._store.method
        if method is not None and name.strip():
            self._write(
                lambda: presets.keep(settings.presets_file(), Preset.of(name.strip(), method))
            )

    def apply(self, preset: Preset) -> None:
        """Analyse the current channel and stretch by a preset; one step that can be undone."""
        method = self._store.method
        if method is not None:
            document = set_method(self._store.document, preset.applied(method))
            self._store.apply(f"Use {preset.name}", document)

    def forget(self, name: str) -> None:
        """Take a preset out of the library."""
        self._write(lambda: presets.forget(settings.presets_file(), name))

    def export_to(self, path: Path) -> None:
        """Write all presets to a file."""
        found = self.known()
        if self._write(lambda: presets.save(path, found)):
            self._notices.show_notice(f"{len(found)} presets are in {path.name}.")

    def import_from(self, path: Path) -> None:
        """Take presets from a file; one of a name that is known already is asked about."""
        try:
            found = presets.load(path)
        except UserError as error:
            self._notices.tell(error)
            return
        known = {preset.name for preset in self.known()}
        same = [preset.name for preset in found if preset.name in known]
        if same and not self._may_replace(same):
            found = tuple(preset for preset in found if preset.name not in same)
        if self._write(lambda: presets.keep(settings.presets_file(), *found)):
            self._notices.show_notice(f"{len(found)} presets were taken from {path.name}.")

    def _may_replace(self, names: list[str]) -> bool:
        answer = QMessageBox.question(
            self._window,
            "Presets",
            f"Replace your own {', '.join(f'‘{name}’' for name in names)}?",
        )
        return answer == QMessageBox.StandardButton.Yes

    def _write(self, act: Callable[[], object]) -> bool:
        try:
            act()
        except UserError as error:
            self._notices.tell(error)
            return False
        return True

    def ask_export(self) -> None:
        """Choose a file and export to it."""
        start = str(Path.home() / "tone-comb-presets.json")
        name, _ = QFileDialog.getSaveFileName(self._window, "Export presets", start, _FILTER)
        if name:
            self.export_to(Path(name))

    def ask_import(self) -> None:
        """Choose a file and import from it."""
        name, _ = QFileDialog.getOpenFileName(
            self._window, "Import presets", str(Path.home()), _FILTER
        )
        if name:
            self.import_from(Path(name))


class PresetsPopover(Popover):
    """Use, keep, forget, hand on."""

    def __init__(self, owner: Presets, parent: QWidget) -> None:
        super().__init__(
            parent,
            "Presets",
            "A preset keeps everything that the sentence says but the channel, the stretch and "
            "what was struck out.",
        )
        self._owner = owner
        self.name = QLineEdit()
        self.name.setPlaceholderText("Name for the method as it is now")
        self.name.setAccessibleName("Name of the preset")
        self.name.returnPressed.connect(self._keep)
        keep = link("Keep", "Keep the method as it is now under this name", self._keep)
        self.add(row(self.name, keep))
        self._list = QVBoxLayout()
        self._list.setSpacing(2)
        self.body.addLayout(self._list)
        self.add(rule())
        self.add(
            row(
                link("Import…", "Take presets from a file", self._then(owner.ask_import)),
                link("Export…", "Write all presets to a file", self._then(owner.ask_export)),
                None,
            )
        )
        self._fill()

    def _then(self, act: Callable[[], object]) -> Callable[[], None]:
        def run() -> None:
            self.close()
            act()

        return run

    def _fill(self) -> None:
        while (item := self._list.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        known = self._owner.known()
        if not known:
            self._list.addWidget(label("None are kept yet.", "quiet"))
        for preset in known:
            line = QWidget()
            use = link(preset.name, "Analyse like this", self._using(preset))
            drop = link("Forget", f"Take {preset.name} out of the list", self._forgetting(preset))
            line.setLayout(row(use, None, drop))
            self._list.addWidget(line)
        first = self._list.itemAt(0)
        widget = first.widget() if first is not None else None
        buttons = widget.findChildren(QWidget) if widget is not None and known else []
        self.setFocusProxy(buttons[0] if buttons else self.name)
        self.adjustSize()

    def _using(self, preset: Preset) -> Callable[[], None]:
        return self._then(lambda: self._owner.apply(preset))

    def _forgetting(self, preset: Preset) -> Callable[[], None]:
        def run() -> None:
            self._owner.forget(preset.name)
            self._fill()

        return run

    def _keep(self) -> None:
        self._owner.keep(self.name.text())
        self.name.clear()
        self._fill()
