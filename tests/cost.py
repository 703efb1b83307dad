"""What each test costs: a ceiling of processor seconds, and the dearest of a run, so that growth is seen."""

from __future__ import annotations

import os
import sys
from collections import Counter
from collections.abc import Iterator

import pytest

CEILING_S = 5.0
"""Processor seconds a test may take, with what is made for it alone; one that needs more is marked heavy, with why."""
COUNTED, USUAL_S = 2_000_000, 0.1
"""So far a machine of 2020 counts in so many processor seconds."""
LOADED = 40
"""A test in which so many modules are loaded, and perhaps compiled, for the first time pays for those after it too."""
SHOWN = 25
_SPENT = "processor seconds"
_spent: Counter[str] = Counter()


def processor_s() -> float:
    """Processor seconds of this process, all its threads, and of those it started that have ended."""
    used = os.times()
    return used.user + used.system + used.children_user + used.children_system


def slowness() -> float:
    """How many times as long as usual this machine takes just now: it may be shared, and its clock goes up and down."""
    took = []
    for _ in range(3):
        began = processor_s()
        sum(i for i in range(COUNTED))
        took.append(processor_s() - began)
    return max(1.0, sorted(took)[1] / USUAL_S)


class Shared:
    """Processor seconds that went into something many tests share: no test's own."""

    spent = 0.0

    def __enter__(self) -> None:
        self._began = processor_s()

    def __exit__(self, *_what: object) -> None:
        Shared.spent += processor_s() - self._began


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Iterator[None]:
    Shared.spent = 0.0
    item.stash[_BEGAN] = processor_s(), len(sys.modules)
    return (yield)


_BEGAN = pytest.StashKey[tuple[float, int]]()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item, call: pytest.CallInfo[None]) -> Iterator[None]:
    report = yield
    if call.when == "teardown":
        began, loaded = item.stash[_BEGAN]
        spent = processor_s() - began
        report.user_properties = [(_SPENT, spent)]
        own, heavy = spent - Shared.spent, item.get_closest_marker("heavy")
        spared = heavy is not None or len(sys.modules) - loaded > LOADED or item.config.getoption("--long")
        if own > CEILING_S and not spared and report.passed and own / slowness() > CEILING_S:
            report.outcome = "failed"
            report.longrepr = (
                f"{item.nodeid} took {own:.1f} processor seconds, more than {CEILING_S:.0f}: make it cheaper, share "
                'what it makes, or mark it: @pytest.mark.heavy("why")'
            )
        if heavy is not None and not heavy.args:
            report.outcome, report.longrepr = "failed", f"{item.nodeid} is heavy and does not say why"
    return report


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    for name, value in report.user_properties:
        if name == _SPENT:
            _spent[report.nodeid] += float(value)


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    if not _spent or os.environ.get("PYTEST_XDIST_WORKER"):
        return
    terminalreporter.section(f"processor seconds: {sum(_spent.values()):.0f} in {len(_spent)} tests")
    by_file: Counter[str] = Counter()
    for test, spent in _spent.items():
        by_file[test.partition("::")[0]] += spent
    for title, rows in (("tests", _spent), ("files", by_file)):
        terminalreporter.write_line(f"the dearest {title}:")
        for name, spent in rows.most_common(SHOWN):
            terminalreporter.write_line(f"{spent:8.2f}  {name}")
