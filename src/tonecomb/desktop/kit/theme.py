"""Colours, type and the style sheet of the two themes."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files

from PyQt6.QtGui import QFont, QFontDatabase

from tonecomb.desktop.kit import settings
from tonecomb.formats import palette

FAMILY = "Inter"


@dataclass(frozen=True)
class Theme:
    """A theme's colours; ``traces`` in the order in which curves take them."""

    name: str
    ground: str
    raised: str
    lines: str
    ink: str
    quiet: str
    accent: str
    second: str
    caution: str
    caution_ink: str
    caution_ground: str
    fault: str
    fault_ground: str
    selected: str
    traces: tuple[str, ...]
    faded: str  # a trace outside the analysed stretch


PAPER = Theme(
    name="Paper",
    ground=palette.GROUND,
    raised=palette.RAISED,
    lines=palette.LINES,
    ink=palette.INK,
    quiet=palette.QUIET,
    accent=palette.ACCENT,
    second=palette.SECOND,
    caution="#B98A1A",
    caution_ink="#856313",
    caution_ground="#FBF1DA",
    fault="#A3262A",
    fault_ground="#F9E4DF",
    selected="#F4E5DA",
    traces=palette.TRACES,
    faded="#AFBECC",
)

# The accents are lightened until they reach 4.5:1 on the ground.
NIGHT = Theme(
    name="Night",
    ground="#182026",
    raised="#202A32",
    lines="#33414B",
    ink="#E8E2D5",
    quiet="#9AA5AC",
    accent="#E08A5B",
    second="#4DB3B5",
    caution="#D9AC45",
    caution_ink="#D9AC45",
    caution_ground="#3A3320",
    fault="#F08A80",
    fault_ground="#43282A",
    selected="#3B332F",
    traces=(
        "#7FB2E0",
        "#E08A5B",
        "#8FBF7C",
        "#C890C2",
        "#4DB3B5",
        "#D9AC45",
        "#A5B1BE",
        "#E58AA2",
    ),
    faded="#465A6B",
)

THEMES = {theme.name: theme for theme in (PAPER, NIGHT)}


_NOW: list[Theme] = []


def current_theme() -> Theme:
    """The theme of the bench."""
    return _NOW[0] if _NOW else remembered_theme()


def remembered_theme() -> Theme:
    """The theme that the settings name."""
    return THEMES.get(str(settings.settings().value("theme", "")), PAPER)


def set_current_theme(theme: Theme) -> None:
    """What is made or painted from now on is in this theme."""
    _NOW[:] = [theme]


def load_fonts() -> None:
    """Register the bundled fonts with Qt."""
    folder = files("tonecomb") / "assets" / "fonts"
    for name in ("Regular", "Medium", "SemiBold"):
        QFontDatabase.addApplicationFontFromData((folder / f"Inter-{name}.otf").read_bytes())


def font(points: float = 9.75, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """Inter with tabular figures; sizes in points, none below 9."""
    made = QFont(FAMILY)
    made.setPointSizeF(max(9.0, points))
    made.setWeight(weight)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def style_sheet(t: Theme) -> str:
    """The widgets' style in a theme."""
    return f"""
    QWidget {{ color: {t.ink}; }}
    QMainWindow, QDialog, QMessageBox, #bench {{ background: {t.ground}; }}
    QLabel {{ background: transparent; }}
    #panel {{ background: {t.raised}; border: 1px solid {t.lines}; border-radius: 4px; }}
    #heading {{ color: {t.quiet}; font-weight: 600; }}
    #strong {{ font-weight: 600; }}
    #quiet {{ color: {t.quiet}; }}
    #teach {{ color: {t.quiet}; font-size: 12pt; }}
    #rule {{ background: {t.lines}; border: none; }}
    QMenuBar {{ background: {t.ground}; padding: 2px 4px; }}
    QMenuBar::item {{ background: transparent; padding: 5px 10px; border-radius: 3px; }}
    QMenuBar::item:selected {{ background: {t.selected}; }}
    QMenu {{ background: {t.raised}; border: 1px solid {t.lines}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 16px; border-radius: 3px; }}
    QMenu::item:selected {{ background: {t.selected}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QMenu::separator {{ height: 1px; background: {t.lines}; margin: 4px 8px; }}
    QToolTip {{ background: {t.raised}; color: {t.ink}; border: 1px solid {t.lines};
                padding: 4px; }}
    QSplitter::handle {{ background: transparent; }}
    QPushButton {{ background: {t.raised}; border: 1px solid {t.lines}; border-radius: 4px;
                   padding: 5px 14px; }}
    QPushButton:hover, QPushButton:focus {{ border-color: {t.accent}; }}
    QPushButton:default {{ background: {t.accent}; border-color: {t.accent};
                           color: {t.raised}; font-weight: 600; }}
    QDialogButtonBox QPushButton {{ font-weight: 600; }}
    QPushButton:disabled, QPushButton:default:disabled {{
        background: {t.ground}; border-color: {t.lines}; color: {t.quiet}; }}
    #link {{ background: transparent; border: none; color: {t.accent}; font-weight: 600;
             padding: 2px 0; text-align: left; }}
    #link:hover, #link:focus {{ text-decoration: underline; }}
    #link:disabled {{ color: {t.quiet}; }}
    #tab:focus {{ color: {t.accent}; }}
    QCheckBox:focus {{ color: {t.accent}; }}
    QGraphicsView[tabbed="true"], QTreeWidget[tabbed="true"], QTableView[tabbed="true"],
    QListWidget[tabbed="true"] {{ border: 1px solid {t.accent}; }}
    QDialogButtonBox {{ button-layout: 3; }}
    #rows::item {{ height: 22px; }}
    #tab {{ background: transparent; border: none; border-bottom: 2px solid {t.accent};
            color: {t.ink}; font-weight: 600; padding: 2px 0 0 0; text-align: left; }}
    #phrase {{ background: transparent; border: none; border-bottom: 1px dotted {t.accent};
               padding: 2px 0 1px 0; font-weight: 500; }}
    #phrase:hover, #phrase:focus {{ color: {t.accent}; border-bottom: 1px solid {t.accent}; }}
    #plain {{ font-weight: 500; padding: 2px 0; }}
    #popover QListWidget {{ padding: 0; }}
    #finder QListWidget::item, #finder::item {{ padding: 4px 6px; }}
    #popover {{ background: {t.raised}; border: 1px solid {t.accent}; border-radius: 4px; }}
    QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ width: 0; }}
    QLineEdit, QPlainTextEdit, QDoubleSpinBox, QSpinBox {{ background: {t.ground};
        border: 1px solid {t.lines}; border-radius: 3px; padding: 4px 6px;
        selection-background-color: {t.accent};
        selection-color: {t.raised}; }}
    QTableCornerButton::section {{ background: {t.raised}; border: none; }}
    QCheckBox::indicator, QTreeView::indicator, QListView::indicator {{ width: 13px;
        height: 13px; background: {t.ground}; border: 1px solid {t.quiet}; border-radius: 3px; }}
    QCheckBox::indicator:checked, QTreeView::indicator:checked,
    QListView::indicator:checked {{ background: {t.accent};
        border-color: {t.accent}; }}
    QComboBox {{ background: {t.ground}; border: 1px solid {t.lines}; border-radius: 3px;
        padding: 3px 8px; }}
    QComboBox {{ selection-background-color: {t.accent}; selection-color: {t.raised}; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QTableView QComboBox {{ padding: 1px 6px; }}
    QTableView QLineEdit {{ margin: 2px; padding: 1px 6px; }}
    QComboBox:hover, QComboBox:focus {{ border-color: {t.accent}; }}
    QComboBox QAbstractItemView {{ background: {t.raised}; border: 1px solid {t.lines};
        selection-background-color: {t.selected}; selection-color: {t.ink}; outline: none; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QLineEdit:focus, QPlainTextEdit:focus, QDoubleSpinBox:focus, QSpinBox:focus {{
        border-color: {t.accent}; }}
    QListWidget, QTableView, QTreeWidget, QTextBrowser {{ background: {t.raised}; border: none;
        outline: none; gridline-color: {t.lines}; }}
    QListWidget::item {{ border-radius: 3px; }}
    QListWidget::item:hover {{ background: {t.selected}; }}
    QListWidget::item:selected, QTableView::item:selected, QTreeWidget::item:selected {{
        background: {t.selected}; color: {t.ink}; }}
    QHeaderView {{ background: {t.raised}; }}
    QHeaderView::section {{ background: {t.raised}; color: {t.quiet}; border: none;
        border-bottom: 1px solid {t.lines}; padding: 3px 2px; }}
    QHeaderView::up-arrow, QHeaderView::down-arrow {{ subcontrol-position: center left;
        width: 8px; height: 8px; }}
    QScrollBar:vertical {{ background: transparent; width: 8px; }}
    QScrollBar:horizontal {{ background: transparent; height: 8px; }}
    QScrollBar::handle {{ background: {t.lines}; border-radius: 4px; min-height: 24px;
                          min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QSlider::groove:horizontal {{ background: {t.lines}; height: 3px; border-radius: 1px; }}
    QSlider::handle:horizontal {{ background: {t.accent}; width: 8px; margin: -6px 0;
                                  border-radius: 2px; }}
    QProgressBar {{ background: {t.lines}; border: none; border-radius: 2px; max-height: 4px; }}
    QProgressBar::chunk {{ background: {t.accent}; border-radius: 2px; }}
    #notice {{ background: {t.raised}; border: 1px solid {t.second};
               border-left: 4px solid {t.second}; border-radius: 4px; }}
    #notice[fault="true"] {{ background: {t.fault_ground}; border-color: {t.fault}; }}
    #problem {{ background: {t.caution_ground}; border: none;
                border-left: 3px solid {t.caution}; padding: 6px 8px; }}
    #zone, #over {{ background: {t.ground}; border: 1px solid {t.quiet}; border-radius: 3px;
                   font-weight: 600; padding: 1px 0; }}
    #over {{ background: {t.fault_ground}; border-color: {t.fault}; color: {t.fault}; }}
    #edge_flag {{ background: {t.raised}; border: 1px solid {t.accent}; border-radius: 3px;
        color: {t.ink}; padding: 1px 6px; }}
    #readout {{ background: {t.raised}; border: 1px solid {t.lines}; border-radius: 3px;
                padding: 3px 8px; }}
    #progress {{ background: {t.raised}; border: 1px solid {t.accent}; border-radius: 4px; }}
    """
