"""The words: one table for tooltips, manual and pages."""

from __future__ import annotations

import re
from pathlib import Path

from tonecomb.core.say.glossary import GLOSSARY, meaning


def test_the_page_says_the_same() -> None:
    page = (Path(__file__).parents[3] / "docs" / "glossary.md").read_text()
    rows = dict(re.findall(r"^\| (.+?) \| (.+) \|$", page, re.MULTILINE))
    del rows["word"]
    assert rows == GLOSSARY
    assert list(GLOSSARY) == sorted(GLOSSARY)


def test_a_meaning_is_a_sentence() -> None:
    assert meaning("tooth", "drag it") == "One line of a comb (drag it)"
