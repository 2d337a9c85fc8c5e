"""How many deliberate faults the tests notice: `make mutants`.

Small faults are put into the code one at a time, spread over its packages: `<` becomes `<=`, `and` becomes `or`, the branches of
a condition change places, a number or a sign changes, a call is left out, two arguments are exchanged. For each fault, the tests
that run its line are run, the quickest first, until one fails. It prints the faults that no test notices and their share by
package. Browser tests don't take part, so code that only they run is left out.

    python -m benchmarks.mutants [--count 240] [--seed 1] [--lines]

--lines records again which test runs which line. This takes a quarter of an hour, and also happens if there is no record yet.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
from collections import defaultdict
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).parent.parent
SOURCE = Path("src/lumenar")
BUILD = ROOT / "build" / "mutants"
PARTS = (("tests/core", "tests/bench", "tests/store"), ("tests/app", "tests/api", "tests/publish"))
FIRST, MORE = (8, 15.0), (40, 60.0)
"""Limits of the tests run for one fault, as their number and their seconds together: at first, and then if none of them
failed."""
TURNED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
OTHER = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}
SIGNS = {
    ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "==", ast.NotEq: "!=", ast.Is: "is", ast.IsNot: "is not",
    ast.In: "in", ast.NotIn: "not in", ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/",
}  # fmt: skip


@dataclass(frozen=True)
class Fault:
    """One fault: the file, the line, the change in words, and the bytes from start to end that `new` replaces."""

    path: str
    line: int
    what: str
    start: int
    end: int
    new: bytes

    def text(self) -> str | None:
        """The file's text with the fault; None if that is not valid Python or means the same."""
        whole = (ROOT / self.path).read_bytes()
        changed = (whole[: self.start] + self.new + whole[self.end :]).decode()
        try:
            same = ast.dump(ast.parse(changed)) == ast.dump(ast.parse(whole.decode()))
        except SyntaxError:
            return None
        return None if same else changed

    @property
    def room(self) -> str:
        """The part of the code that it is in."""
        parts = Path(self.path).relative_to(SOURCE).parts
        return "/".join(parts[:2]) if parts[0] in ("core", "app") and len(parts) > 2 else parts[0]


def faults(path: str, text: str, lines: set[int]) -> Iterator[Fault]:
    """Every fault that can be put into lines of a file."""
    tree, starts = ast.parse(text), [0]
    for line in text.encode().split(b"\n"):
        starts.append(starts[-1] + len(line) + 1)
    untouched, raw = _untouched(tree), text.encode()

    def place(n: ast.AST) -> tuple[int, int]:
        return starts[n.lineno - 1] + n.col_offset, starts[n.end_lineno - 1] + n.end_col_offset  # type: ignore[attr-defined]

    def source(n: ast.AST) -> str:
        start, end = place(n)
        return raw[start:end].decode()

    for node in ast.walk(tree):
        if getattr(node, "lineno", None) not in lines or id(node) in untouched:
            continue
        for what, new in _changes(node, source):
            yield Fault(path, node.lineno, what, *place(node), new.encode())


def _untouched(tree: ast.AST) -> set[int]:
    """Nodes that don't change what the code does: annotations, decorators and docstrings."""
    found: list[ast.AST] = []
    for node in ast.walk(tree):
        found += [n for name in ("annotation", "returns") if isinstance(n := getattr(node, name, None), ast.AST)]
        found += getattr(node, "decorator_list", [])
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef):
            found += [s for s in node.body if isinstance(s, ast.Expr) and isinstance(s.value, ast.Constant)]
    return {id(n) for f in found for n in ast.walk(f)}


def _changes(node: ast.AST, source: Callable[[ast.AST], str]) -> list[tuple[str, str]]:
    """The changes to try on a piece of code, each in words and as code."""
    if isinstance(node, ast.Compare) and len(node.ops) == 1:
        left, right, op = source(node.left), source(node.comparators[0]), type(node.ops[0])
        if op in TURNED:
            return [(f"{SIGNS[op]} is {SIGNS[TURNED[op]]}", f"({left} {SIGNS[TURNED[op]]} {right})")]
    if isinstance(node, ast.BoolOp):
        word, other = ("and", "or") if isinstance(node.op, ast.And) else ("or", "and")
        return [(f"{word} is {other}", "(" + f" {other} ".join(f"({source(v)})" for v in node.values) + ")")]
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        return [("not is left out", f"({source(node.operand)})")]
    if isinstance(node, ast.BinOp) and type(node.op) in OTHER:
        sign, other = SIGNS[type(node.op)], SIGNS[OTHER[type(node.op)]]
        text_alone = isinstance(node.left, ast.JoinedStr) or isinstance(getattr(node.left, "value", 0), str)
        if not text_alone:
            return [(f"{sign} is {other}", f"(({source(node.left)}) {other} ({source(node.right)}))")]
    if isinstance(node, ast.Constant) and type(node.value) in (int, float):
        new = node.value + 1 if type(node.value) is int else node.value * 1.5 if node.value else 1.0
        return [(f"{source(node)} is {new}", repr(new))]
    if isinstance(node, ast.IfExp):
        said = f"({source(node.orelse)} if {source(node.test)} else {source(node.body)})"
        return [("the two branches are exchanged", said)]
    if isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
        return [("the call is left out", "pass")]
    if isinstance(node, ast.AugAssign) and type(node.op) in OTHER:
        said = f"{source(node.target)} {SIGNS[OTHER[type(node.op)]]}= {source(node.value)}"
        return [(f"{SIGNS[type(node.op)]}= is {SIGNS[OTHER[type(node.op)]]}=", said)]
    if isinstance(node, ast.Call) and len(node.args) == 2 and not any(isinstance(a, ast.Starred) for a in node.args):
        one, two = (source(a) for a in node.args)
        if one and two and one != two and not node.keywords:
            return [("two arguments are exchanged", f"{source(node.func)}({two}, {one})")]
    return []


def note_lines() -> None:
    """Run the tests once, in two processes, and note which of them runs which line."""
    shutil.rmtree(BUILD, ignore_errors=True)
    BUILD.mkdir(parents=True)
    running = []
    for i, part in enumerate(PARTS):
        env = {**os.environ, "WHICH_LINES": str(BUILD / f"lines{i}"), "WHICH_SOURCE": str(ROOT / SOURCE)}
        command = [sys.executable, "-m", "pytest", "-q", "-p", "no:xdist", "-p", "tests.kit.which_lines", *part]
        with (BUILD / f"log{i}").open("w") as log:
            running.append(subprocess.Popen(command, cwd=ROOT, env=env, stdout=log, stderr=log))
    for p in running:
        p.wait()


def known_lines() -> tuple[dict[str, dict[int, set[str]]], dict[str, float]]:
    """By file and line the tests that run it, and how long each takes in s."""
    from coverage import CoverageData

    tests: dict[str, dict[int, set[str]]] = defaultdict(lambda: defaultdict(set))
    times: dict[str, float] = {}
    for i in range(len(PARTS)):
        data = CoverageData(str(BUILD / f"lines{i}"))
        data.read()
        for file in data.measured_files():
            own = tests[str(Path(file).relative_to(ROOT))]
            for line, contexts in data.contexts_by_lineno(file).items():
                own[line] |= {c for c in contexts if c}
        for line in (BUILD / f"lines{i}.times").read_text().splitlines():
            seconds, _, name = line.partition("\t")
            times[name] = float(seconds)
    return tests, times


def chosen(tests: dict[str, dict[int, set[str]]], count: int, seed: int) -> list[Fault]:
    """`count` faults: each package gets a share by the square root of its size, chosen at random."""
    by_room: dict[str, list[Fault]] = defaultdict(list)
    for path, lines in sorted((p, t) for p, t in tests.items() if p.endswith(".py")):
        run = {line for line, names in lines.items() if names}
        for fault in faults(path, (ROOT / path).read_text(), run):
            by_room[fault.room].append(fault)
    rng = random.Random(seed)
    weights = {room: len(found) ** 0.5 for room, found in by_room.items()}
    whole = sum(weights.values())
    out: list[Fault] = []
    for room, found in sorted(by_room.items()):
        wanted = max(1, round(count * weights[room] / whole))
        sound = (f for f in rng.sample(found, len(found)) if f.text() is not None)
        out += [f for f, _ in zip(sound, range(wanted), strict=False)]
    rng.shuffle(out)
    return out


def asked(fault: Fault, tests: dict[str, dict[int, set[str]]], times: dict[str, float]) -> tuple[list[str], list[str]]:
    """The tests to run for a fault, the quickest first, in two groups: the second is run if the first doesn't fail."""
    names = sorted(tests[fault.path][fault.line], key=lambda n: times.get(n, 1e9))
    few = _within(names, times, *FIRST)
    return few, _within([n for n in names if n not in few], times, *MORE)


def _within(names: list[str], times: dict[str, float], most: int, seconds: float) -> list[str]:
    spent, out = 0.0, []
    for name in names:
        spent += times.get(name, seconds)
        if len(out) >= most or (out and spent > seconds):
            break
        out.append(name)
    return out


def noticed(fault: Fault, names: list[str], at: Path) -> bool:
    """Whether one of these tests fails with the fault, in a copy of the repository."""
    file = at / fault.path
    before, text = file.read_text(), fault.text()
    assert text is not None
    file.write_text(text)
    env = {**os.environ, "PYTHONPATH": str(at / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    command = [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:xdist", "-p", "no:cacheprovider", *names]
    try:
        run = subprocess.run(
            command, cwd=at, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, timeout=300
        )
        return run.returncode != 0
    except subprocess.TimeoutExpired:
        return True
    finally:
        file.write_text(before)


def main() -> None:
    """Print the faults that no test notices."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=240)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--lines", action="store_true")
    options = parser.parse_args()
    if options.lines or not (BUILD / "lines1.times").exists():
        note_lines()
    tests, times = known_lines()
    found = chosen(tests, options.count, options.seed)
    copies: Queue[Path] = Queue()
    for i in range(2):
        copy = BUILD / f"copy{i}"
        shutil.rmtree(copy, ignore_errors=True)
        shutil.copytree(ROOT / "src", copy / "src", ignore=shutil.ignore_patterns("__pycache__"))
        shutil.copytree(ROOT / "tests", copy / "tests", ignore=shutil.ignore_patterns("__pycache__"))
        for name in ("pyproject.toml", "docs", "benchmarks", "README.md"):
            (shutil.copytree if (ROOT / name).is_dir() else shutil.copy)(ROOT / name, copy / name)
        copies.put(copy)
    rooms: dict[str, list[int]] = defaultdict(lambda: [0, 0])

    def judge(fault: Fault) -> tuple[Fault, bool]:
        at = copies.get()
        try:
            return fault, any(noticed(fault, names, at) for names in asked(fault, tests, times) if names)
        finally:
            copies.put(at)

    with ThreadPoolExecutor(2) as pool:
        for n, (fault, seen) in enumerate(pool.map(judge, found), 1):
            rooms[fault.room][0] += 1
            rooms[fault.room][1] += not seen
            if not seen:
                print(f"{n}/{len(found)}  not noticed  {fault.path}:{fault.line}  {fault.what}", flush=True)
    for room, (total, unseen) in sorted(rooms.items()):
        print(f"{room:28} {total:4} faults  {unseen:3} not noticed")
    total, unseen = (sum(v[i] for v in rooms.values()) for i in (0, 1))
    print(f"{'all':28} {total:4} faults  {unseen:3} not noticed ({100 * unseen / total:.1f} %)")


if __name__ == "__main__":
    main()
