"""Choosing between which channels a transfer function is, and how its frames are made."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import unit
from tonecomb.core.method.frf_settings import ESTIMATORS, FORMS, FrfSettings
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.kit.widgets import Choice, Number, Popover, label, link, row
from tonecomb.desktop.state.store import Store

_RANGE = 0.15  # of the sample rate, up to which modes are looked for at first


def suggested(signal: Signal, known: FrfSettings | None, channel: int) -> FrfSettings:
    """What is asked, or what suits the recording: the channel of a force is the reference, and its
    taps make the frames; without one the method's frames over the first other channel."""
    if known is not None:
        return known
    forces = [i for i, one in enumerate(signal.channels) if _is_force(one.unit)]
    if forces:
        return FrfSettings(forces[0], high=round(_RANGE * signal.rate, -1), low=10.0)
    if len(signal.channels) < 2:
        return FrfSettings(None, hits=True)
    return FrfSettings(next(i for i in range(len(signal.channels)) if i != channel), hits=False)


def _is_force(symbol: str) -> bool:
    try:
        return unit(symbol).quantity == "Force"
    except UserError:
        return False


class TransferPopover(Popover):
    """Nothing is computed until all is said: a link applies it."""

    def __init__(
        self, store: Store, signal: Signal, between: FrfSettings, known: bool, parent: QWidget
    ) -> None:
        super().__init__(
            parent,
            "Transfer function",
            "What passes from one channel to the others. With taps a frame begins ahead of each, "
            "and ends before the next; hits are never tapered by Hann and its like.",
        )
        self._store, self._signal, self._before = store, signal, between
        names: list[tuple[int | None, str]] = [
            (i, channel.name) for i, channel in enumerate(signal.channels)
        ]
        self.reference = Choice(
            [*names, (None, "nothing: what rings after taps")], between.reference, "Reference"
        )
        self.hits = Choice(
            ((True, "frames at taps"), (False, "frames of the method")), between.hits, "Frames"
        )
        self.estimator = Choice(
            [(key, name) for key, (name, _) in ESTIMATORS.items()], between.estimator, "Estimator"
        )
        self.form = Choice([(key, name) for key, (name, _) in FORMS.items()], between.form, "Form")
        longest = float(signal.length)
        self.frame = Number(between.frame, 0, longest, 0, "samples")
        self.frame.setToolTip("0 for as long as the taps allow")
        self.before = Number(1000 * between.before, 0.1, 10_000, 3, "ms", shortest=True)
        self.decay = Number(between.decay, 0, 10_000, 4, "s", shortest=True)
        self.decay.setToolTip("Time constant; 0 for none. Its damping is taken off the modes")
        self.pulse = Choice(
            ((True, "force window"), (False, "no force window")), between.pulse, "Force window"
        )
        nyquist = signal.rate / 2
        self.low = Number(between.low, 0, nyquist, 3, "Hz", shortest=True)
        self.high = Number(between.high, 0, nyquist, 3, "Hz", shortest=True)
        self.high.setToolTip("0 to look for no modes")
        self.order = Number(between.order, 4, 100, 0, "")
        for field, name in (
            (self.frame, "Frame"),
            (self.before, "Ahead of a tap"),
            (self.decay, "Exponential"),
            (self.low, "Modes from"),
            (self.high, "Modes up to"),
            (self.order, "Highest order"),
        ):
            field.setAccessibleName(name)
        self._of_taps = QWidget()
        self._of_taps.setLayout(
            row(
                self.frame,
                label("from"),
                self.before,
                label("before, exponential"),
                self.decay,
                self.pulse,
                None,
            )
        )
        self.wrong = label("", "quiet", wrap=True)
        use = link("Work it out", "Taps, curves and modes", self.apply)
        none = link("No transfer function", "Leave it", self._drop)
        none.setVisible(known)
        self.add(
            row(label("Over"), self.reference, self.hits, self.estimator, self.form, None),
            self._of_taps,
            row(
                label("Modes from"),
                self.low,
                label("to"),
                self.high,
                label("order up to"),
                self.order,
                None,
            ),
            self.wrong,
            row(use, none, None, spacing=16),
        )
        for choice in (self.hits, self.reference):
            choice.picked.connect(lambda _: self._arrange())
        self.setFocusProxy(self.reference)
        self._arrange()

    def _arrange(self) -> None:
        alone = self.reference.value is None
        self._of_taps.setVisible(self.hits.value or alone)
        for widget in (self.estimator, self.form):
            widget.setEnabled(not alone)
        self.adjustSize()

    def apply(self) -> None:
        """Take what is said, or tell what is wrong with it."""
        reference = self.reference.value
        own = () if reference is None else (reference,)
        between = replace(
            self._before,
            reference=reference,
            hits=self.hits.value or reference is None,
            answers=self._answers(own),
            estimator=self.estimator.value,
            form=self.form.value,
            frame=int(self.frame.value()),
            before=self.before.value() / 1000,
            decay=self.decay.value(),
            pulse=self.pulse.value,
            low=self.low.value(),
            high=self.high.value(),
            order=int(self.order.value()),
        )
        try:
            between.check(self._signal)
        except UserError as error:
            self.wrong.setText(error.text)
            self.adjustSize()
            return
        self._store.edit_method("Choose transfer function", between=between)
        self.close()

    def _answers(self, own: tuple[int, ...]) -> tuple[int, ...]:
        """Those chosen before; a force answers nothing."""
        kept = tuple(i for i in self._before.answers if i not in own)
        if kept or own:
            return kept
        return tuple(i for i, one in enumerate(self._signal.channels) if not _is_force(one.unit))

    def _drop(self) -> None:
        self._store.edit_method("Leave the transfer function", between=None)
        self.close()


def open_transfer(store: Store, anchor: QWidget) -> None:
    """Ask between which channels."""
    signal, method = store.current, store.method
    if signal is None or method is None:
        return
    between = suggested(signal, method.between, method.source.channel)
    popover = TransferPopover(store, signal, between, method.between is not None, anchor)
    popover.open_below(anchor, popover.reference)
