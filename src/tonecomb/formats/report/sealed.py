"""What a report takes along so that it can be made again: the session that it is of, and what was
asked besides the method, as JSON inside its page."""

from __future__ import annotations

import json
from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.document import Document, Fingerprint, RecordingRef
from tonecomb.core.method.machine import Machine
from tonecomb.core.results.slices import Slicing
from tonecomb.formats import files
from tonecomb.formats.kinds.kind import ResultEntry
from tonecomb.formats.report.layout import Layout
from tonecomb.formats.report.part import ReportPart
from tonecomb.formats.report.pdf import page_of
from tonecomb.formats.session import limits, schema, session

SUFFIXES = (".html", ".pdf")
"""Of files that hold a report."""
_VIEW = "tone-comb-view"
_VOID = {
    "area",
    "base",
    "br",
    "col",
    "embed",
    "hr",
    "img",
    "input",
    "link",
    "meta",
    "source",
    "track",
    "wbr",
}
_DEEPEST, _NAMED = 200, 8  # elements in each other, and those with a name; ours are far fewer
_MOST = 2_000  # of slices, or of anything else that is asked for
_NUMBERS = {"slices": ("count", "every", "at", "width")}


@dataclass(frozen=True)
class Sealed:
    """What a report is of: a recording of the ``document`` for each of its ``parts``, and its
    ``layout``. ``figures`` are the words and numbers that stand in it, by name."""

    document: Document
    parts: tuple[SealedPart, ...]
    layout: Layout
    figures: dict[str, str]


@dataclass(frozen=True)
class SealedPart:
    """One channel: where its recording is and by which method, what was ``asked`` of kinds by
    their keys, the keys of those that cannot be computed again (``once``), and how the spectrum was
    shown."""

    ref: RecordingRef
    asked: dict[str, Hashable]
    once: tuple[str, ...]
    decibels: bool
    log_frequency: bool


def seal(parts: Sequence[ReportPart], folder: Path | None, layout: Layout) -> dict[str, str]:
    """The texts of the page's two scripts by their ids; none where a part is of what is neither in
    a file nor made. ``folder`` is where the page will lie."""
    refs, shown = [], []
    for i, one in enumerate(parts):
        made, path = one.said.given.made, one.recording.path
        if one.recording.live or (path is None and made is None):
            return {}
        place, fingerprint = "", Fingerprint(0, "")
        if path is not None and made is None:
            place, fingerprint = str(path.absolute()), files.fingerprint(path)
        said = one.said
        refs.append(
            RecordingRef(
                _id(i),
                one.recording.name,
                place,
                fingerprint,
                one.analysis.method,
                said.given,
                combs=said.combs,
                peak_notes=said.notes,
                mode_notes=said.modes,
                sketch=said.sketch,
                machine=Machine(shaft=said.shaft, known=said.known),
            )
        )
        shown.append(_view_of(one))
    where = Path(refs[0].path).parent if folder is None else folder.absolute()
    view = {"parts": shown, "layout": schema.written(layout)}
    return {
        session.SCRIPT: _in_script(session.to_json(Document(tuple(refs), refs[0].id), where)),
        _VIEW: _in_script(json.dumps(view)),
    }


def _id(number: int) -> str:
    """Of a part's recording in the session."""
    return "a" if number == 0 else f"a{number + 1}"


def _view_of(part: ReportPart) -> dict[str, Any]:
    """What was asked besides the method, and how the spectrum is shown."""
    told = {one.kind.key: _plain(one) for one in part.besides}
    return {
        "asked": {key: value for key, value in told.items() if value is not None},
        "once": [
            one.kind.key
            for one in part.besides
            if told[one.kind.key] is None
            and not one.kind.called_for(part.analysis.method, None)
            and one.kind.key != "spectrogram"
        ],
        "decibels": part.view.decibels,
        "log_frequency": part.view.log_frequency,
    }


def _plain(one: ResultEntry) -> Any:
    """What was asked, for JSON; None where that cannot be said in it."""
    asked = one.asked
    if isinstance(asked, Slicing):
        return {name: getattr(asked, name) for name in _NUMBERS["slices"]}
    if asked is True or (
        isinstance(asked, tuple) and all(isinstance(x, (int, float)) for x in asked)
    ):
        return asked
    return None


def _asked(key: str, value: Any) -> Hashable:
    if key == "slices":
        if not isinstance(value, dict) or set(value) != set(_NUMBERS["slices"]):
            raise ValueError("its slices are damaged")
        if (value["count"] or 0) > _MOST or len(value["at"]) > _MOST:
            raise ValueError("it asks for more slices than there may be")
        return Slicing(**(value | {"at": tuple(value["at"])}))
    if value is True:
        return True
    if isinstance(value, list) and all(isinstance(x, (int, float)) and x <= _MOST for x in value):
        return tuple(value)
    raise ValueError(f"what it asks of {key[:40]} is not known")


def _in_script(text: str) -> str:
    """JSON that cannot end the script in which it stands."""
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


class _Page(HTMLParser):
    """Finds the scripts of ours, and the text of every element with a figure's name."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.scripts: dict[str, list[str]] = {}
        self.figures: dict[str, list[str]] = {}
        self._open: list[str | None] = []
        self._named: list[list[str]] = []  # the words of those open ones that have a name
        self._script = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        said = dict(attrs)
        if tag == "script":
            self._script = said.get("id") or ""
        if tag not in _VOID:
            name = said.get("data-figure")
            self._open.append(name)
            if name:
                self._named.append([])
                self.figures[name] = self._named[-1]
            if len(self._open) > _DEEPEST or len(self._named) > _NAMED:
                raise ValueError("its elements lie too deep in each other")

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """An element without content, as in a picture."""

    def handle_endtag(self, tag: str) -> None:
        if tag == "script":
            self._script = ""
        if tag not in _VOID and self._open and self._open.pop():
            self._named.pop()

    def handle_data(self, data: str) -> None:
        if self._script:
            self.scripts.setdefault(self._script, []).append(data)
        else:
            for words in self._named:
                words.append(data)

    def words(self) -> dict[str, str]:
        """What stands in each element with a name, spaces made one."""
        return {name: " ".join("".join(said).split()) for name, said in self.figures.items()}


def figures_in(page: str) -> dict[str, str]:
    """Words and numbers of a page by the names of their elements, spaces made one."""
    found = _Page()
    found.feed(page)
    return found.words()


def opened(path: Path) -> Sealed:
    """What a report holds. Raises :class:`UserError` for a file that is none of ours."""
    files.head(path)
    lacks = UserError(
        f"{path.name} holds no session",
        "it is no report of Tone Comb, or an older one",
        "save the report anew, or open the session that it was made from",
    )
    try:
        if path.stat().st_size > limits.MOST_BYTES:
            raise ValueError("it is too large")
        page = _Page()
        page.feed(page_of(path))
        view = json.loads("".join(page.scripts[_VIEW]))
        limits.check_json(view)
        document = session.load(path)
        shown = view.get("parts", [view])  # as reports of one channel had it
        parts = tuple(
            SealedPart(
                ref,
                {key: _asked(key, value) for key, value in one["asked"].items()},
                tuple(map(str, one["once"])),
                bool(one["decibels"]),
                bool(one["log_frequency"]),
            )
            for ref, one in zip(document.recordings, shown, strict=True)
        )
        if not parts:
            raise ValueError("it is of no recording")
        layout = schema.converter().structure(view["layout"], Layout)
        layout.check()
        return Sealed(document, parts, layout, page.words())
    except (
        ExceptionGroup,
        ValueError,
        KeyError,
        TypeError,
        AttributeError,
        OSError,
        RecursionError,
    ) as error:
        raise lacks from error


def words_in(page: str) -> str:
    """What people read of a page, scripts and styles left out."""
    words = _Words()
    words.feed(page)
    return " ".join(" ".join(words.words).split())


class _Words(HTMLParser):
    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.words: list[str] = []
        self._hidden = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._hidden += tag in ("script", "style")

    def handle_endtag(self, tag: str) -> None:
        self._hidden -= tag in ("script", "style")

    def handle_data(self, data: str) -> None:
        if not self._hidden:
            self.words.append(data)
