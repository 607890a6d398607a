"""Checks the docstrings of the core beyond what the linter sees: parameters that are named, what is returned.

`python -m tools.docstrings` prints what is missing and the share of public functions with a section of parameters; it
fails below the bar. Names in `Parameters` are compared with the signature by numpydoc.
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

from numpydoc.docscrape import NumpyDocString

CORE = Path(__file__).resolve().parents[1] / "src/bruto"
OUTSIDE = ("app", "cli")
BAR = 0.95
"""Least share of public functions with more than a path in, or more than a flag out, whose parameters are described."""


def functions() -> Iterator[tuple[Path, ast.FunctionDef]]:
    """List the public functions and methods of the core that take or return more than a path or a flag."""
    for path in sorted(CORE.rglob("*.py")):
        if path.relative_to(CORE).parts[0] in OUTSIDE:
            continue
        stack: list[ast.AST] = [ast.parse(path.read_text("utf-8"))]
        while stack:
            for node in ast.iter_child_nodes(stack.pop()):
                if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                    stack.append(node)
                elif isinstance(node, ast.FunctionDef) and not node.name.startswith("_") and _counts(node):
                    yield path, node


def _names(node: ast.FunctionDef) -> list[str]:
    given = node.args
    plain = [a.arg for a in (*given.posonlyargs, *given.args, *given.kwonlyargs) if a.arg not in ("self", "cls")]
    return plain + [a.arg for a in (given.vararg, given.kwarg) if a is not None]


def _counts(node: ast.FunctionDef) -> bool:
    if any(ast.unparse(d) == "override" for d in node.decorator_list):
        return False  # described where its base declares it
    names = _names(node)
    returns = "" if node.returns is None else ast.unparse(node.returns)
    if len(names) == 1 and returns in ("None", "bool", "Path"):
        given = [a for a in (*node.args.args, *node.args.kwonlyargs) if a.arg == names[0]]
        return not given or given[0].annotation is None or "Path" not in ast.unparse(given[0].annotation)
    return bool(names)


def main() -> int:
    """Print what is missing; 1 where the share is below the bar or a name is wrong."""
    total = described = 0
    wrong: list[str] = []
    for path, node in functions():
        total += 1
        where = f"{path.relative_to(CORE)}:{node.lineno} {node.name}"
        found = NumpyDocString(ast.get_docstring(node) or "")
        named = [name.strip("* ") for p in found["Parameters"] for name in p.name.split(",")]
        if not named:
            wrong.append(f"{where}: no Parameters")
            continue
        described += 1
        if set(named) != set(_names(node)):
            wrong.append(f"{where}: {sorted(set(named) ^ set(_names(node)))} are not the same as in the signature")
        returns = node.returns is not None and ast.unparse(node.returns) != "None"
        if returns and not (found["Returns"] or found["Yields"]):
            wrong.append(f"{where}: no Returns")
    share = described / max(total, 1)
    print("\n".join(wrong))
    print(f"{described} of {total} public functions of the core describe their parameters ({100 * share:.1f} %)")
    return 1 if share < BAR or any("signature" in line for line in wrong) else 0


if __name__ == "__main__":
    sys.exit(main())
