"""Tone Comb: frequency analysis of vibration recordings.

import tonecomb

recording = tonecomb.open("drive-station.flac")
result = tonecomb.analyse(recording, tonecomb.Method.of(channel=1, frame=16384))
for peak in result.peaks:
    print(peak.tone.frequency, peak.tone.frequency_std)
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from tonecomb.version import __version__ as __version__

if TYPE_CHECKING:
    from tonecomb.api import *  # noqa: F403


def __getattr__(name: str) -> Any:
    """What :mod:`tonecomb.api` offers, brought in when it is first asked for: the command line
    starts without it."""
    if name.startswith("__") and name != "__all__":
        raise AttributeError(name)
    api = import_module("tonecomb.api")
    if name == "__all__" or name in api.__all__:
        return getattr(api, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")


def __dir__() -> list[str]:
    return [*globals(), *import_module("tonecomb.api").__all__]
