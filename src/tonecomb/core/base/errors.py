"""Expected errors. Anything else that is raised is a defect."""

from __future__ import annotations

import re

_LONG = re.compile(r"(\S{150})\S{50,}")  # what a file holds is quoted no longer
_MOST = 400  # letters of what, why and remedy


def _cut(text: str) -> str:
    return text if len(text) <= _MOST else f"{text[:_MOST]}…"


class UserError(Exception):
    """Something the user can put right, told in one sentence.

    ``what`` is wrong, ``why`` (or where) it is so, and the ``remedy``. The three are joined
    into the one text that the command line and the bench show.
    """

    def __init__(self, what: str, why: str = "", remedy: str = "") -> None:
        self.what, self.why, self.remedy = (_cut(one) for one in (what, why, remedy))
        super().__init__(self.text)

    @property
    def text(self) -> str:
        """``what: why; remedy.`` as one sentence."""
        sentence = self.what.rstrip(".")
        if self.why:
            sentence += f": {self.why.rstrip('.')}"
        if self.remedy:
            sentence += f"; {self.remedy.rstrip('.')}"
        return _LONG.sub(r"\1…", sentence) + "."


class Cancelled(Exception):
    """Raised out of a progress call when the work is no longer wanted."""
