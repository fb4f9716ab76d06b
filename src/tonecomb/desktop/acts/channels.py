"""What the user says of single channels: how they are calibrated, and which are derived."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QDialog

from tonecomb.core.method import document as edits
from tonecomb.core.record.sensors import ChannelGiven, say
from tonecomb.core.steps.chain import without_channel
from tonecomb.desktop.dialogs.calibrating import CalibrationDialog
from tonecomb.desktop.dialogs.deriving import DerivingDialog
from tonecomb.desktop.edits.context import Context


class Channels(QObject):
    """``dialog`` is the one that is up, None while there is none."""

    def __init__(self, context: Context) -> None:
        super().__init__(context.window)
        self._window, self._store = context.window, context.store
        self._jobs, self._notices = context.jobs, context.notices
        self.dialog: QDialog | None = None

    def _open(self, dialog: QDialog) -> None:
        self.dialog = dialog

        def closed(_: int) -> None:
            self.dialog = None
            dialog.deleteLater()

        dialog.finished.connect(closed)
        dialog.open()

    def calibrate(self) -> None:
        """Say what the current channel's sensor and amplifier are."""
        ref, understood = self._store.ref, self._store.understood(self._store.document.current)
        if ref is None or understood is None or self.dialog is not None:
            return
        channels = understood.recording.channels
        if ref.method.source.channel >= len(channels):
            self._notices.show_notice("A derived channel follows those it is made of.", fault=True)
            return
        in_file = channels[ref.method.source.channel]
        said = next((c for c in ref.given.channels if c.channel == in_file.name), None)
        dialog = CalibrationDialog(
            self._window, self._jobs, self._notices, in_file, len(channels), said
        )

        def accepted() -> None:
            names = [c.name for c in channels] if dialog.for_all else [in_file.name]
            self._say([replace(dialog.said, channel=name) for name in names])

        dialog.accepted.connect(accepted)
        self._open(dialog)

    def _say(self, said: list[ChannelGiven]) -> None:
        ref = self._store.ref
        if ref is None:
            return
        given = ref.given.channels
        for one in said:
            name = next((old.name for old in given if old.channel == one.channel), None)
            given = say(given, replace(one, name=name))
        changed = replace(ref, given=replace(ref.given, channels=given))
        self._store.apply(
            "Calibrate channel", edits.change_recording(self._store.document, changed)
        )

    def derive(self) -> None:
        """Make a channel of others: one more step."""
        ref, signal = self._store.ref, self._store.current
        if ref is None or signal is None or self.dialog is not None:
            return
        at = min(ref.method.source.channel, len(signal.channels) - 1)
        dialog = DerivingDialog(self._window, self._jobs, signal.channels, at, signal.rate)

        def accepted() -> None:
            now, before = self._store.ref, self._store.current
            if now is None or before is None:
                return
            steps = (*now.method.source.steps, dialog.derived)
            document = edits.set_steps(self._store.document, now, steps)
            number = len(before.channels)
            self._store.apply("Derive channel", edits.select(document, now.id, number))

        dialog.accepted.connect(accepted)
        self._open(dialog)

    def drop_derived(self) -> None:
        """Take the current channel away again, where it is a derived one, and what was made of
        it."""
        ref = self._store.ref
        own = len(self._store.own_channels(self._store.document.current))
        if ref is None or not own:
            return
        steps = without_channel(ref.method.source.steps, own, ref.method.source.channel)
        if steps != ref.method.source.steps:
            document = edits.set_steps(self._store.document, ref, steps)
            self._store.apply("Remove derived channel", document)
