"""Making a channel of others, as a sentence."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QCheckBox,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.base.units import conversion
from tonecomb.core.record.recording import Channel
from tonecomb.core.steps.chain import channels_of
from tonecomb.core.steps.combine import Difference, Sum, VectorSum
from tonecomb.core.steps.motion import Derivative, DoubleIntegral, Integral, Motion
from tonecomb.core.steps.scale import Scale
from tonecomb.core.steps.step import Step
from tonecomb.desktop.dialogs.form import Form
from tonecomb.desktop.kit.widgets import Choice, Number, label, row
from tonecomb.desktop.state.jobs import Job, Jobs

_KINDS: list[tuple[type[Step], str]] = [
    (VectorSum, "the vector sum (root of the sum of squares)"),
    (Difference, "the first less the others"),
    (Sum, "the sum"),
    (Scale, "a multiple"),
    (Integral, "the integral (acceleration to velocity)"),
    (DoubleIntegral, "the double integral (acceleration to displacement)"),
    (Derivative, "the derivative"),
]


class DerivingDialog(Form):
    """``derived`` is the step that makes it."""

    def __init__(
        self,
        parent: QWidget,
        jobs: Jobs,
        channels: tuple[Channel, ...],
        current: int,
        rate: float,
    ) -> None:
        super().__init__(parent)
        self._jobs = jobs
        self._job: Job | None = None
        self.setWindowTitle("Derive a channel")
        self._channels = channels
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 14, 16, 14)
        outer.setSpacing(10)
        self.kind = Choice(_KINDS, Integral, "What to make")
        self.kind.picked.connect(lambda _: self._show())
        outer.addLayout(row(label("Make"), self.kind, label("of"), None))
        self.boxes = []
        for i, channel in enumerate(channels):
            box = QCheckBox(f"{channel.name}, {channel.unit}")
            box.setChecked(i == current)
            box.toggled.connect(lambda on, i=i: self._toggled(i, on))
            outer.addWidget(box)
            self.boxes.append(box)
        self._low = Number(min(1.0, rate / 8), 1e-6, rate / 4, 6, "Hz", shortest=True)
        self._low.setAccessibleName("Low cut")
        self._low.valueChanged.connect(lambda _: self._show())
        self._low_words = label("with everything below a low cut of"), label("left out")
        outer.addLayout(row(self._low_words[0], self._low, self._low_words[1], None))
        self._factor = Number(1.0, -1e12, 1e12, 9, "", shortest=True)
        self._factor.setAccessibleName("Factor")
        self._factor.valueChanged.connect(lambda _: self._show())
        self._factor_word = label("times")
        outer.addLayout(row(self._factor_word, self._factor, None))
        self._name = QLineEdit()
        self._name.setAccessibleName("Name")
        outer.addLayout(row(label("called"), self._name))
        self._told = label("", "quiet", wrap=True)
        outer.addWidget(self._told)
        outer.addStretch(1)
        self.make, leave = QPushButton("Make it"), QPushButton("Cancel")
        self.make.setDefault(True)
        self.make.clicked.connect(self.accept)
        leave.clicked.connect(self.reject)
        outer.addLayout(row(None, leave, self.make, spacing=12))
        self.setMinimumWidth(520)
        self._order = [current]
        self._show()

    @property
    def _single(self) -> bool:
        """Whether it is made of one channel."""
        kind = self.kind.value
        return issubclass(kind, Motion) or kind is Scale

    @property
    def derived(self) -> Step:
        """What is chosen now; channels in the order in which they were ticked."""
        kind, name = self.kind.value, self._name.text().strip()
        chosen = tuple(self._order[-1:]) if self._single else tuple(self._order)
        step: Step
        if issubclass(kind, Motion):
            step = kind(chosen, self._low.value(), name)
        elif kind is Scale:
            step = Scale(chosen, self._factor.value(), name)
        else:
            step = kind(chosen, name)
        return step

    def _toggled(self, index: int, on: bool) -> None:
        self._order = [i for i in self._order if i != index] + ([index] if on else [])
        self._show()

    def _show(self) -> None:
        step, single = self.derived, self._single
        if single:  # one at a time
            for i, box in enumerate(self.boxes):
                box.blockSignals(True)
                box.setChecked(i in channels_of(step))
                box.blockSignals(False)
            self._order = list(channels_of(step))
        for widget in (*self._low_words, self._low):
            widget.setVisible(isinstance(step, Motion))
        for widget in (self._factor_word, self._factor):
            widget.setVisible(isinstance(step, Scale))
        self._name.setPlaceholderText(step.words([c.name for c in self._channels]))
        least = 1 if single else 2
        self.make.setEnabled(False)
        if len(channels_of(step)) < least:
            self._told.setText("Choose two channels or more.")
        else:
            self._ask_unit(step)

    def _ask_unit(self, made: Step) -> None:
        """Say which unit it will be in; in a thread, for an unusual unit takes a second."""
        if self._job is not None:
            self._job.cancel()
        first, *rest = (self._channels[i] for i in channels_of(made))

        def work(_: object) -> str:
            for other in rest:
                conversion(other.unit, first.unit)
            return made.unit_of(first)[0] if isinstance(made, Motion) else first.unit

        def done(symbol: str) -> None:
            self._job = None
            self._told.setText(f"It will be in {symbol}.")
            self.make.setEnabled(True)

        def failed(error: Exception) -> None:
            self._job = None
            self._told.setText(str(error))

        self._job = self._jobs.submit("Reading the units", work, done, failed, owner=self)

    def done(self, result: int) -> None:
        if self._job is not None:
            self._job.cancel()
        super().done(result)
