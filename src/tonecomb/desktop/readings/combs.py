"""Combs and their teeth as a tree."""

from __future__ import annotations

import math
from functools import partial

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QHeaderView, QMenu, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from tonecomb.core.find.comb import inharmonicity, mains
from tonecomb.core.find.ratios import ratio_words, small_ratio
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.distortion import distortion_words
from tonecomb.core.say.numbers import span, warranted, with_std
from tonecomb.desktop.edits.combs import Combs, ShownComb
from tonecomb.desktop.edits.isolating import Isolating
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import label
from tonecomb.desktop.readings.tree import keep_rows
from tonecomb.formats import readings
from tonecomb.formats.palette import readable

_COMB, _TOOTH = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
_TIPS = (
    "Comb, and number of the tooth",
    "Frequency of the tone that was found, Hz",
    "How far it is from where the tooth should be, mHz",
    "Amplitude of the tone",
    "Where the tooth should be, Hz",
    "Share of the comb's power, %",
)
_NAMES = ("", "Frequency", "Deviation", "Amplitude", "Expected frequency", "Share of the power")
_USUAL = (1, 2, 3)


class CombReadings(QWidget):
    """A row a comb, below it its teeth; ``chosen`` carries the frequency of the tooth (Hz)."""

    chosen = pyqtSignal(float)

    def __init__(self, combs: Combs, isolating: Isolating) -> None:
        super().__init__()
        self._combs, self._isolating = combs, isolating
        self._analysis: Analysis | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Combs")
        self.tree.setObjectName("rows")
        self.tree.setFont(font(9))
        self.tree.setColumnCount(len(_TIPS))
        self.tree.setRootIsDecorated(True)
        self.tree.setIndentation(10)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tree.customContextMenuRequested.connect(self._menu)
        self.tree.currentItemChanged.connect(lambda now, _: self._picked(now))
        header = self.tree.header()
        assert header is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        header.setMinimumSectionSize(30)
        header.setStretchLastSection(False)
        for section, width in ((0, 44), (2, 54)):
            header.setSectionResizeMode(section, QHeaderView.ResizeMode.Fixed)
            header.resizeSection(section, width)
        header.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        header.customContextMenuRequested.connect(
            lambda at: self.column_menu(header.mapToGlobal(at))
        )
        kept = settings.settings().value("comb columns", list(_USUAL))
        self._choose_columns({int(i) for i in ([kept] if isinstance(kept, str) else kept or ())})
        column.addWidget(self.tree, 1)
        self._told = label("", "", wrap=True)
        self._told.setFont(font(9))
        column.addWidget(self._told)
        self._shown: tuple[ShownComb, ...] = ()

    def _choose_columns(self, shown: set[int]) -> None:
        for i in range(1, len(_TIPS)):
            self.tree.setColumnHidden(i, i not in shown)

    def column_menu(self, at: QPoint) -> None:
        """Choose columns; the choice is kept for the next time."""
        menu = QMenu(self)
        for i in range(1, len(_TIPS)):
            action = menu.addAction(_NAMES[i])
            assert action is not None
            action.setCheckable(True)
            action.setChecked(not self.tree.isColumnHidden(i))
            action.triggered.connect(lambda on, i=i: self._toggle(i, on))
        menu.exec(at)

    def _toggle(self, column: int, on: bool) -> None:
        self.tree.setColumnHidden(column, not on)
        numbers = [i for i in range(1, len(_TIPS)) if not self.tree.isColumnHidden(i)]
        settings.settings().setValue("comb columns", numbers)

    def refresh(self, analysis: Analysis | None) -> None:
        """Show the combs as they are measured now; what was open stays open."""
        self._analysis, self._shown = analysis, self._combs.shown
        unit = "" if analysis is None else analysis.amplitude_unit
        self.tree.setHeaderLabels(["", "Hz", "mHz off", unit, "Hz expected", "%"])
        head = self.tree.headerItem()
        assert head is not None
        for i, tip in enumerate(_TIPS):
            head.setToolTip(i, tip)
            head.setTextAlignment(i, Qt.AlignmentFlag.AlignRight)
        opened = {
            i
            for i in range(self.tree.topLevelItemCount())
            if (item := self.tree.topLevelItem(i)) is not None and item.isExpanded()
        }
        current = self.tree.currentItem()
        place = None if current is None else (current.data(0, _COMB), current.data(0, _TOOTH))
        self.tree.blockSignals(True)
        self.tree.clear()
        for i, shown in enumerate(self._shown):
            item = self._row(shown, i)
            for tooth in shown.comb.teeth:
                child = QTreeWidgetItem(item)
                number = (
                    f"{tooth.number:+d}"
                    if shown.comb.carrier is not None and tooth.number
                    else str(tooth.number)
                )
                expected = f"{tooth.expected:.3f}"
                cells = [number.replace("-", "−"), f"({expected})", "", "missing", expected, ""]
                if tooth.found:
                    off_mhz = 1000 * tooth.deviation
                    off = f"{off_mhz:+.2f}" if abs(off_mhz) < 100 else f"{off_mhz:+.0f}"
                    if shown.comb.low is not None:
                        off = "–"  # where it moves a peak's top is nowhere in particular
                    cells[1:4] = [f"{tooth.frequency:.3f}", off, f"{tooth.amplitude:.4g}"]
                if tooth.found and shown.comb.power > 0:
                    cells[5] = f"{100 * tooth.amplitude**2 / shown.comb.power:.3g}"
                    child.setToolTip(3, f"{cells[5]} % of the comb's power")
                for k, text in enumerate(cells):
                    child.setText(k, text.replace("-", "−"))
                    child.setTextAlignment(k, Qt.AlignmentFlag.AlignRight)
                if not tooth.found:
                    for k in (1, 3):
                        child.setForeground(k, QColor(current_theme().quiet))
                child.setToolTip(1, f"expected at {tooth.expected:.4f} Hz")
                child.setData(0, _COMB, i)
                child.setData(0, _TOOTH, tooth.number)
            item.setExpanded(i in opened or (not opened and i == 0))
            if place is not None and place[0] == i:
                self.tree.setCurrentItem(item if place[1] is None else self._child(item, place[1]))
        self.tree.blockSignals(False)
        self.tree.setVisible(bool(self._shown))  # no heads over nothing
        self._tell()

    def _row(self, shown: ShownComb, i: int) -> QTreeWidgetItem:
        item = QTreeWidgetItem(self.tree)
        item.setText(0, shown.dropped.name)
        moves = shown.comb.low is not None
        spacing = shown.comb.spacing
        text = warranted(spacing, shown.comb.spacing_std) if moves else f"{spacing:.4f}"
        item.setText(1, text)
        number = len(shown.comb.lines)
        item.setText(3, f"{number} of {len(shown.comb.teeth)}")
        for k in (1, 3):
            item.setTextAlignment(k, Qt.AlignmentFlag.AlignRight)
        theme = current_theme()
        item.setForeground(0, QColor(readable(theme.traces[shown.colour], theme.raised)))
        bold = item.font(0)
        bold.setBold(True)
        item.setFont(0, bold)
        item.setData(0, _COMB, i)
        return item

    @staticmethod
    def _child(item: QTreeWidgetItem, number: int) -> QTreeWidgetItem:
        for k in range(item.childCount()):
            child = item.child(k)
            if child is not None and child.data(0, _TOOTH) == number:
                return child
        return item

    def filter(self, text: str) -> None:
        """Show only combs and teeth that hold this."""
        keep_rows(self.tree, text)

    def text(self) -> str:
        """The combs' teeth for the clipboard, "" where there are none."""
        if self._analysis is None or not self._shown:
            return ""
        return readings.combs(self._analysis, [one.comb for one in self._shown]).tabbed()

    def current(self) -> int | None:
        """The index of the comb that is chosen, the only one where there is one."""
        item = self.tree.currentItem()
        if item is not None:
            return int(item.data(0, _COMB))
        return 0 if len(self._shown) == 1 else None

    def current_tooth(self) -> tuple[str, float] | None:
        """Name and frequency (Hz) of the tooth that is chosen, None where none is."""
        item = self.tree.currentItem()
        if item is None or item.data(0, _TOOTH) is None:
            return None
        shown, number = self._shown[item.data(0, _COMB)], int(item.data(0, _TOOTH))
        return f"{shown.dropped.name}{number}".replace("-", "−"), shown.comb.place(number)

    def _picked(self, item: QTreeWidgetItem | None) -> None:
        self._tell()
        if item is None:
            return
        # What is chosen is drawn anew, rows included: nothing may be asked of the item after.
        index, number = int(item.data(0, _COMB)), item.data(0, _TOOTH)
        comb = self._shown[index].comb
        self._combs.choose(index)
        if number is not None:
            self.chosen.emit(comb.place(number))

    def words(self, shown: ShownComb) -> str:
        """The chosen comb in full."""
        comb, analysis = shown.comb, self._analysis
        spacing = with_std(comb.spacing, shown.dropped.std)
        if comb.carrier is None:
            lines = [f"{shown.dropped.name}: fundamental {spacing} Hz"]
        else:
            tied = f" = comb {shown.tied}" if shown.tied else ""
            lines = [
                f"{shown.dropped.name}: sidebands of {comb.carrier:.4f} Hz",
                f"spacing {spacing} Hz{tied}",
            ]
        if (hz := mains(comb)) is not None:
            lines.append(f"that of {hz:g} Hz mains")
        if comb.low is not None and comb.high is not None:
            lines.append(f"moves from {span(comb.low, comb.high)} Hz")
        for other in self._shown:
            if other is shown or other.comb.carrier is not None:
                continue
            at = comb.spacing if comb.carrier is None else comb.carrier
            ratio = small_ratio(at, shown.dropped.std, other.comb.spacing)
            if ratio is not None:
                of = "" if comb.carrier is None else "carrier "
                lines.append(f"{of}{ratio_words(ratio)} of {other.dropped.name}")
        distorted = "" if analysis is None else distortion_words(comb, analysis.unit.quantity)
        if distorted:
            lines.append(distorted)
        if not math.isnan(comb.modulation):
            lines.append(f"modulation depth {100 * comb.modulation:.3g} %")
        drift = inharmonicity(comb)
        if not math.isnan(drift) and abs(drift) > 1e-5:
            lines.append(f"teeth drift: inharmonicity {drift:.2g}".replace("-", "−"))
        in_rms = analysis is not None and analysis.method.shown.level == "rms"
        if analysis is not None and in_rms and analysis.rms > 0:
            share = 100 * comb.power / analysis.rms**2
            lines.append(f"{min(share, 100):.3g} % of the power")
        return "\n".join(lines)

    def _tell(self) -> None:
        at = self.current()
        if at is not None and at < len(self._shown):
            self._told.setText(self.words(self._shown[at]))
        elif self._shown:
            self._told.setText("Choose a comb to see its figures.")
        else:
            self._told.setText("B drops a comb at the cursor, Shift+B finds what is there.")

    def _menu(self, at: QPoint) -> None:
        item = self.tree.itemAt(at)
        if item is None:
            return
        index, number = int(item.data(0, _COMB)), item.data(0, _TOOTH)
        menu = QMenu(self)
        for text, act in (
            ("Snap to its tones", self._combs.snap),
            ("Type its frequency…", self._combs.type_in),
            ("How many teeth…", self._combs.set_teeth),
            ("Rename…", self._combs.rename),
            ("Remove", self._combs.remove),
        ):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, act=act: act(index))
        if number:
            for text, on_tooth in (
                ("Sidebands about this tooth", self._combs.sidebands),
                ("Keep only this tooth", partial(self._isolating.mark_tooth, out=False)),
                ("Take this tooth out", partial(self._isolating.mark_tooth, out=True)),
            ):
                action = menu.addAction(text)
                assert action is not None
                action.triggered.connect(lambda _, act=on_tooth: act(index, int(number)))
        viewport = self.tree.viewport()
        assert viewport is not None
        menu.exec(viewport.mapToGlobal(at))
