"""The popover of the chain: what is done to the samples before they are analysed, in the user's
order."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QInputDialog, QLabel, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.method import document as edits
from tonecomb.core.method.document import Chain
from tonecomb.core.steps.keep import Keep
from tonecomb.core.steps.motion import Motion
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step
from tonecomb.core.steps.table import STEPS
from tonecomb.desktop.kit.rows_popover import RowsPopover
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import Choice, label, link
from tonecomb.desktop.method_line.step_editors import fields_of, first_of
from tonecomb.desktop.state.store import Store
from tonecomb.desktop.state.systems import system_of


class ChainPopover(RowsPopover):
    """A row a step. What is changed is applied at once."""

    def __init__(self, store: Store, parent: QWidget) -> None:
        self.kind = Choice(
            [(None, "Add a step …"), *((kind, kind.title) for kind in STEPS)], None, "Add a step"
        )
        shelve = link(
            "Put it on the shelf…",
            "Keep this chain under a name, below its recording",
            self._shelve,
        )
        plain = link("As recorded", "Do nothing of this", self._clear)
        super().__init__(
            parent,
            "Before the analysis",
            "Done to the samples from top to bottom, before they are analysed. The file stays as "
            "it is.",
            (self.kind, shelve, plain),
        )
        self._store = store
        self._recording = store.recording(store.document.current)
        self._notes: dict[int, QLabel] = {}
        self.kind.picked.connect(self._add)
        self.setFocusProxy(self.kind)
        self._fill()

    @property
    def _steps(self) -> tuple[Step, ...]:
        method = self._store.method
        return () if method is None else method.source.steps

    def _apply(self, steps: tuple[Step, ...], merge: str | None = None) -> bool:
        """Have these steps; False, and a word on why, where they cannot be."""
        ref, recording = self._store.ref, self._recording
        if ref is None or recording is None:
            return False
        try:
            prepare(recording, steps)
        except UserError as error:
            self.wrong.setText(error.text)
            return False
        self.wrong.setText("")
        document = edits.set_steps(self._store.document, ref, steps)
        self._store.apply("Change steps", document, merge)
        return True

    def _fill(self) -> None:
        self.fill(self._rows_of_steps())

    def _rows_of_steps(self) -> Iterator[QWidget]:
        recording, steps = self._recording, self._steps
        self._notes.clear()
        if recording is None:
            return
        for i, step in enumerate(steps):
            before = prepare(recording, steps[:i])
            line = QWidget()
            inside = QHBoxLayout(line)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.addWidget(self._switch(i, step))
            for field in fields_of(step, before, partial(self._change, i)):
                inside.addWidget(field)
            if isinstance(step, Keep):
                inside.addWidget(
                    link(
                        "the stretch",
                        "Keep only the stretch that is chosen",
                        partial(self._keep_stretch, i),
                    )
                )
            inside.addStretch(1)
            for text, tip, act, possible in (
                ("↑", "Do it earlier", partial(self._move, i, -1), i > 0),
                ("↓", "Do it later", partial(self._move, i, 1), i < len(steps) - 1),
                ("Drop", f"Without this step: {step.title.lower()}", partial(self._drop, i), True),
            ):
                button = link(text, tip, act)
                button.setEnabled(possible)
                inside.addWidget(button)
            yield line
            if note := _note(step, before.rate):
                told = label(note, "quiet")
                told.setFont(font(9))
                told.setIndent(22)
                self._notes[i] = told
                yield told

    def _switch(self, number: int, step: Step) -> QWidget:
        """Its name; with a tick, where it can be left out and come back."""
        if step.adds:  # others may be made of the channel that it adds
            return label(step.title)
        switch = QCheckBox(step.title)
        switch.setChecked(not step.off)
        switch.setToolTip("Leave it out, or have it back")
        switch.toggled.connect(lambda on: self._turn(number, not on))
        return switch

    def _turn(self, number: int, off: bool) -> None:
        steps = list(self._steps)
        if number < len(steps):
            steps[number] = replace(steps[number], off=off)
            self._apply(tuple(steps))

    def _add(self, kind: type[Step] | None) -> None:
        method, recording = self._store.method, self._recording
        self.kind.choose(None)
        if kind is None or method is None or recording is None:
            return
        signal = prepare(recording, self._steps)
        channel = min(method.source.channel, len(signal.channels) - 1)
        step = first_of(kind, signal, channel)
        if isinstance(step, Motion):
            step = replace(step, units=system_of(self._store.document))
        self._apply((*self._steps, step))
        self._fill()

    def _change(self, number: int, step: Step) -> None:
        steps = list(self._steps)
        if number < len(steps):
            steps[number] = step
            if self._apply(tuple(steps), merge=f"step {number}"):
                self._tell(number, step)

    def _tell(self, number: int, step: Step) -> None:
        """What is worth knowing of a step, as it is now."""
        if (told := self._notes.get(number)) is not None and self._recording is not None:
            told.setText(_note(step, prepare(self._recording, self._steps[:number]).rate))

    def _keep_stretch(self, number: int) -> None:
        method = self._store.method
        step = self._steps[number]
        if method is None or method.source.stretch is None or not isinstance(step, Keep):
            return
        stretch = method.source.stretch
        self._change(number, Keep(step.start + stretch.start, step.start + stretch.end))
        self._fill()

    def _move(self, number: int, by: int) -> None:
        steps = list(self._steps)
        steps.insert(number + by, steps.pop(number))
        self._apply(tuple(steps))
        self._fill()

    def _drop(self, number: int) -> None:
        self._apply(self._steps[:number] + self._steps[number + 1 :])
        self._fill()

    def _clear(self) -> None:
        self._apply(tuple(step for step in self._steps if step.adds))
        self._fill()

    def _shelve(self) -> None:
        ref = self._store.ref
        if ref is None:
            return
        name, ok = QInputDialog.getText(
            self, "Put on the shelf", "Name of the chain:", text=f"chain {len(ref.chains) + 1}"
        )
        if ok and name.strip():
            chain = Chain(name.strip(), ref.method.source.channel, self._steps)
            self._store.apply(
                "Put chain on the shelf", edits.put_chain(self._store.document, ref, chain)
            )


def _note(step: Step, fs: float) -> str:
    try:
        return step.note(fs)
    except UserError:  # told below the rows
        return ""
