"""The drawn picture of the structure, `docs/architecture.svg`: packages by layer, and who imports whom.

`python -m tools.import_graph` draws it anew. Layers are those that the lint enforces (`pyproject.toml`), arrows come
from the imports themselves, so that the picture cannot say what the code does not do.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterable
from html import escape
from pathlib import Path

import grimp

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src/bruto"
OUT = ROOT / "docs/architecture.svg"
WIDTH, ROW, BOX_HEIGHT, MARGIN = 980, 74, 40, 24
"""Pixels of the picture, of a layer, of a box and around."""
FONT = "font-family='B612, sans-serif' font-size='13'"
INK, QUIET, LINE, RAISED, PANEL, ACCENT = "#20242A", "#5A5F66", "#CBC7BE", "#F7F6F3", "#E9E7E2", "#0B5E55"


def layers() -> list[list[str]]:
    """List the packages of each layer, the highest first, as the lint has them; single modules share one box."""
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["importlinter"]["contracts"]
    found: list[list[str]] = []
    seen: set[str] = set()
    for layer in next(c for c in contracts if c["type"] == "layers")["layers"]:
        names = [part.strip().removeprefix("bruto.").split(".")[0] for part in layer.split("|")]
        row = [n for n in dict.fromkeys(names) if n not in seen]
        seen |= set(row)
        if row:
            found.append(row)
    return found


def imports(names: Iterable[str]) -> set[tuple[str, str]]:
    """Find which package imports which, directly."""
    graph = grimp.build_graph("bruto")
    known = set(names)
    found = set()
    for module in graph.modules:
        package = module.split(".")[1] if "." in module else ""
        for other in graph.find_modules_directly_imported_by(module):
            target = other.split(".")[1] if "." in other else ""
            if package in known and target in known and package != target:
                found.add((package, target))
    return found


def reduced(arrows: set[tuple[str, str]]) -> set[tuple[str, str]]:
    """Leave out an arrow where a longer way of arrows leads to the same package: what is above may use all below."""

    def reaches(start: str, end: str) -> bool:
        return any(b == end or reaches(b, end) for a, b in arrows if a == start)

    return {
        (a, b) for a, b in arrows if not any(c == a and d != b and reaches(d, b) for c, d in arrows)
    }  # fmt: skip


def drawn(rows: list[list[str]], arrows: set[tuple[str, str]], modules: list[str]) -> str:
    """Draw packages as boxes in rows, with arrows to what they import, and the modules that everything may use."""
    height = 2 * MARGIN + ROW * (len(rows) + 1)
    boxes: dict[str, tuple[float, float, float]] = {}
    for k, row in enumerate(rows):
        each = (WIDTH - 2 * MARGIN) / len(row)
        for n, name in enumerate(row):
            width = min(each - 16, 200.0)
            boxes[name] = (MARGIN + each * (n + 0.5) - width / 2, MARGIN + ROW * k, width)
    out = [
        f"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 {WIDTH} {height}' {FONT}>",
        f"<rect width='{WIDTH}' height='{height}' fill='{PANEL}'/>",
    ]
    for upper, lower in sorted(arrows):
        x, y, w = boxes[upper]
        u, v, z = boxes[lower]
        if v <= y:
            continue
        start, end, middle = (x + w / 2, y + BOX_HEIGHT), (u + z / 2, v), (y + BOX_HEIGHT + v) / 2
        out.append(
            f"<path d='M{start[0]:.0f} {start[1]:.0f} C{start[0]:.0f} {middle:.0f} {end[0]:.0f} {middle:.0f} "
            f"{end[0]:.0f} {end[1]:.0f}' fill='none' stroke='{QUIET}' stroke-width='1.2'/>"
        )
    for name, (x, y, w) in boxes.items():
        out.append(
            f"<rect x='{x:.0f}' y='{y:.0f}' width='{w:.0f}' height='{BOX_HEIGHT}' rx='4' fill='{RAISED}' "
            f"stroke='{ACCENT if name in ('app', 'cli') else LINE}' stroke-width='1.5'/>"
            f"<text x='{x + w / 2:.0f}' y='{y + BOX_HEIGHT / 2 + 5:.0f}' text-anchor='middle' fill='{INK}'>"
            f"{escape(name)}</text>"
        )
    foot = MARGIN + ROW * len(rows)
    out.append(
        f"<rect x='{MARGIN}' y='{foot}' width='{WIDTH - 2 * MARGIN}' height='{BOX_HEIGHT}' rx='4' fill='none' "
        f"stroke='{LINE}' stroke-dasharray='4 3'/><text x='{WIDTH / 2:.0f}' y='{foot + BOX_HEIGHT / 2 + 5:.0f}' "
        f"text-anchor='middle' fill='{QUIET}'>used by all: {escape(', '.join(modules))}</text>"
    )
    return "\n".join([*out, "</svg>", ""])


def main() -> None:
    """Write the picture."""
    rows = layers()
    packages = [[n for n in row if (SOURCE / n).is_dir()] for row in rows]
    modules = sorted(n for row in rows for n in row if not (SOURCE / n).is_dir())
    packages = [row for row in packages if row]
    arrows = reduced(imports(name for row in packages for name in row))
    OUT.write_text(drawn(packages, arrows, modules), "utf-8")


if __name__ == "__main__":
    main()
