"""How the program starts itself."""

from __future__ import annotations

import sys

PYTHON = (sys.executable, "-P")
"""Without the current folder on its path: a folder of recordings may hold a ``queue.py``."""
