"""Sessions: versioned JSON with recordings by relative path and fingerprint."""

from __future__ import annotations

import os
import re
from dataclasses import replace
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import unit
from tonecomb.core.method.document import Document, RecordingRef
from tonecomb.core.record.windows import window
from tonecomb.formats import atomic, files
from tonecomb.formats.json_text import json_text
from tonecomb.formats.session import limits, migrations, schema, strict
from tonecomb.version import __version__

FORMAT = "tone-comb session"
VERSION = 9
SUFFIX = ".tcomb"
SCRIPT = "tone-comb-session"
"""The id of the element of a report that holds its session."""
_IN_PAGE = re.compile(f'<script type="application/json" id="{SCRIPT}">([^<]*)</script>')


def to_json(document: Document, folder: Path) -> str:
    """The session's text, with paths relative to ``folder``."""
    content = schema.written(document)
    for ref in content["recordings"]:
        if ref["path"]:  # else it is made
            ref["path"] = Path(os.path.relpath(ref["path"], folder)).as_posix()
    body = {"format": FORMAT, "version": VERSION, "program": __version__, "document": content}
    return json_text(body) + "\n"


def _read(path: Path) -> str:
    """The session inside a report's page, which may be inside a PDF; other text as it is."""
    from tonecomb.formats.report.pdf import page_of

    text = page_of(path)
    found = _IN_PAGE.search(text) if text.lstrip().startswith("<") else None
    return text if found is None else found[1]


def save(path: Path, document: Document) -> None:
    """Write a session; it is either wholly written or the old one stays."""
    atomic.write_text(path, to_json(document, path.parent.absolute()))


def load(path: Path) -> Document:
    """Read a session, from its own file or out of a report. Paths come back absolute; whether the
    files are there is not checked.

    Raises :class:`UserError` for a file that is no session, or is from a newer program.
    """
    body = strict.read_body(path, FORMAT, tuple(range(1, VERSION + 1)), "a session", _read)
    content = migrations.migrated(body.get("document"), body["version"])
    try:
        document = schema.converter().structure(content, Document)
        limits.check(document)
        _check(document)
    except Exception as error:  # cattrs raises groups of whatever went wrong inside
        raise UserError(
            f"{path.name} is damaged", strict.first_cause(error), "go back to an earlier copy of it"
        ) from error
    folder = path.parent.absolute()
    refs = tuple(_absolute(ref, folder) for ref in document.recordings)
    return replace(document, recordings=refs)


def _absolute(ref: RecordingRef, folder: Path) -> RecordingRef:
    if ref.given.made is not None or ref.given.live:
        return replace(ref, path="")
    joined = os.path.normpath(folder / ref.path)
    return replace(ref, path=joined)


def _check(document: Document) -> None:
    ids = [ref.id for ref in document.recordings]
    if len(set(ids)) != len(ids):
        raise ValueError("two recordings have one id")
    if document.current is not None and document.current not in ids:
        raise ValueError("its current recording is not on the shelf")
    if any(trace.recording not in ids for trace in document.held):
        raise ValueError("a held trace is of no recording on the shelf")
    for trace in document.held:
        window(trace.method.frames.window)
    for ref in document.recordings:
        window(ref.method.frames.window)
        if ref.given.unit is not None:
            unit(ref.given.unit)
        if not (ref.path or ref.given.made or ref.given.live):
            raise ValueError(f"{ref.name} has neither a file nor a description")


def check_source(ref: RecordingRef) -> str | None:
    """None when the recording's file is as it was, else one sentence on what is different."""
    path = Path(ref.path)
    if not ref.path or files.fingerprint(path) == ref.fingerprint:
        return None
    return f"{path.name} has changed since the session was saved; its results may differ."
