"""What a report is of: this channel, all channels, or everything on the shelf."""

from __future__ import annotations

from dataclasses import dataclass, replace

from tonecomb.core.base.progress import Progress, part
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.knowledge import Knowledge, knowledge
from tonecomb.desktop.kit import settings
from tonecomb.desktop.state.store import Store
from tonecomb.formats.analysed import analyse
from tonecomb.formats.report.part import ReportPart

SCOPES = {
    "channel": "This channel",
    "recording": "All channels of this recording",
    "shelf": "Every recording on the shelf",
}
_SETTING = "report-of"


def kept_scope() -> str:
    """What was chosen last; this channel where nothing was."""
    kept = str(settings.settings().value(_SETTING, ""))
    return kept if kept in SCOPES else next(iter(SCOPES))


def keep_scope(scope: str) -> None:
    """For the next report."""
    settings.settings().setValue(_SETTING, scope)


@dataclass(frozen=True, eq=False)
class WantedParts:
    """A channel that a report is of; ``current`` where it is the one that is shown."""

    recording: Recording
    method: Method
    said: Knowledge
    current: bool

    def part(self, progress: Progress) -> ReportPart:
        """Analysed by its method."""
        done = analyse(self.recording, self.method, said=self.said, progress=progress)
        return done.part


def wanted(store: Store, scope: str) -> list[WantedParts]:
    """The channels of a scope, in the order of the shelf; recordings whose file is not there are
    left out."""
    ref = store.ref
    wanted_parts: list[WantedParts] = []
    for one in store.document.recordings if scope == "shelf" else () if ref is None else (ref,):
        signal, here = store.signal(one.id), ref is not None and one.id == ref.id
        if signal is None:
            continue
        recording, method = replace(signal.recording, name=one.name), one.method
        chosen = method.source.channel
        for i in range(len(signal.channels)) if scope == "recording" else (chosen,):
            own = method if i == chosen else method.having(channel=i)
            wanted_parts.append(WantedParts(recording, own, knowledge(one), here and i == chosen))
    return wanted_parts


def parts(of: list[WantedParts], shown: ReportPart, progress: Progress) -> list[ReportPart]:
    """All of them analysed, the current one as it is ``shown``."""
    made = []
    for i, one in enumerate(of):
        share = part(progress, i / len(of), (i + 1) / len(of))
        made.append(shown if one.current else one.part(share))
    return made or [shown]
