"""The units in which all that is worked out is shown, all over a session."""

from __future__ import annotations

from tonecomb.core.base.units import System
from tonecomb.core.method.document import Document
from tonecomb.desktop.kit import settings

_KEY = "units"


def system_of(document: Document) -> System:
    """That of the session's recordings; of one that has none yet as it was last chosen."""
    chosen = str(settings.settings().value(_KEY, "metric"))
    first = next(iter(document.recordings), None)
    system = chosen if first is None else first.method.shown.display.units
    return "inch" if system == "inch" else "metric"


def choose(system: System) -> None:
    """Of sessions that are begun from now on."""
    settings.settings().setValue(_KEY, system)
