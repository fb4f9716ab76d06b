"""The editor of one phrase of a made recording: a number with a handle, a choice, a list of modes.

What belongs to one phrase is edited together: an amplitude and whether it is rms or peak.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields, replace
from typing import Any

from PyQt6.QtWidgets import QLineEdit, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.setting import Setting, setting_of
from tonecomb.core.synthesis import hits
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.part import UNIT
from tonecomb.desktop.edits.making import SAMPLING, Making
from tonecomb.desktop.kit.dial import Dial, Reach
from tonecomb.desktop.kit.widgets import Choice, Number, Popover, label, link, row

TOGETHER: dict[str, tuple[str, ...]] = {
    "amplitude": ("amplitude", "level"),
    "amount": ("amount", "measure"),
    "bits": ("bits", "full_scale"),
    "low_pass": ("low_pass", "order"),
    "start": ("start", "end"),
    "end": ("start", "end"),
    "am": ("am", "am_rate"),
    "am_rate": ("am", "am_rate"),
    "fm": ("fm", "fm_rate"),
    "fm_rate": ("fm", "fm_rate"),
    "wander": ("wander", "over"),
    "over": ("wander", "over"),
}
_FURTHEST = 1e12
_EVEN = {"°": (-180.0, 180.0), "%": (0.0, 100.0), "dB": (0.0, 24.0)}
_WHOLE = {"bits": (0.0, 24.0), "order": (1.0, 16.0), "count": (1.0, 60.0)}
_MOST_MODES = 8


def setting_in(owner: Any, attribute: str) -> Setting | None:
    """What a field says of itself, None where there is no such field."""
    return next((setting_of(one) for one in fields(owner) if one.name == attribute), None)


def reach_of(told: Setting, attribute: str, value: float, made: Made) -> Reach:
    """How far a handle goes."""
    whole = told.kind == "whole"
    if attribute in _WHOLE:
        return Reach(*_WHOLE[attribute], whole=True)
    if told.unit in _EVEN:
        return Reach(*_EVEN[told.unit])
    if told.unit == "s" and not value > 0:
        return Reach(0.0, made.sampling.duration)
    if told.unit == "µs":
        return Reach(0.0, 0.25e6 / made.sampling.rate)
    if told.unit == "Hz" and not value > 0:
        return Reach(0.0, made.sampling.rate)
    return Reach.around(value, whole)


class PhraseEditor(Popover):
    """What is changed is applied at once; what cannot be is said below."""

    def __init__(self, parent: QWidget, making: Making, number: int, attribute: str) -> None:
        made = making.made
        assert made is not None
        owner: Any = made.sampling if number == SAMPLING else made.parts[number]
        title = "Sampling" if number == SAMPLING else owner.title
        super().__init__(parent, title)
        self._making, self._number, self._made = making, number, made
        self.dials: dict[str, Dial] = {}
        self.fields: dict[str, QWidget] = {}
        for one in TOGETHER.get(attribute, (attribute,)):
            setting = setting_in(owner, one)
            if setting is not None:
                self._add(owner, one, setting)
        if (number, attribute) == (SAMPLING, "samples"):
            self._add_duration(made)
        self.wrong = label("", "quiet", wrap=True)
        self.wrong.hide()
        self.add(self.wrong)
        first = next(iter(self.fields.values()), None)
        if first is not None:
            self.setFocusProxy(first)

    def _take(self, attribute: str, value: Any) -> None:
        text = self._making.set_one(self._number, attribute, value)
        self.wrong.setText(text)
        self.wrong.setVisible(bool(text))
        self.adjustSize()

    def _add(self, owner: Any, attribute: str, told: Setting) -> None:
        value = getattr(owner, attribute)
        name = label(told.name.replace("-", " "), "quiet")
        if told.kind == "modes":
            self.add(
                label("Frequency, damping and amplitude of each; empty one to drop it.", "quiet")
            )
            self._add_modes(value)
            return
        if told.kind == "choice":
            choice = Choice([(one, one) for one in told.choices], value, told.name)
            choice.picked.connect(lambda picked: self._take(attribute, picked))
            self.fields[attribute] = choice
            self.add(row(name, None, choice))
            return
        whole = told.kind == "whole"
        unit = told.unit.replace(UNIT, self._made.unit)
        field = Number(value, -_FURTHEST, _FURTHEST, 0 if whole else 9, unit, shortest=not whole)
        field.setAccessibleName(told.name)
        field.setToolTip(told.help)
        dial = Dial(float(value), reach_of(told, attribute, float(value), self._made), told.name)

        def typed(number: float) -> None:
            dial.set_value(number)
            self._take(attribute, int(number) if whole else number)

        def dragged(number: float) -> None:
            field.blockSignals(True)
            field.setValue(number)
            field.blockSignals(False)
            self._take(attribute, int(number) if whole else number)

        field.valueChanged.connect(typed)
        dial.moved.connect(dragged)
        dial.held.connect(self._making.hold)
        self.fields[attribute], self.dials[attribute] = field, dial
        self.add(row(name, None, field), dial)

    def _add_duration(self, made: Made) -> None:
        field = Number(made.sampling.duration, 0.0, _FURTHEST, 9, "s", shortest=True)
        field.setAccessibleName("duration")

        def typed(seconds: float) -> None:
            now = self._making.made
            if now is None:
                return
            try:
                sampling = now.sampling.lasting(seconds)
            except UserError as error:
                self.wrong.setText(error.text)
                self.wrong.show()
                self.adjustSize()
                return
            self._take("samples", sampling.samples)

        field.valueChanged.connect(typed)
        self.fields["duration"] = field
        self.add(row(label("or duration", "quiet"), None, field))

    def _add_modes(self, modes: tuple[hits.RungMode, ...]) -> None:
        lines = [QLineEdit(one.written()) for one in modes]
        lines += [QLineEdit() for _ in range(min(1, _MOST_MODES - len(lines)))]

        def typed() -> None:
            try:
                rung_modes = tuple(
                    hits.parsed(line.text()) for line in lines if line.text().strip()
                )
            except (ValueError, TypeError):
                self.wrong.setText(
                    "Write a mode like 61.8 Hz 1.5 % 2: frequency, damping, amplitude."
                )
                self.wrong.show()
                self.adjustSize()
                return
            self._take("rung", rung_modes)

        for line in lines:
            line.setMinimumWidth(210)
            line.setPlaceholderText("one more: 143 Hz 1 % 0.5")
            line.editingFinished.connect(typed)
            self.add(line)
        self.fields["rung"] = lines[0]


def undone(making: Making, number: int, attribute: str) -> Callable[[], None]:
    """Taking back what a phrase of its own says: a swing, or a part of the time."""
    usual = {"start": {"start": 0.0, "end": 0.0}, "am": {"am": 0.0}, "fm": {"fm": 0.0}}[attribute]

    def act() -> None:
        made = making.made
        if made is not None and number < len(made.parts):
            parts = list(made.parts)
            parts[number] = replace(parts[number], **usual)
            making.change("Change part", replace(made, parts=tuple(parts)))

    return act


def closing(popover: Popover, text: str, tip: str, act: Callable[[], None]) -> QWidget:
    """A link that acts and closes the popover."""

    def done() -> None:
        act()
        popover.close()

    return link(text, tip, done)
