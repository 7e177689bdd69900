"""The house's measures: no room too long to read, and no two that import each other. Run by ``make lint``."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src"
MOST_LINES = 400  # of a file
MOST_OF_A_FUNCTION = 45  # lines


def modules() -> dict[str, Path]:
    """Each module's file, by its name."""
    names = {".".join(path.relative_to(SOURCE).with_suffix("").parts): path for path in SOURCE.rglob("*.py")}
    return {name.removesuffix(".__init__"): path for name, path in names.items()}


def imported(path: Path, known: dict[str, Path]) -> set[str]:
    """The modules that one imports, late or at once."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            for one in node.names:
                inner = f"{node.module}.{one.name}"
                found.add(inner if inner in known else node.module)
        elif isinstance(node, ast.Import):
            found |= {one.name for one in node.names}
    return found & known.keys()


def circles(graph: dict[str, set[str]]) -> Iterator[list[str]]:
    """Modules that can be reached from themselves: what is left when all others are taken away."""
    left = {name: set(to) - {name} for name, to in graph.items()}
    while free := [name for name, to in left.items() if not to & left.keys()]:
        for name in free:
            del left[name]
    while ends := [name for name in left if not any(name in to for to in left.values())]:
        for name in ends:
            del left[name]
    if left:
        yield sorted(left)


def faults() -> Iterator[str]:
    known = modules()
    for path in (path for path in SOURCE.rglob("*") if path.suffix in (".py", ".js", ".css")):
        if (lines := len(path.read_text("utf-8").splitlines())) > MOST_LINES:
            yield f"{path.relative_to(SOURCE)}: {lines} lines; {MOST_LINES} are the most"
    for path in known.values():
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                length = (node.end_lineno or node.lineno) - node.lineno + 1
                if length > MOST_OF_A_FUNCTION:
                    yield f"{path.relative_to(SOURCE)}:{node.lineno}: {node.name} has {length} lines"
    for circle in circles({name: imported(path, known) for name, path in known.items()}):
        yield f"these import each other: {', '.join(circle)}"


if __name__ == "__main__":
    found = list(faults())
    print("\n".join(found) or "No file is too long, no function, and nothing imports itself.")
    sys.exit(1 if found else 0)
