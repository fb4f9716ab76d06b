"""A popover whose choices stand in a list and close it when one is taken."""

from __future__ import annotations

from collections.abc import Callable

from tonecomb.desktop.kit.widgets import Option, OptionList, Popover


def choices(
    popover: Popover, options: list[Option], current: object, apply: Callable[[object], None]
) -> Popover:
    """Put ``options`` into the popover; the one that is taken goes to ``apply``."""
    chooser = OptionList(options, current, "choices")

    def choose(value: object) -> None:
        popover.close()
        apply(value)

    chooser.chosen.connect(choose)
    popover.add(chooser)
    popover.setFocusProxy(chooser)
    return popover
