"""What the tests would notice: small faults put into the core and the actions one at a time, and how many are caught.

A fault is one changed comparison, number, operation, condition or left-out statement. Each is tried in a process of
its own with the tests that run through its line, those of its part first and of them the quickest. Prints the share
that was caught and every fault that was not: ``python -m bench.mutants [--count N] [--seed N] [--of core|actions]``.
"""

from __future__ import annotations

import argparse
import ast
import importlib.abc
import importlib.util
import json
import multiprocessing
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import redirect_stderr, redirect_stdout, suppress
from copy import deepcopy
from dataclasses import dataclass
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
PACKAGE = ROOT / "src" / "unisequa"
AIMS = {"core": 0.90, "actions": 0.85}
EXAMPLES, BUDGET, PATIENCE = "25", 60.0, 120
"""Random examples a property tries; seconds of tests for a fault; seconds until a fault counts as caught because it
never ends."""

COMPARED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
WORKED: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.FloorDiv, ast.FloorDiv: ast.Mult,
}  # fmt: skip


@dataclass(frozen=True)
class Fault:
    """One fault: its file, its line, what is changed (the number of a node in the walk of the tree, and how)."""

    path: str
    line: int
    node: int
    words: str


@dataclass(frozen=True)
class Tests:
    """The tests through each line, and the seconds that each took; a line run only by importing has the file's."""

    through: dict[str, dict[int, list[str]]]
    seconds: dict[str, float]

    def of(self, fault: Fault) -> list[str]:
        lines = self.through.get(fault.path, {})
        names = lines.get(fault.line) or []
        if fault.line in lines and not names:
            names = sorted({name for all_names in lines.values() for name in all_names})
        taken, spent = [], 0.0
        near = f"tests/{Path(fault.path).parts[2]}/"
        for name in sorted(names, key=lambda name: (not name.startswith(near), self.seconds[name])):
            spent += self.seconds[name]
            if taken and spent > BUDGET:
                break
            taken.append(name)
        return taken


def faulty(tree: ast.Module, number: int) -> str:
    """Change one node in place; gives what was done, or nothing where there is nothing to do."""
    for at, (parent, name, index, node) in enumerate(_places(tree)):
        if at == number:
            changed, words = _changed(node)
            if changed is None:
                return ""
            if index is None:
                setattr(parent, name, changed)
            else:
                getattr(parent, name)[index] = changed
            ast.fix_missing_locations(tree)
            return words
    return ""


def _places(tree: ast.AST) -> Iterator[tuple[ast.AST, str, int | None, ast.AST]]:
    """Every node that may be changed; what only narrows types or states what always holds is passed over."""
    if isinstance(tree, ast.Assert) or (isinstance(tree, ast.keyword) and tree.arg == "strict"):
        return
    for name, value in ast.iter_fields(tree):
        if name in {"annotation", "returns", "decorator_list", "type_params"}:
            continue
        for index, node in enumerate(value) if isinstance(value, list) else [(None, value)]:
            if isinstance(node, ast.AST):
                yield tree, name, index, node
                yield from _places(node)


def _changed(node: ast.AST) -> tuple[ast.AST | None, str]:
    new: Any = deepcopy(node)
    match node:
        case ast.Compare(ops=[op]) if type(op) in COMPARED:
            new.ops = [COMPARED[type(op)]()]
        case ast.BoolOp():
            new.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
        case ast.UnaryOp(op=ast.Not()):
            new = new.operand
        case ast.BinOp(op=op) if type(op) in WORKED and not _is_text(node):
            new.op = WORKED[type(op)]()
        case ast.AugAssign(op=op) if type(op) in WORKED and not _is_text(node.value):
            new.op = WORKED[type(op)]()
        case ast.Constant(value=bool()):
            new.value = not node.value
        case ast.Constant(value=int()):
            new.value = node.value + 1
        case ast.If() | ast.IfExp():
            new.test = ast.UnaryOp(ast.Not(), new.test)
        case ast.Expr(value=ast.Call()) | ast.Raise():
            new = ast.copy_location(ast.Pass(), node)
        case ast.Assign(targets=[ast.Attribute()]):
            new = ast.copy_location(ast.Pass(), node)
        case _:
            return None, ""
    before, after = (ast.unparse(one).split("\n")[0][:70] for one in (node, new))
    return new, f"{before}  →  {after}"


def _is_text(node: ast.AST) -> bool:
    return any(
        isinstance(one, ast.JoinedStr) or (isinstance(one, ast.Constant) and isinstance(one.value, str))
        for one in ast.walk(node)
    )


def faults(part: str) -> list[Fault]:
    """Every fault that can be put into a part."""
    every = []
    for path in sorted((PACKAGE / part).rglob("*.py")):
        tree = ast.parse(path.read_text())
        for number, (_, _, _, node) in enumerate(_places(tree)):
            changed, words = _changed(node)
            if changed is not None:
                every.append(Fault(str(path.relative_to(ROOT)), node.lineno, number, words))  # type: ignore[attr-defined]
    return every


class _Finder(importlib.abc.MetaPathFinder, importlib.abc.Loader):
    """Gives one module with its fault."""

    def __init__(self, fault: Fault) -> None:
        self.path = ROOT / fault.path
        name = ".".join(Path(fault.path).with_suffix("").parts[1:])
        self.name = name.removesuffix(".__init__")
        self.tree = ast.parse(self.path.read_text())
        faulty(self.tree, fault.node)

    def find_spec(self, name: str, path: Any = None, target: Any = None) -> Any:
        if name != self.name:
            return None
        is_package = self.path.name == "__init__.py"
        spec = importlib.util.spec_from_file_location(
            name, self.path, loader=self, submodule_search_locations=[str(self.path.parent)] if is_package else None
        )
        return spec

    def exec_module(self, module: Any) -> None:
        exec(compile(self.tree, str(self.path), "exec"), module.__dict__)


def caught(fault: Fault, tests: list[str]) -> bool:
    """Whether one of the tests fails with it; in a process of its own, forked from one that has the libraries."""
    if not tests:
        return False
    child = os.fork()
    if not child:
        code = 1
        with suppress(BaseException), open(os.devnull, "w") as nowhere:
            sys.meta_path.insert(0, _Finder(fault))
            with redirect_stdout(nowhere), redirect_stderr(nowhere):
                code = int(_pytest(["-x", "-p", "no:xdist", *tests]))
        os._exit(min(code, 1))
    ends = time.monotonic() + PATIENCE
    while time.monotonic() < ends:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            return status != 0
        time.sleep(0.02)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return True


def _pytest(arguments: list[str], plugins: list[Any] | None = None) -> int:
    import pytest

    # without rewritten assertions, which would load a module whose own examples are run from its file as it stands
    return pytest.main(["-q", "--no-header", "--assert=plain", "-p", "no:cacheprovider", *arguments], plugins)


class _Map:
    """While all tests run once: which runs through which line."""

    def __init__(self) -> None:
        import coverage

        self.coverage = coverage.Coverage(data_file=None, source=[str(PACKAGE)], config_file=False)
        self.seconds: dict[str, float] = {}
        self.coverage.start()

    def pytest_runtest_logstart(self, nodeid: str) -> None:
        self.coverage.switch_context(nodeid)
        self.seconds[nodeid] = time.monotonic()

    def pytest_runtest_logfinish(self, nodeid: str) -> None:
        self.seconds[nodeid] = time.monotonic() - self.seconds[nodeid]
        self.coverage.switch_context("")

    def write(self, path: Path) -> None:
        self.coverage.stop()
        data = self.coverage.get_data()
        through = {
            str(Path(file).relative_to(ROOT)): {
                line: [name for name in names if name] for line, names in data.contexts_by_lineno(file).items()
            }
            for file in data.measured_files()
        }
        path.write_text(json.dumps([through, self.seconds]))


def map_of_tests() -> Tests:
    """Which tests run through which line; all of them are run once for that, with few random examples."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "map.json"
        command = [sys.executable, "-m", "bench.mutants", "--map", str(path)]
        subprocess.run(command, check=True, cwd=ROOT, stdout=subprocess.DEVNULL)
        return read_map(path)


def read_map(path: Path) -> Tests:
    """What was written down of the tests."""
    through, seconds = json.loads(path.read_text())
    lines = {file: {int(line): names for line, names in by.items()} for file, by in through.items()}
    return Tests(lines, seconds)


def _try(job: tuple[Fault, list[str]]) -> bool:
    return caught(*job)


def _libraries() -> None:
    """Load what tests need and we have not written, so that a fork has it."""
    import fastapi.testclient
    import hypothesis
    import networkx
    import numpy
    import pytest
    import sqlalchemy.orm

    assert fastapi.testclient and hypothesis and networkx and numpy and pytest and sqlalchemy.orm


def main() -> int:
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("--count", type=int, default=50, help="faults tried in each part")
    options.add_argument("--seed", type=int, default=1)
    options.add_argument("--of", choices=sorted(AIMS), action="append")
    options.add_argument("--map", type=Path, help="only write down which tests run through which line")
    options.add_argument("--with-map", type=Path, help="use what was written down before")
    asked = options.parse_args()
    os.environ["UNISEQUA_EXAMPLES"] = EXAMPLES
    os.chdir(ROOT)
    if asked.map:
        lines = _Map()
        _pytest(["--ignore", "tests/browser", "-p", "no:xdist", "-k", "not postgresql and not workers"], [lines])
        lines.write(asked.map)
        return 0
    tests = read_map(asked.with_map) if asked.with_map else map_of_tests()
    chance, enough = random.Random(asked.seed), True
    context = multiprocessing.get_context("fork")
    for part in asked.of or AIMS:
        every = faults(part)
        tried = chance.sample(every, min(asked.count, len(every)))
        _libraries()
        survived: dict[str, list[Fault]] = defaultdict(list)
        with ProcessPoolExecutor(os.cpu_count() or 2, mp_context=context) as pool:
            for fault, is_caught in zip(tried, pool.map(_try, [(one, tests.of(one)) for one in tried]), strict=True):
                if not is_caught:
                    survived[fault.path].append(fault)
        left = sum(map(len, survived.values()))
        share = 1 - left / len(tried)
        enough = enough and share >= AIMS[part]
        print(f"mutants {part} {share:.3f} {AIMS[part]:.2f}  ({len(tried)} of {len(every)} tried)", flush=True)
        for path, faults_there in sorted(survived.items()):
            for fault in sorted(faults_there, key=lambda one: one.line):
                print(f"  {path}:{fault.line}  {fault.words}")
    return int(not enough)


if __name__ == "__main__":
    sys.exit(main())
