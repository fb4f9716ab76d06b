"""The colours of a made recording's parts."""

from __future__ import annotations

from PyQt6.QtGui import QColor

from tonecomb.desktop.kit.theme import Theme


def part_colour(theme: Theme, number: int) -> QColor:
    """The colour of a part: of its line in the maker, over the spectrum and on the strip below."""
    return QColor(theme.traces[(number + 1) % len(theme.traces)])
