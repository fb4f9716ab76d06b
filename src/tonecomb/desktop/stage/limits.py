"""Typing the limits of an axis."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtWidgets import QWidget

from tonecomb.desktop.kit.widgets import Number, Popover, label, link, row


@dataclass(frozen=True)
class Limits:
    """An axis whose limits can be typed: its unit, decimals, and what may be typed."""

    title: str
    unit: str
    digits: int
    allowed: tuple[float, float]


def type_limits(
    view: QWidget,
    axis: Limits,
    now: tuple[float, float],
    apply: Callable[[float, float], None],
    show_all: Callable[[], None],
) -> None:
    """Ask for the limits of an axis over the middle of its view; each change is applied."""
    popover = Popover(view, f"{axis.title} from … to …")
    low = Number(now[0], *axis.allowed, axis.digits, axis.unit)
    high = Number(now[1], *axis.allowed, axis.digits, axis.unit)
    low.setAccessibleName(f"{axis.title} from")
    high.setAccessibleName(f"{axis.title} to")

    def changed() -> None:
        if high.value() > low.value():
            apply(low.value(), high.value())

    def everything() -> None:
        show_all()
        popover.close()

    low.valueChanged.connect(changed)
    high.valueChanged.connect(changed)
    all_of_it = link("Show all", "Show the whole axis (A)", everything)
    popover.add(row(low, label("to"), high, all_of_it))
    popover.open_below(view, low)
    middle = view.mapToGlobal(view.rect().center())
    popover.move(middle.x() - popover.width() // 2, middle.y() - popover.height() // 2)
    low.selectAll()
