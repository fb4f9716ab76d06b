"""What is done with each of many recordings: methods by rules, and limits."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from fnmatch import fnmatchcase
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.bands import Band
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Channel, Recording
from tonecomb.core.record.windows import window
from tonecomb.core.results.knowledge import NOTHING, Knowledge, knowledge
from tonecomb.core.results.zones import Limit
from tonecomb.formats.json_text import json_text
from tonecomb.formats.report import sealed
from tonecomb.formats.session import limits, schema, session, strict

FORMAT, VERSION = "tone-comb plan", 1
_MOST = 1_000  # rules, or limits


@dataclass(frozen=True)
class Rule:
    """A method for the channels that it fits: those whose recording's or own ``name`` matches a
    pattern like ``*gear*``, in this ``unit``, of a sample rate (Hz) within ``rate``; "" and None
    fit all. ``method`` is the usual one for the recording where it is None."""

    name: str = ""
    unit: str = ""
    rate: tuple[float, float] | None = None
    method: Method | None = None

    def fits(self, recording: Recording, channel: Channel) -> bool:
        """Whether it is for this channel."""
        wanted = self.name.lower()
        names = (recording.name.lower(), channel.name.lower())
        if wanted and not any(fnmatchcase(one, wanted) for one in names):
            return False
        if self.unit and self.unit != channel.unit:
            return False
        return self.rate is None or self.rate[0] <= recording.rate <= self.rate[1]


@dataclass(frozen=True)
class Plan:
    """The first rule that fits a channel says how it is analysed; a channel that none fits is left
    out, unless there are no rules at all. ``levels`` and ``limits`` hold for every channel: levels
    with zones are limits, too."""

    rules: tuple[Rule, ...] = ()
    limits: tuple[Limit, ...] = ()
    levels: tuple[Band, ...] = ()
    said: Knowledge = NOTHING

    def check(self) -> None:
        """Raise :class:`UserError` where it is no plan."""
        if max(len(self.rules), len(self.limits), len(self.levels)) > _MOST:
            raise UserError(f"A plan has at most {_MOST} rules, as many limits and levels")
        for limit in self.limits:
            limit.check()
        for level in self.levels:
            level.check()
        for rule in self.rules:
            if rule.method is not None:
                window(rule.method.frames.window)

    def methods(self, recording: Recording) -> list[Method]:
        """One for each channel that is to be analysed."""
        methods = []
        for i, channel in enumerate(recording.channels):
            rules = self.rules or (Rule(),)
            rule = next((one for one in rules if one.fits(recording, channel)), None)
            if rule is None:
                continue
            method = rule.method or Method()
            if self.levels:
                method = method.having(bands=(*self.levels, *method.levels))
            source = replace(method.source, channel=i, axes=())
            methods.append(replace(method, source=source).resolved(recording, self.said.shaft))
        return methods

    @property
    def digest(self) -> str:
        """What tells it from other plans, what is said of the machine and the files included."""
        return hashlib.sha256(f"{self.text}{self.said}".encode()).hexdigest()

    @property
    def text(self) -> str:
        """As a plan file has it."""
        converter = schema.converter()
        body = {
            "format": FORMAT,
            "version": VERSION,
            "rules": [converter.unstructure(one) for one in self.rules],
            "limits": [converter.unstructure(one) for one in self.limits],
            "levels": [converter.unstructure(one) for one in self.levels],
        }
        return json_text(body) + "\n"


def load(path: Path) -> Plan:
    """A plan from its own file, or the method of a session or a report for every channel.

    Raises :class:`UserError` where it is neither.
    """
    if path.suffix.lower() in (session.SUFFIX, *sealed.SUFFIXES):
        ref = session.load(path).current_ref
        if ref is None:
            raise UserError(f"{path.name} has no recording", remedy="save a session with one")
        said = replace(knowledge(ref), source=None)
        return Plan((Rule(method=ref.method),), said=said)
    body = strict.read_body(path, FORMAT, (VERSION,), "a plan")
    known = {"format", "version", "rules", "limits", "levels"}
    try:
        if unknown := sorted(set(body) - known):
            raise ValueError(f"‘{unknown[0][:40]}’ is not known")
        converter = schema.converter()
        plan = Plan(
            tuple(converter.structure(body.get("rules", []), tuple[Rule, ...])),
            tuple(converter.structure(body.get("limits", []), tuple[Limit, ...])),
            tuple(converter.structure(body.get("levels", []), tuple[Band, ...])),
        )
        limits.check(plan)
        plan.check()
    except UserError as error:
        raise UserError(f"{path.name} is no plan", error.text, "mend it") from error
    except Exception as error:  # cattrs raises groups of whatever went wrong inside
        raise UserError(f"{path.name} is no plan", strict.first_cause(error), "mend it") from error
    return plan
