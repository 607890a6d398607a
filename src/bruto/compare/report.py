"""One page about a comparison: both pictures, places worth a look, the table with sentences, what the phone did.

The page is one file of plain HTML tables, so that a browser shows it and a printer's page can be made of it; pictures
are inside it. Nothing of it is fetched from anywhere.
"""

from __future__ import annotations

import base64
import csv
import html
import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.compare.match.solver import Match
from bruto.compare.metrics import Comparison, sentences
from bruto.compare.regions import Region, places_of
from bruto.compare.sources import Developed, SharpPair, Side, sharp_pair
from bruto.develop.rectangle import Rectangle
from bruto.errors import BrutoError
from bruto.storage.atomic_write import Target, write_new

WHOLE, PIECE = 318, 104
"""Widths on the page, pixels."""
IN_ROW = 3
QUALITY = 90
STYLE = """
body { font-family: "B612", sans-serif; font-size: 12px; color: #20242A; background: #F7F6F3; margin: 10px; }
h1 { font-size: 18px; color: #0B5E55; margin: 0; } h2 { font-size: 14px; margin: 8px 0 2px 0; } p { margin: 2px 0; }
td { padding: 1px 10px 1px 0; vertical-align: top; } .n { text-align: right; } .q { color: #5A5F66; }
"""


def image(picture: NDArray[np.uint8], width: int) -> str:
    """Return a picture (H, W, 3) for a page, `width` pixels across at most, inside the page's own text.

    Parameters
    ----------
    picture
        Picture (H, W, 3), 8-bit sRGB codes.
    width
        Width, pixels.

    Returns
    -------
    str
        A picture (H, W, 3) for a page, `width` pixels across at most, inside the page's own text.
    """
    scale = width / picture.shape[1]
    if scale < 1:
        picture = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    _, data = cv2.imencode(".jpg", np.ascontiguousarray(picture[..., ::-1]), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
    code = base64.b64encode(data.tobytes()).decode()
    return f'<img width="{picture.shape[1]}" height="{picture.shape[0]}" src="data:image/jpeg;base64,{code}">'


def embedded_font() -> str:
    """Our typeface inside a page's own text."""
    data = base64.b64encode((files("bruto.app") / "fonts/B612-Regular.otf").read_bytes()).decode()
    return f'@font-face {{ font-family: "B612"; src: url("data:font/otf;base64,{data}"); }}'


def _place(place: Region, pair: SharpPair, short: tuple[str, str]) -> str:
    text = html.escape(place.sentence.format(first=short[0], second=short[1]))
    gap = np.full((pair.first.shape[0], 2, 3), 255, np.uint8)
    both = np.concatenate([pair.first, gap, pair.second], axis=1)  # one image: a page would break between two
    return f"<td>{image(both, both.shape[1])}<br><b>{place.kind.capitalize()}.</b> {text}</td>"


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
    first, second = (html.escape(n) for n in names)
    rows = [
        f'<tr><td><b>{html.escape(title)}</b></td><td class="n">{a}</td><td class="n">{b}</td>'
        f'<td class="q">{html.escape(text)}</td></tr>'
        for title, a, b, text in sentences(c, *short)
    ]
    title = tr("{first} and {second}", first=first, second=second)
    aligned = tr(
        "Both at equal size, the second aligned to the first within {px:.2f} px, by {tracks} points.",
        px=max(c.alignment.model_px, 0.05),
        tracks=c.alignment.tracks,
    )
    body = [
        f"<h1>{title}</h1>", f"<p>{html.escape(verdict(c, *short))}</p>", f"<p class='q'>{html.escape(aligned)}</p>",
        f"<table><tr><td>{image(c.first, WHOLE)}<br>{first}</td>"
        f"<td>{image(c.second, WHOLE)}<br>{second}</td></tr></table>",
        f"<h2>{html.escape(tr('Measured'))}</h2>",
        f'<table><tr><td></td><td class="n">{first}</td><td class="n">{second}</td><td></td></tr>{"".join(rows)}'
        "</table>",
    ]  # fmt: skip
    if match is not None:
        did = html.escape(", ".join(d.text for d in match.did))
        found = tr(
            "With the values found, the median difference is {after:.1f} ΔE00 instead of {before:.1f}, and 95 % is "
            "below {most:.1f}: measured on {withheld} blocks that the search did not use.",
            after=match.after[0],
            before=match.before[0],
            most=match.after[1],
            withheld=match.withheld,
        )
        body += [
            f"<h2>{html.escape(tr('What the phone did'))}</h2>", f"<p>{did}.</p>",
            f"<p class='q'>{html.escape(found)}</p>",
        ]  # fmt: skip
    if pieces:
        body.append(f"<h2>{html.escape(tr('Regions that differ most, at 1:1'))}</h2><table>")
        for k in range(0, len(pieces), IN_ROW):
            body.append(
                "<tr>" + "".join(_place(place, pair, short) for place, pair in pieces[k : k + IN_ROW]) + "</tr>"
            )
        body.append("</table>")
    font = embedded_font() if embed_font else ""
    return (
        f'<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><title>{title}</title>'
        f"<style>{font}{STYLE}</style></head><body>{''.join(body)}</body></html>\n"
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
    printed: Callable[[str, Target | str | Path], None] | None = None,
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
    path = target.path if isinstance(target, Target) else Path(target)
    suffix = path.suffix.lower()
    if suffix == ".csv":
        write_new(target, numbers_csv(found.comparison, found.names, found.short).encode())
        return
    pieces = pieces_of(found)
    if suffix == ".pdf":
        if printed is None:
            raise BrutoError(tr("A PDF needs a page printer, which is not available here."))
        printed(report_html(found.comparison, pieces, found.names, found.short, match, embed_font=False), target)
        return
    write_new(target, report_html(found.comparison, pieces, found.names, found.short, match).encode())


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
