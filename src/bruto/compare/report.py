"""One page about a comparison: both pictures, places worth a look, the table with sentences, what the phone did.

The page is one file of plain HTML tables, so that a browser shows it and a printer's page can be made of it; pictures
are inside it. Nothing of it is fetched from anywhere.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bruto.catalog import tr
from bruto.compare.match.solver import Match
from bruto.compare.metrics import Comparison, sentences
from bruto.compare.regions import Region, places_of
from bruto.compare.sources import Developed, SharpPair, Side, sharp_pair
from bruto.develop.rectangle import Rectangle
from bruto.html_page import Printer, image, page, write_page
from bruto.storage.atomic_write import Target

WHOLE, PIECE = 318, 104
"""Widths on the page, pixels."""


def verdict(c: Comparison, first: str, second: str) -> str:
    """Say which of both has kept more, in a sentence: by what each has lost in light, texture and clean tones.

    Parameters
    ----------
    c
        The comparison.
    first
        The first of them.
    second
        The second of them.

    Returns
    -------
    str
        Which of both has kept more, in a sentence.
    """
    points = 0
    for key, least in (
        ("lost_highlights_percent", 0.3),
        ("lost_shadows_percent", 0.5),
        ("edge_overshoot_percent", 4.0),
    ):
        points += (c.b[key] > c.a[key] + least) - (c.a[key] > c.b[key] + least)
    noise = max(c.a["noise_l"], 0.05) / max(c.b["noise_l"], 0.05)
    points -= (noise > 2.5) - (noise < 0.4)
    if points > 0:
        return tr("The {first} has kept more than the {second}.", first=first, second=second)
    if points < 0:
        return tr(
            "The {second} is better here: the {first} has lost light or shows more noise.", second=second, first=first
        )
    return tr("Neither has kept clearly more than the other.")


def report_html(
    c: Comparison,
    pieces: Sequence[tuple[Region, SharpPair]],
    names: tuple[str, str],
    short: tuple[str, str],
    match: Match | None = None,
    embed_font: bool = True,
) -> str:
    """Return the page as HTML.

    `names` of both sides, and `short`, what they are called in sentences.

    Parameters
    ----------
    c
        The comparison.
    pieces
        Places with their pixels at 1:1.
    names
        Names of both sides.
    short
        Short names of both sides.
    match
        The phone's look.
    embed_font
        Whether the font is put into the page.

    Returns
    -------
    str
        The page as HTML.
    """
    found = ""
    if match is not None:
        found = tr(
            "With the values found, the median difference is {after:.1f} ΔE00 instead of {before:.1f}, and 95 % is "
            "below {most:.1f}: measured on {withheld} blocks that the search did not use.",
            after=match.after[0],
            before=match.before[0],
            most=match.after[1],
            withheld=match.withheld,
        )
    places = []
    for place, pair in pieces:
        gap = np.full((pair.first.shape[0], 2, 3), 255, np.uint8)
        both = np.concatenate([pair.first, gap, pair.second], axis=1)  # one image: a page would break between two
        text = place.sentence.format(first=short[0], second=short[1])
        places.append((image(both, both.shape[1]), place.kind.capitalize(), text))
    return page(
        "comparison.html",
        embed_font,
        title=tr("{first} and {second}", first=names[0], second=names[1]),
        verdict=verdict(c, *short),
        aligned=tr(
            "Both at equal size, the second aligned to the first within {px:.2f} px, by {tracks} points.",
            px=max(c.alignment.model_px, 0.05),
            tracks=c.alignment.tracks,
        ),
        wholes=[(image(c.first, WHOLE), names[0]), (image(c.second, WHOLE), names[1])],
        rows=sentences(c, *short),
        did="" if match is None else ", ".join(d.text for d in match.did),
        found=found,
        places=places,
    )


@dataclass(frozen=True)
class ReportContent:
    """A comparison with its sides and what they are called."""

    comparison: Comparison
    first: Side
    second: Side
    names: tuple[str, str]

    @property
    def short(self) -> tuple[str, str]:
        """What the sides are called in sentences."""
        raws = [isinstance(s, Developed) and s.developer.source.kind != "picture" for s in (self.first, self.second)]
        raw, picture = tr("raw"), tr("picture")
        return {(True, False): (raw, picture), (False, True): (picture, raw)}.get(
            (raws[0], raws[1]), (tr("first"), tr("second"))
        )


def write_report(
    target: Target | str | Path,
    found: ReportContent,
    match: Match | None = None,
    printed: Printer | None = None,
) -> None:
    """Write the page, as the file's name says: HTML, CSV of the numbers, or PDF by `printed`, which gets the page.

    Parameters
    ----------
    target
        File to write, from the output planner.
    found
        What was found.
    match
        The phone's look; None where it was not searched.
    printed
        Prints HTML as PDF; None where there is no printer.

    Raises
    ------
    BrutoError
        Nothing is half-written.
    """

    def html(embed_font: bool) -> str:
        return report_html(found.comparison, pieces_of(found), found.names, found.short, match, embed_font)

    write_page(target, html, lambda: numbers_csv(found.comparison, found.names, found.short), printed)


def pieces_of(found: ReportContent) -> list[tuple[Region, SharpPair]]:
    """Return the places of a comparison with their pixels at 1:1.

    Parameters
    ----------
    found
        What was found.

    Returns
    -------
    list[tuple[Region, SharpPair]]
        The places of a comparison with their pixels at 1:1.
    """
    c, (width, height) = found.comparison, found.first.size
    side = min(PIECE, width, height)
    pieces = []
    for place in places_of(*c.labs, c.valid):
        x, y = (int(np.clip(p * n - side / 2, 0, n - side)) for p, n in ((place.x, width), (place.y, height)))
        pieces.append((place, sharp_pair(found.first, found.second, c.alignment, Rectangle(x, y, side, side))))
    return pieces


def numbers_csv(c: Comparison, names: tuple[str, str], short: tuple[str, str]) -> str:
    """Return the table as CSV: measure, both numbers, the sentence.

    Parameters
    ----------
    c
        The comparison.
    names
        Names of both sides.
    short
        Short names of both sides.

    Returns
    -------
    str
        The table as CSV.
    """
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["measure", *names, "in words"])
    writer.writerows(sentences(c, *short))
    return out.getvalue()
