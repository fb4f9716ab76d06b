"""A bench for each test, closed in order at its end."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from tonecomb.desktop.bench import Bench


@pytest.fixture(scope="session")
def remembered() -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Estimates and findings are pure: what one test had computed of the demo's files, another
    need not compute again. The same file, read alike, with the same first samples, by the same
    method."""
    kept: dict[object, Any] = {}

    def remember(work: Callable[..., Any]) -> Callable[..., Any]:
        def remembering(*arguments: Any) -> Any:
            *first, method, recording, _ = arguments
            if recording.format == "live":  # each picture is another
                return work(*arguments)
            there = recording.samples.read(
                min(method.source.channel, len(recording.channels) - 1), 0, 512
            ).tobytes()
            key = (
                work.__name__,
                recording.path,
                recording.length,
                recording.sample_rate,
                recording.channels,
                recording.name,
                there,
                method,
            )
            if key not in kept:
                kept[key] = work(*arguments)
            found = kept[key]
            return replace(found, recording_id=recording.id) if not first else found

        return remembering

    return remember


@pytest.fixture(scope="session")
def opened_once(demo: Path) -> Callable[..., Any]:
    """The demo's files stay as they are: what was read of one serves the next test too."""
    from tonecomb.core.method.given import NOTHING_GIVEN
    from tonecomb.desktop.acts.opening import open_file

    kept: dict[Path, Any] = {}

    def opening(path: Path, given: Any, *rest: Any) -> Any:
        if path.parent != demo or given != NOTHING_GIVEN or len(rest) > 1:
            return open_file(path, given, *rest)
        if path not in kept:
            kept[path] = open_file(path, given, *rest)
        return kept[path]

    return opening


@pytest.fixture(scope="session")
def drawn_once() -> Callable[..., Any]:
    """And so does what was drawn of their samples."""
    from tonecomb.core.record import pyramid

    build_many = pyramid.build_many
    kept: dict[object, Any] = {}

    def building(samples: Any, channels: Any, *rest: Any) -> Any:
        key = (samples, tuple(channels), rest[0])
        if key not in kept:
            kept[key] = build_many(samples, channels, *rest)
        return kept[key]

    return building


@pytest.fixture(scope="session")
def clipping_once() -> Callable[..., Any]:
    """Nor are the places where they are at their limits looked for twice."""
    from tonecomb.core.record.clipping import clipped

    kept: dict[object, Any] = {}

    def looking(read: Any, built: Any) -> Any:
        if built not in kept:
            kept[built] = clipped(read, built)
        return kept[built]

    return looking


@pytest.fixture
def bench(
    qtbot: object,
    qapp: object,
    own_folders: Path,
    demo: Path,
    remembered: Callable[[Callable[..., Any]], Callable[..., Any]],
    opened_once: Callable[..., Any],
    drawn_once: Callable[..., Any],
    clipping_once: Callable[..., Any],
) -> Iterator[Bench]:
    """An empty bench; the demo's folder is already filled."""
    from tonecomb.core.record import pyramid
    from tonecomb.core.say import cautions
    from tonecomb.core.steps.sections import get_ready
    from tonecomb.demo import ropeway
    from tonecomb.desktop.acts import opening
    from tonecomb.desktop.bench import Bench
    from tonecomb.desktop.kit import settings
    from tonecomb.desktop.state import advice, envelopes, results, scheduler

    get_ready()  # or a job more would be under way, now and then
    settings.settings().clear()
    settings.imports_file().unlink(missing_ok=True)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(ropeway, "folder", lambda: demo)
        for work in (results.run_spectrum, results.run_findings):
            patch.setattr(results, work.__name__, remembered(work))
        patch.setattr(advice, "look", cautions.look)  # which remembers
        patch.setattr(scheduler, "_SETTLE_MS", 5)  # nobody types here
        patch.setattr(opening, "open_file", opened_once)
        patch.setattr(pyramid, "build_many", drawn_once)
        patch.setattr(envelopes, "clipped", clipping_once)
        made = Bench()
        made.resize(1280, 800)
        made.setUpdatesEnabled(False)  # all is laid out, nothing painted, unless a test wants it
        made.show()
        yield made
        patch.setattr(made.workspace, "may_discard", lambda what: True)
        made.close()
        made.deleteLater()


@pytest.fixture
def settle(bench: Bench, qtbot: Any) -> Callable[[], None]:
    """Wait until nothing is under way: every result that the document wants is there."""

    def quiet() -> bool:
        asking = bench.opening.dialog
        return not bench.context.scheduler.busy and not (asking is not None and asking.busy)

    def wait() -> None:
        qtbot.wait(1)  # what was clicked has its effect
        if not quiet():
            qtbot.waitUntil(quiet, timeout=60_000)  # beside other tests
        qtbot.wait(1)  # what arrived is laid out, and may want more
        if not quiet():
            wait()

    return wait


@pytest.fixture
def opened(bench: Bench, settle: Callable[[], None]) -> Bench:
    """A bench with the demo open and analysed."""
    bench.opening.open_demo()
    settle()
    return bench


@pytest.fixture
def runup(opened: Bench, settle: Callable[[], None]) -> Bench:
    """The motor's channel of the run-up."""
    from tonecomb.core.method.document import select

    ref = next(r for r in opened.store.document.recordings if r.name == "run-up")
    opened.store.apply("Choose", select(opened.store.document, ref.id, 0))
    opened.store.edit_method("Frame", frame=4096)
    settle()
    return opened


@pytest.fixture
def titles(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """What is submitted to the threads from now on."""
    seen: list[str] = []
    submit = bench.context.jobs.submit

    def counted(title: str, *rest: object, **options: object) -> object:
        seen.append(title)
        return submit(title, *rest, **options)  # type: ignore[arg-type]

    monkeypatch.setattr(bench.context.jobs, "submit", counted)
    return seen
