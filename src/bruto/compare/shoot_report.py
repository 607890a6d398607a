"""One page about all pairs of a shoot: what each raw still has that its picture has lost, and what that takes."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bruto.catalog import sentences, tr
from bruto.compare.metrics import COMPARE_EDGE, Comparison, aligned, measured
from bruto.compare.raw_worth import reasons, worth
from bruto.compare.sources import Side, stored
from bruto.errors import BrutoError
from bruto.html_page import Printer, image, page, write_page
from bruto.storage.atomic_write import Target

THUMB = 124
"""Width of a picture on the page, pixels."""
COLUMNS = (
    ("lost_highlights_percent", tr("highlights lost, %"), 1),
    ("lost_shadows_percent", tr("shadows lost, %"), 1),
    ("noise_l", tr("grain, L*"), 2),
    ("texture_kept_percent", tr("texture kept, %"), 0),
    ("blotch", "blotches", 2),
    ("edge_overshoot_percent", tr("halos, %"), 0),
    ("mean_chroma", "chroma", 0),
)
"""Measures on the page: key, title, digits."""


@dataclass(frozen=True)
class Line:
    """A raw and its picture in the report of a shoot.

    The shot's `name`, measures of the raw (`a`) and of the picture (`b`), their median difference (ΔE00), bytes of
    both, whether the raw is worth them (`keep`) with the sentence that says why, and both as small images of HTML.
    """

    name: str
    a: dict[str, float]
    b: dict[str, float]
    delta_e00: float
    sizes: tuple[int, int]
    keep: bool
    sentence: str
    images: tuple[Any, Any]

    def as_json(self) -> dict[str, Any]:
        """Find what the command line prints; numbers that could not be measured are null."""
        a, b = ({k: None if math.isnan(v) else v for k, v in m.items()} for m in (self.a, self.b))
        return {
            "shot": self.name, "raw": a, "picture": b, "delta_e00_median": self.delta_e00, "keep": self.keep,
            "bytes": list(self.sizes), "said": self.sentence,
        }  # fmt: skip


def line_of(name: str, raw: Side, picture: Side) -> Line:
    """Find what a page tells of a raw and its picture.

    Parameters
    ----------
    name
        Title of the line.
    raw
        The raw's side.
    picture
        The finished picture.

    Returns
    -------
    Line
        What a page tells of a raw and its picture.

    Raises
    ------
    BrutoError
        Where they cannot be aligned.
    """
    files = (stored(raw), stored(picture))
    c: Comparison = measured(aligned(raw.whole(COMPARE_EDGE), picture.whole(COMPARE_EDGE)), files)
    raw_bytes, picture_bytes = (0 if f is None else f.size for f in files)
    return Line(
        name, c.a, c.b, c.delta_e00_median, (raw_bytes, picture_bytes), bool(reasons(c)),
        worth(c, raw_bytes, picture_bytes), (image(c.first, THUMB), image(c.second, THUMB)),
    )  # fmt: skip


def lines_of(
    pairs: Sequence[tuple[str, Callable[[], tuple[Side, Side]]]],
    progress: Callable[[float, str], None] | None = None,
    stopped: Callable[[], bool] | None = None,
) -> tuple[list[Line], list[str]]:
    """Return the lines of pairs, each made when it is its turn, and why others have none.

    Parameters
    ----------
    pairs
        Pairs to compare, each with its name.
    progress
        Called with the share done, 0 to 1, and what is being done.
    stopped
        Returns whether to stop.

    Returns
    -------
    tuple[list[Line], list[str]]
        Lines of pairs, each made when it is its turn, and why others have none.
    """
    found, problems = [], []
    for k, (name, make) in enumerate(pairs):
        if stopped is not None and stopped():
            break
        if progress is not None:
            progress(k / len(pairs), name)
        try:
            found.append(line_of(name, *make()))
        except BrutoError as error:
            problems.append(f"{name}: {error}")
    return found, problems


def summary(lines: Sequence[Line]) -> str:
    """Say how many raws are worth their space, in a sentence.

    Parameters
    ----------
    lines
        Lines of the report, one for each pair.

    Returns
    -------
    str
        How many raws are worth their space, in a sentence.
    """
    keep = [line for line in lines if line.keep]
    both = [sum(line.sizes[0] for line in some) / 1e6 for some in (keep, [n for n in lines if not n.keep])]
    if not lines:
        return tr("No raw with a picture could be compared.")
    many = tr(
        "{keep_count} of {lines_count} raws ({both:.0f} MB) hold what their pictures have lost",
        keep_count=len(keep),
        lines_count=len(lines),
        both=both[0],
    )
    rest = tr(
        "; the other {lines_count} ({both:.0f} MB) hold hardly more as they are now",
        lines_count=len(lines) - len(keep),
        both=both[1],
    )
    return many + (rest if len(keep) < len(lines) else "") + "."


def _number(value: float, digits: int) -> str:
    return "–" if math.isnan(value) else f"{value:.{digits}f}"


def shoot_html(lines: Sequence[Line], problems: Sequence[str], title: str, embed_font: bool = True) -> str:
    """Return the page as HTML.

    Parameters
    ----------
    lines
        Lines of the report.
    problems
        What could not be compared, in sentences.
    title
        Title for people.
    embed_font
        Whether the font is put into the page.

    Returns
    -------
    str
        The page as HTML.
    """
    shown = []
    for line in lines:
        cells = [(t, *(_number(m[k], d) for m in (line.a, line.b))) for k, t, d in COLUMNS]
        cells.append(("MB", *(f"{size / 1e6:.1f}" for size in line.sizes)))
        differs = tr("The median difference is {delta_e00:.1f} ΔE00.", delta_e00=line.delta_e00)
        text = sentences(line.sentence, differs)
        shown.append({"name": line.name, "pictures": line.images, "text": text, "cells": cells})
    return page(
        "shoot.html",
        embed_font,
        title=tr("{title}: raws and pictures", title=title),
        summary=summary(lines),
        order=tr("Each raw as corrected at the left, its picture at the right, at equal size; numbers in this order."),
        lines=shown,
        problems=problems,
    )


def shoot_csv(lines: Iterable[Line]) -> str:
    """Return all measures of all pairs as CSV, a line for each side.

    Parameters
    ----------
    lines
        Lines of the report.

    Returns
    -------
    str
        All measures of all pairs as CSV, a line for each side.
    """
    lines = list(lines)
    out = io.StringIO()
    writer = csv.writer(out)
    keys = list(lines[0].a) if lines else [k for k, _, _ in COLUMNS]
    writer.writerow(["shot", "side", "bytes", "delta_e00_median", "keep", *keys, "in words"])
    for line in lines:
        for who, m, size in (("raw", line.a, line.sizes[0]), ("picture", line.b, line.sizes[1])):
            numbers = ["" if math.isnan(m[k]) else round(m[k], 4) for k in keys]
            writer.writerow([line.name, who, size, round(line.delta_e00, 3), line.keep, *numbers, line.sentence])
    return out.getvalue()


def write_shoot_page(
    target: Target | str | Path,
    lines: Sequence[Line],
    problems: Sequence[str],
    title: str,
    printed: Printer | None = None,
) -> None:
    """Write the page, as the file's name says: HTML, CSV, or PDF by `printed`.

    Parameters
    ----------
    target
        File to write, from the output planner.
    lines
        Lines of the report.
    problems
        What could not be compared, in sentences.
    title
        Title for people.
    printed
        Prints HTML as PDF; None where there is no printer.

    Raises
    ------
    BrutoError
        Nothing is half-written.
    """

    def html(embed_font: bool) -> str:
        return shoot_html(lines, problems, title, embed_font)

    write_page(target, html, lambda: shoot_csv(lines), printed)
