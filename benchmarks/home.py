"""A home of its own for a bench that is measured, without a screen."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path


@contextlib.contextmanager
def offscreen_home() -> Iterator[Path]:
    """A folder that is gone afterwards."""
    with tempfile.TemporaryDirectory() as folder:
        for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
            os.environ[name] = folder
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
        yield Path(folder)
