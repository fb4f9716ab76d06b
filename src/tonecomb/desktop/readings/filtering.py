"""Rows of a tree that hold what was typed."""

from __future__ import annotations

from PyQt6.QtWidgets import QTreeWidget, QTreeWidgetItem


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
