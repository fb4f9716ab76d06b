"""What the user says of single channels: how they are calibrated, and which are derived."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QDialog, QWidget

from tonecomb.core import document as edits
from tonecomb.core.record.sensors import ChannelGiven, say
from tonecomb.desktop.dialogs.calibrating import CalibrationDialog
from tonecomb.desktop.dialogs.deriving import DerivingDialog
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.messages import Notices
from tonecomb.desktop.state.store import Store


class Channels(QObject):
    """``dialog`` is the one that is up, None while there is none."""

    def __init__(self, window: QWidget, store: Store, jobs: Jobs, notices: Notices) -> None:
        super().__init__(window)
        self._window, self._store, self._jobs, self._notices = window, store, jobs, notices
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
        if ref.method.channel >= len(channels):
            self._notices.show_notice("A derived channel follows those it is made of.", fault=True)
            return
        in_file = channels[ref.method.channel]
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
        """Make a channel of others."""
        ref, recording = self._store.ref, self._store.current
        understood = self._store.understood(self._store.document.current)
        if ref is None or recording is None or understood is None or self.dialog is not None:
            return
        count = len(understood.recording.channels)
        rate = ref.given.rate or understood.recording.sample_rate or 1.0
        at = min(ref.method.channel, count - 1)
        in_file = recording.channels[:count]
        dialog = DerivingDialog(self._window, self._jobs, in_file, at, rate)

        def accepted() -> None:
            now = self._store.ref
            if now is None:
                return
            how = replace(now.conditioning, derived=(*now.conditioning.derived, dialog.derived))
            document = edits.set_conditioning(self._store.document, now, how)
            made = count + len(how.derived) - 1
            self._store.apply("Derive channel", edits.select(document, now.id, made))

        dialog.accepted.connect(accepted)
        self._open(dialog)

    def drop_derived(self) -> None:
        """Take the current channel away again, where it is a derived one."""
        ref, understood = self._store.ref, self._store.understood(self._store.document.current)
        if ref is None or understood is None:
            return
        at = ref.method.channel - len(understood.recording.channels)
        derived = ref.conditioning.derived
        if 0 <= at < len(derived):
            how = replace(ref.conditioning, derived=derived[:at] + derived[at + 1 :])
            document = edits.set_conditioning(self._store.document, ref, how)
            self._store.apply("Remove derived channel", document)
