"""Refuses circles of imports, binary files where no assets or documents are, and pictures that
the window's own store would hold for good."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import grimp

HOMES = ("src/nimble_tile/assets/", "docs/", "tests/samples/")
"""Where binary files may be tracked."""


def circles(package: str) -> list[list[str]]:
    """Groups of modules that import one another in a circle, type-checking imports included.

    R. Tarjan, "Depth-first search and linear graph algorithms", SIAM J. Comput. 1972:
    strongly connected components.
    """
    graph = grimp.build_graph(package, exclude_type_checking_imports=False)
    index: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    found: list[list[str]] = []

    def visit(module: str) -> None:
        index[module] = low[module] = len(index)
        stack.append(module)
        for other in graph.find_modules_directly_imported_by(module):
            if other not in index:
                visit(other)
                low[module] = min(low[module], low[other])
            elif other in stack:
                low[module] = min(low[module], index[other])
        if low[module] == index[module]:
            at = stack.index(module)
            group = stack[at:]
            del stack[at:]
            if len(group) > 1:
                found.append(sorted(group))

    sys.setrecursionlimit(10_000)
    for module in sorted(graph.modules):
        if module not in index:
            visit(module)
    return found


def strays(root: Path) -> list[str]:
    """Tracked binary files outside `HOMES`: such as git takes for binary, by a NUL byte."""
    listed = subprocess.run(
        ["git", "ls-files", "-z"], cwd=root, capture_output=True, check=False
    ).stdout.split(b"\0")
    paths = [name.decode() for name in listed if name]
    return [
        path
        for path in paths
        if not path.startswith(HOMES)
        and (root / path).is_file()
        and b"\0" in (root / path).read_bytes()[:8000]
    ]


UNOWNED = re.compile(r"(?:tools|self|window)\.pictures\.add")
"""What is added to the window's store itself stays until the window closes: rooms add pictures
to the lease of their job, or to one of their own."""


def unowned(root: Path) -> list[str]:
    """Lines of the window that add a picture to its store instead of to a lease."""
    return [
        f"{path.relative_to(root)}:{number}"
        for path in sorted((root / "src/nimble_tile/ui").rglob("*.py"))
        for number, line in enumerate(path.read_text("utf-8").splitlines(), 1)
        if UNOWNED.search(line)
    ]


def main() -> int:
    faults = [f"Circle of imports: {' – '.join(group)}" for group in circles("nimble_tile")]
    root = Path(__file__).resolve().parent.parent
    faults += [f"Binary file outside assets and docs: {path}" for path in strays(root)]
    faults += [f"Added to the window's store, not to a lease: {place}" for place in unowned(root)]
    print("\n".join(faults) or "No circles of imports, no stray binary files, all pictures owned.")
    return bool(faults)


if __name__ == "__main__":
    sys.exit(main())
