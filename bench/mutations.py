"""Do the tests notice? One place in the code altered at a time, against the tests that run that place.

    pip install cosmic-ray pytest-cov
    pytest -n 2 --cov=stathmis --cov-context=test --cov-report= --durations=0 > durations.txt
    python bench/mutations.py durations.txt [places a layer [random number [layers]]]

A place is drawn first and then what is altered there, so that no kind of place counts more for having more variants.
What stands in annotations and docstrings alters nothing and is left out. Of the tests that run a line, those that run
most of its file and those that run little else come first, for their time, up to half a minute of them, and last the
one that runs most of the file: what only others would notice counts as unnoticed. What no test could notice is listed
in equivalent.txt with its reason and does not count. To try again only what an earlier output names:
python bench/mutations.py durations.txt 300 15 core earlier.txt.
"""

from __future__ import annotations

import ast
import importlib
import multiprocessing
import os
import random
import re
import shutil
import signal
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache, partial
from math import inf
from pathlib import Path

import pytest
from cosmic_ray.ast import ast_nodes, get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator, operator_names
from coverage import CoverageData

ROOT = Path(__file__).parent.parent
LAYERS = {
    "core": ("core",),
    "services": ("services", "words"),
    "files": ("logbook", "exchange", "devices"),
    "ui": ("ui",),
}
GOALS = {"core": 92, "services": 85, "files": 85, "ui": 60}
MOST_S, MOST_TESTS, LONG = 30.0, 200, 1
WORKERS = 2
_LEFT_OUT = r"Variable|_(BitOr|BitAnd|BitXor|RShift|LShift)$"


@dataclass(frozen=True)
class Place:
    """Something that can be altered: the operator, the how-manieth of the file, and where."""

    file: Path
    operator: str
    occurrence: int
    line: int
    column: int


def places(file: Path) -> Iterator[Place]:
    """All alterations of a file that can change what it does."""
    skipped = _skipped(file)
    tree = get_ast(file.read_text(encoding="utf-8"))
    nodes = list(ast_nodes(tree))
    # those that alter variables want to be told which; operators of bits only make an error of a number
    for name in (n for n in operator_names() if not re.search(_LEFT_OUT, n)):
        operator = get_operator(name)()
        occurrence = 0
        for node in nodes:
            for start, _stop in operator.mutation_positions(node):
                if not any(a <= start <= b for a, b in skipped):
                    yield Place(file, name, occurrence, *start)
                occurrence += 1


def _skipped(file: Path) -> list[tuple[tuple[int, int], tuple[int, int]]]:
    """From where to where nothing that runs stands: annotations and texts that only say something."""
    found: list[ast.expr] = []
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.arg | ast.AnnAssign) and node.annotation is not None:
            found.append(node.annotation)
        if isinstance(node, ast.FunctionDef) and node.returns is not None:
            found.append(node.returns)
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            found.append(node.value)
        if isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING":
            found += [node.test]
    return [((n.lineno, n.col_offset), (n.end_lineno or 0, n.end_col_offset or 0)) for n in found]


def drawn(layer: str, how_many: int, seed: int) -> list[Place]:
    """Places of a layer, each line and column equally likely."""
    rng = random.Random(f"{seed} {layer}")
    files = [f for part in LAYERS[layer] for f in sorted((ROOT / "src" / "stathmis" / part).rglob("*.py"))]
    spots: dict[tuple[Path, int, int], list[Place]] = {}
    for file in files:
        for place in places(file):
            spots.setdefault((file, place.line, place.column), []).append(place)
    chosen = rng.sample(sorted(spots), how_many)
    return [rng.choice(spots[spot]) for spot in chosen]


def named(layer: str, told: set[str]) -> list[Place]:
    """Places of a layer by what is told of them, wherever their lines are by now."""
    house = ROOT / "src" / "stathmis"
    files = sorted({line.partition("  ")[0] for line in told if line.partition("/")[0] in LAYERS[layer]})
    found = []
    for file in files:
        lines = (house / file).read_text(encoding="utf-8").splitlines()
        before = {line.partition("  ")[2].partition("  →  ")[0] for line in told if line.startswith(file)}
        near = [p for p in places(house / file) if lines[p.line - 1].strip() in before]
        found += [place for place in near if _bare(said(place)) in told]
    return found


@cache
def _contexts(file: Path) -> dict[int, list[str]]:
    data = CoverageData(str(ROOT / ".coverage"))
    data.read()
    measured = next((f for f in data.measured_files() if f.endswith(str(file.relative_to(ROOT)))), None)
    return data.contexts_by_lineno(measured) if measured is not None else {}


@cache
def _bodies(file: Path) -> list[tuple[int, int]]:
    """From which line to which what runs only when it is called."""
    functions = (n for n in ast.walk(ast.parse(file.read_text(encoding="utf-8"))) if isinstance(n, ast.FunctionDef))
    return [(f.body[0].lineno, f.end_lineno or 0) for f in functions]


def tests_of(place: Place, durations: dict[str, float]) -> list[str]:
    """The tests that run a line, those first that run most of its file for their time.

    Of a line run when it is read in, any test that runs some of the file, or is about the module by name.
    """
    by_line = _contexts(place.file)
    inside = place.file.relative_to(ROOT / "src" / "stathmis")
    module = f"[stathmis.{'.'.join(inside.with_suffix('').parts)}]"
    found: set[str] = set()
    if any(begin <= place.line <= end for begin, end in _bodies(place.file)):
        # of a statement of several lines the first is known
        line = max((n for n in by_line if n <= place.line), default=0)
        found = {c.split("|")[0] for c in by_line.get(line, []) if c}
    if not found:
        # run when the file is read in, or not at all
        found = {c.split("|")[0] for contexts in by_line.values() for c in contexts if c}
        found |= {test for test in durations if test.endswith(module)}
    much = Counter(c.split("|")[0] for contexts in by_line.values() for c in set(contexts))
    everything = _sizes()

    def most_of_it(test: str) -> float:
        # the examples of its own docstrings come first
        return inf if test.endswith(module) else much[test] / (durations.get(test, 1.0) + 0.5)

    def little_else(test: str) -> float:
        return much[test] / everything[test] / (durations.get(test, 1.0) + 0.5)

    chosen: list[str] = []
    for worth in (most_of_it, little_else):
        spent, already = 0.0, len(chosen)
        for test in sorted(found - set(chosen), key=worth, reverse=True):
            spent += durations.get(test, 1.0)
            if len(chosen) > already and (spent > MOST_S / 2 or len(chosen) - already >= MOST_TESTS / 2):
                break
            chosen.append(test)
    # and last, whatever it takes, what runs most of the file
    left = sorted(found - set(chosen), key=lambda test: (much[test], test), reverse=True)
    return chosen + left[:LONG]


@cache
def _sizes() -> Counter[str]:
    """How many lines each test runs in all."""
    data = CoverageData(str(ROOT / ".coverage"))
    data.read()
    sizes: Counter[str] = Counter()
    for file in data.measured_files():
        for contexts in data.contexts_by_lineno(file).values():
            sizes.update({c.split("|")[0] for c in contexts if c})
    return sizes


def outcome(place: Place, durations: dict[str, float]) -> str:
    """ "noticed", "unnoticed", or "never run"."""
    tests = tests_of(place, durations)
    if not tests:
        return "never run"
    code = place.file.read_text(encoding="utf-8")
    try:
        altered = mutate_code(code, get_operator(place.operator)(), place.occurrence)
    except AttributeError:
        # it cannot alter every exception that is named with a dot
        altered = None
    if altered is None or altered == code:
        return "nothing altered"
    inside = Path(place.file.relative_to(ROOT))
    Path("wanted.txt").write_text("\n".join(tests), encoding="utf-8")
    inside.write_text(altered, encoding="utf-8")
    try:
        return "unnoticed" if _passes() else "noticed"
    finally:
        inside.write_text(code, encoding="utf-8")


def _passes() -> bool:
    """Whether the wanted tests pass here, in a process of their own that has the libraries already."""
    child = os.fork()
    if child == 0:
        silent = os.open(os.devnull, os.O_RDWR)
        for stream in (0, 1, 2):
            os.dup2(silent, stream)
        os.setsid()
        code = 1
        try:
            # hypothesis is there before pytest could have a word in it
            code = pytest.main(["-x", "-W", "ignore::pytest.PytestAssertRewriteWarning", "@wanted.txt"])
        finally:
            os._exit(code)
    until = time.monotonic() + 5 * MOST_S
    while time.monotonic() < until:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            return status == 0
        time.sleep(0.02)
    os.killpg(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return False


def _settle_in(folder: str) -> None:
    """A worker's own copy of everything, and its tests' surroundings."""
    tree = Path(tempfile.mkdtemp(dir=folder))
    for part in ("src", "tests", "bench", "docs", "scripts", "packaging"):
        shutil.copytree(ROOT / part, tree / part, ignore=shutil.ignore_patterns("__pycache__"))
    for name in ("pyproject.toml", "README.md", "CONTRIBUTING.md"):
        shutil.copy(ROOT / name, tree / name)
    os.chdir(tree)
    sys.path.insert(0, str(tree / "src"))
    os.environ |= {"PYTHONPATH": str(tree / "src"), "PYTHONDONTWRITEBYTECODE": "1", "QT_QPA_PLATFORM": "offscreen"}
    sys.dont_write_bytecode = True


def said(place: Place) -> str:
    """Where and what, for whoever reads the list."""
    code = place.file.read_text(encoding="utf-8")
    try:
        altered = (mutate_code(code, get_operator(place.operator)(), place.occurrence) or code).splitlines()
    except AttributeError:
        altered = code.splitlines()
    lines = code.splitlines()
    at = next((i for i, (a, b) in enumerate(zip(lines, altered, strict=False)) if a != b), place.line - 1)
    name = place.file.relative_to(ROOT / "src" / "stathmis")
    return f"{name}:{at + 1}  {lines[at].strip()}  →  {altered[at].strip() if at < len(altered) else '(gone)'}"


def _bare(told: str) -> str:
    """What was altered, without the number of its line, which moves."""
    return re.sub(r"^(\S+):\d+ ", r"\1 ", told)


def main() -> None:
    """Draw, alter, run, count."""
    text = Path(sys.argv[1]).read_text(encoding="utf-8")
    durations: Counter[str] = Counter()
    for seconds, test in re.findall(r"^([\d.]+)s (?:call|setup) +(\S.*)$", text, re.MULTILINE):
        durations[test.strip()] += float(seconds)
    how_many, seed = (int(a) for a in (*sys.argv[2:4], *("75", "15")[len(sys.argv[2:4]) :]))
    wanted = sys.argv[4].split(",") if len(sys.argv) > 4 else list(LAYERS)
    earlier = Path(sys.argv[5]).read_text(encoding="utf-8").splitlines() if sys.argv[5:] else []
    again = {_bare(re.sub("^[a-z ]+: ", "", line)) for line in earlier}
    listed = (ROOT / "bench" / "equivalent.txt").read_text(encoding="utf-8").splitlines()
    alike = {line.partition("  # ")[0] for line in listed if line}
    _sizes()
    for library in ("scipy.optimize", "scipy.stats", "scipy.signal", "hypothesis", "PySide6.QtWidgets", "sqlite3"):
        importlib.import_module(library)
    fork = multiprocessing.get_context("fork")
    with tempfile.TemporaryDirectory() as folder, fork.Pool(WORKERS, _settle_in, (folder,)) as pool:
        for layer in wanted:
            counts: Counter[str] = Counter()
            chosen = named(layer, again) if again else drawn(layer, how_many, seed)
            for place, found in pool.imap_unordered(partial(_tried, durations), chosen):
                found = "equivalent" if found == "unnoticed" and _bare(said(place)) in alike else found
                counts[found] += 1
                if found not in ("noticed", "equivalent"):
                    print(f"{found}: {said(place)}", flush=True)
            real = len(chosen) - counts["nothing altered"] - counts["equivalent"]
            told = ", ".join(f"{n} {what}" for what, n in counts.most_common())
            print(f"== {layer}: {told}; noticed {counts['noticed'] / real:.0%} (goal {GOALS[layer]} %)", flush=True)


def _tried(durations: dict[str, float], place: Place) -> tuple[Place, str]:
    return place, outcome(place, durations)


if __name__ == "__main__":
    main()
