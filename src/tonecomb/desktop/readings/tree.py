"""Trees of readings: how they are set up, and rows that hold what was typed."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHeaderView, QTreeWidget, QTreeWidgetItem

from tonecomb.desktop.kit.theme import font


def readings_tree(
    name: str, heads: Sequence[tuple[str, str]], fixed: tuple[int, int]
) -> QTreeWidget:
    """A flat table of readings under ``heads`` (word, tooltip), columns alike in width but one
    ``fixed`` (column, pixels)."""
    tree = QTreeWidget()
    tree.setAccessibleName(name)
    tree.setObjectName("rows")
    tree.setFont(font())
    tree.setRootIsDecorated(False)
    tree.setColumnCount(len(heads))
    tree.setHeaderLabels([head for head, _ in heads])
    tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    header, head = tree.header(), tree.headerItem()
    assert header is not None and head is not None
    header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
    header.setStretchLastSection(False)
    header.setSectionResizeMode(fixed[0], QHeaderView.ResizeMode.Fixed)
    header.resizeSection(*fixed)
    for i, (_, tip) in enumerate(heads):
        head.setToolTip(i, tip)
        head.setTextAlignment(i, Qt.AlignmentFlag.AlignRight)
    return tree


def keep_rows(tree: QTreeWidget, text: str) -> None:
    """Hide what does not hold ``text``, letters large or small. What holds a row that does stays,
    and so does all that is in a row that does."""
    for i in range(tree.topLevelItemCount()):
        if (item := tree.topLevelItem(i)) is not None:
            _keep(item, text.lower())


def _keep(item: QTreeWidgetItem, text: str) -> bool:
    mine = any(text in item.text(i).lower() for i in range(item.columnCount()))
    children = [item.child(i) for i in range(item.childCount())]
    kept = [_keep(child, "" if mine else text) for child in children if child is not None]
    item.setHidden(not (mine or any(kept)))
    return mine or any(kept)
