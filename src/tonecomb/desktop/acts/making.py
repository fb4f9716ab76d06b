"""Made recordings from menus: new ones, their descriptions as files, what a slower logger would
have shown, and a known tone as a check."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog

from tonecomb.core.base.errors import UserError
from tonecomb.core.method import document as edits
from tonecomb.core.record.sensors import ChannelGiven, say
from tonecomb.core.results.known_tone import calibration
from tonecomb.core.steps.as_sampled import AsSampled
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.starters import PLAIN
from tonecomb.desktop.dialogs.known_tone import KnownToneDialog
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings
from tonecomb.desktop.method_line.line import MethodLine
from tonecomb.desktop.method_line.step_editors import first_of
from tonecomb.desktop.readings.readings import Readings
from tonecomb.desktop.stage.stage import Stage
from tonecomb.formats import made_json

_LEAST_FRAME = 64


class MakingActs(QObject):
    """``dialog`` is the check while it is up."""

    def __init__(
        self, context: Context, stage: Stage, readings: Readings, line: MethodLine
    ) -> None:
        super().__init__(context.window)
        self._context, self._store, self._making = context, context.store, context.making
        self._stage, self._readings, self._line = stage, readings, line
        self.dialog: KnownToneDialog | None = None

    def begin(self, made: Made = PLAIN) -> None:
        """Put a made recording on the shelf, and show what is known of it."""
        try:
            self._making.begin(made)
        except UserError as error:
            self._context.notices.tell(error)
            return
        self._readings.show_page("truth")

    def save_description(self) -> None:
        """Save the description of the current recording."""
        made = self._making.made
        if made is None:
            user_error = UserError(
                "Only a made recording has a description", remedy="make one (Ctrl+M)"
            )
            self._context.notices.tell(user_error)
            return
        start = settings.folder_of(None) / f"{made.name}{made_json.SUFFIX}"
        chosen, _ = QFileDialog.getSaveFileName(
            self._context.window, "Save description", str(start), "Description (*.json)"
        )
        if not chosen:
            return
        path = Path(chosen)
        path = path if path.suffix else path.with_suffix(made_json.SUFFIX)
        try:
            made_json.save(path, made)
        except UserError as error:
            self._context.notices.tell(error)
            return
        self._context.notices.show_notice(f"Saved {path}.")

    def as_sampled(self) -> None:
        """Hold the trace as it is and take the samples anew, slower: the two stand side by side,
        and the popover of the steps says how slow and how coarse."""
        ref, signal = self._store.ref, self._store.current
        if ref is None or signal is None:
            return
        channel = min(ref.method.source.channel, len(signal.channels) - 1)
        step = first_of(AsSampled, signal, channel)
        assert isinstance(step, AsSampled)
        steps = (*ref.method.source.steps, step)
        try:
            slower = prepare(signal.recording, steps)
        except UserError as error:
            self._context.notices.tell(error)
            return
        self._context.held.hold()
        document = self._store.document
        now = document.get(ref.id)
        if now is None:
            return
        document = edits.set_steps(document, now, steps)
        changed = document.get(ref.id)
        assert changed is not None
        frame = changed.method.frames.frame  # as long in time as before
        while frame > _LEAST_FRAME and frame / slower.rate > 1.5 * frame_s(now, signal.rate):
            frame //= 2
        changed = replace(changed, method=changed.method.having(frame=min(frame, slower.length)))
        self._store.apply("As sampled at", edits.change_recording(document, changed))
        self._stage.spectra.set_side_by_side(True)
        self._line.edit("steps")

    def check(self) -> None:
        """Hold the current channel against a tone that is known, as a calibrator's."""
        analysis, ref = self._context.results.analysis, self._store.ref
        own = self._store.own_channels(self._store.document.current)
        if analysis is None or ref is None or self.dialog is not None:
            return
        if ref.method.source.channel >= len(own):
            user_error = UserError("A derived channel follows those it is made of")
            self._context.notices.tell(user_error)
            return
        others = [
            (one.name, one.given.made)
            for one in self._store.document.recordings
            if one.given.made is not None and one.id != ref.id
        ]
        dialog = KnownToneDialog(self._context.window, analysis, others)
        self.dialog = dialog

        def accepted() -> None:
            now = self._store.ref
            if now is None or dialog.checked is None:
                return
            name = own[now.method.source.channel].name
            said = next((c for c in now.given.channels if c.channel == name), ChannelGiven(name))
            new = replace(said, calibration=calibration(dialog.checked, said.calibration))
            given = replace(now.given, channels=say(now.given.channels, new))
            changed = edits.change_recording(self._store.document, replace(now, given=given))
            self._store.apply("Calibrate by a known tone", changed)

        def closed(_: int) -> None:
            self.dialog = None
            dialog.deleteLater()

        dialog.accepted.connect(accepted)
        dialog.finished.connect(closed)
        dialog.open()


def frame_s(ref: edits.RecordingRef, rate: float) -> float:
    """How long a frame lasts, s."""
    return ref.method.frames.frame / rate
