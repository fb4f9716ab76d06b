"""The fields of a step, made from what its settings say of themselves.

A step that wants more than fields has a maker of its own in :data:`OWN`.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import MISSING, replace
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QLineEdit, QVBoxLayout, QWidget

from tonecomb.core.base.setting import Setting, settings
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.regions import Region, parsed
from tonecomb.core.steps.step import Step
from tonecomb.desktop.kit.widgets import Choice, Number, label

Changed = Callable[[Step], None]
OWN: dict[type[Step], Callable[[Step, Signal, Changed], list[QWidget]]] = {}
"""Steps that are edited in another way than by the fields of their settings."""
_FURTHEST = 1e12
_MOST_LINES, _LINE = 6, 230  # regions that are shown; pixels


def first_of(kind: type[Step], signal: Signal, channel: int) -> Step:
    """A step as it is first put into the chain of a signal: what must be said is what leaves most
    as it is."""
    said = kind.put(signal)
    for attribute, setting, default in settings(kind):
        if attribute in said:
            continue
        if setting.kind == "channels":
            several = default is MISSING and len(signal.channels) > 1 and setting.least > 1
            said[attribute] = tuple(range(len(signal.channels))) if several else (channel,)
        elif default is MISSING:
            said[attribute] = signal.duration if attribute == "end" else 0.0
    return kind(**said)


def fields_of(step: Step, signal: Signal, changed: Changed) -> list[QWidget]:
    """Widgets that edit a step which is given ``signal``; each change makes a new step."""
    own = OWN.get(type(step))
    if own is not None:
        return own(step, signal, changed)
    now, widgets = [step], list[QWidget]()
    of: dict[str, list[QWidget]] = {}

    def show_what_applies() -> None:
        for attribute, own in of.items():
            for widget in own:
                widget.setVisible(now[0].applies(attribute))

    def set_one(attribute: str, value: Any) -> None:
        now[0] = replace(now[0], **{attribute: value})
        changed(now[0])
        show_what_applies()

    for attribute, setting, _ in settings(type(step)):
        value = getattr(step, attribute)
        take = partial(set_one, attribute)
        field = _field(setting, value, signal, take)
        field.setAccessibleName(f"{step.title}: {setting.name}")
        field.setToolTip(setting.help)
        named = [] if setting.kind == "flag" else [label(setting.name.replace("-", " "), "quiet")]
        of[attribute] = [*named, field]
        widgets += of[attribute]
        if not step.applies(attribute):
            for widget in of[attribute]:
                widget.hide()
    return widgets


def _field(setting: Setting, value: Any, signal: Signal, take: Callable[[Any], None]) -> QWidget:
    if setting.kind == "channels":
        return _channels(value, signal, take)
    if setting.kind == "text":
        line = QLineEdit(value)
        line.setPlaceholderText("made up")
        line.setMinimumWidth(line.fontMetrics().horizontalAdvance("made up") + 24)
        line.editingFinished.connect(lambda: take(line.text().strip()))
        return line
    if setting.kind == "regions":
        return _regions(value, take)
    if setting.kind == "pairs":
        return label(f"{len(value)} points", "quiet")
    if setting.kind == "choice":
        choice = Choice([(one, one.replace("-", " ")) for one in setting.choices], value, "")
        choice.picked.connect(take)
        return choice
    if setting.kind == "flag":
        flag = QCheckBox(setting.name)
        flag.setChecked(bool(value))
        flag.toggled.connect(take)
        return flag
    if setting.kind == "whole":
        whole = Number(value, setting.least, 100_000, 0, setting.unit)
        whole.valueChanged.connect(lambda number: take(int(number)))
        return whole
    number = Number(value, -_FURTHEST, _FURTHEST, 6, setting.unit, shortest=True)
    number.valueChanged.connect(take)
    return number


def _channels(value: Sequence[int], signal: Signal, take: Callable[[Any], None]) -> QWidget:
    names = [channel.name for channel in signal.channels]
    if len(value) <= 1:
        choices: list[tuple[Any, str]] = [((), "every channel")]
        choices += [((i,), name) for i, name in enumerate(names)]
        one = Choice(choices, tuple(value), "channels")
        one.picked.connect(take)
        return one
    return label(", ".join(names[i] for i in value if i < len(names)))


def _regions(value: Sequence[Region], take: Callable[[Any], None]) -> QWidget:
    """A line for each region, to be typed in; one that is emptied goes."""
    made = QWidget()
    now: list[Region | None] = list(value)
    column = QVBoxLayout(made)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(2)

    def change(number: int, line: QLineEdit) -> None:
        before, text = now[number], line.text().strip()
        try:
            region = parsed(text) if text else None
        except (ValueError, TypeError):
            region = before
        alone = sum(one is not None for one in now) == 1
        if region == before or (region is None and alone):
            line.setText("" if before is None else before.written())
            return
        now[number] = region
        line.setVisible(region is not None)
        take(tuple(one for one in now if one is not None))

    for i, region in enumerate(value[:_MOST_LINES]):
        line = QLineEdit(region.written())
        line.setCursorPosition(0)
        line.setMinimumWidth(_LINE)
        line.setToolTip(f"{region.words()}\nEmpty it to drop the region")
        line.editingFinished.connect(partial(change, i, line))
        column.addWidget(line)
    if len(now) > _MOST_LINES:
        column.addWidget(label(f"and {len(now) - _MOST_LINES} more", "quiet"))
    return made
