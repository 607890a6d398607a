"""Intended and recorded: is each shot what was meant? Zoom, resolution.

Lens and raw are checked against the phone's card and the rest of the shoot.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Any

from bruto.catalog import tr
from bruto.phones.card import CROP_RATIO, PhoneCard
from bruto.shoot.folder import Intent
from bruto.shoot.shots import Shot

SAME_LENS = 0.12
"""Focal lengths this near to each other, relative, are the same lens."""


@dataclass(frozen=True)
class Finding:
    """A shot that is not what was intended."""

    topic: str
    """"zoom", "resolution", "lens", "kind", "no-raw", "raw" or "edited"."""
    text: str
    """A sentence."""


def usual(shots: list[Shot]) -> Intent:
    """Find what most of a shoot is, where a clear majority (two thirds) is alike.

    Parameters
    ----------
    shots
        The shots concerned.

    Returns
    -------
    Intent
        What most of a shoot is, where a clear majority (two thirds) is alike.
    """
    seen = [s.seen for s in shots if s.seen]
    raws = [s.seen for s in shots if s.raw and s.seen]

    def most(values: list[Any]) -> object | None:
        if not values:
            return None
        value, count = Counter(values).most_common(1)[0]
        return value if count >= 2 / 3 * len(values) and len(values) >= 3 else None

    size = most([_megapixels(*g.size) for g in raws])
    kind = most([g.kind for g in raws])
    raw = most([s.raw is not None for s in shots]) if seen else None
    return Intent(
        size if isinstance(size, int) else None,
        kind if isinstance(kind, str) else None,
        None,
        raw if isinstance(raw, bool) else None,
    )


def _megapixels(w: int, h: int) -> int:
    return round(w * h / 1e6)


def check(shot: Shot, intent: Intent, expected: Intent, card: PhoneCard) -> list[Finding]:
    """Find what a shot is that was not meant.

    Parameters
    ----------
    shot
        The shot concerned.
    intent
        What the user said, which goes before `expected`, the usual.
    expected
        What most of the shoot has.
    card
        Card of the phone.

    Returns
    -------
    list[Finding]
        What a shot is that was not meant.
    """
    found: list[Finding] = []
    seen = shot.seen
    if seen is None:
        return found
    _zoom(shot, card, found)
    if not any(f.topic == "lens" for f in found):
        _other_lens(shot, intent, card, found)
    got, wanted = _megapixels(*seen.size), intent.megapixels or expected.megapixels
    if shot.raw and wanted and abs(got - wanted) > max(1, 0.1 * wanted):
        if intent.megapixels:
            found.append(
                Finding("resolution", tr("{got} megapixels recorded, {wanted} intended.", got=got, wanted=wanted))
            )
        elif got < wanted:  # more than the rest is no loss
            found.append(
                Finding("resolution", tr("{got} megapixels; most of this shoot has {wanted}.", got=got, wanted=wanted))
            )
    kind = intent.kind
    if shot.raw and kind and seen.kind != kind:
        names = {"mosaic": "plain", "linear": "processed"}
        found.append(
            Finding(
                "kind",
                tr(
                    "A {get} raw was recorded; {names} raws were intended.",
                    get=names.get(seen.kind, seen.kind),
                    names=names[kind],
                ),
            )
        )
    wants_raw = intent.raw if intent.raw is not None else expected.raw
    if shot.raw is None and wants_raw:
        found.append(Finding("no-raw", tr("The phone saved a picture but no raw. Check the mode.")))
    if shot.raw is not None and wants_raw is False:
        found.append(Finding("raw", tr("An unintended raw was saved; it takes the storage of several pictures.")))
    if shot.edited:
        found.append(
            Finding("edited", tr("The phone's picture was edited after the capture: {edited}.", edited=shot.edited))
        )
    return found


def lens_title(name: str, focal_35mm: float) -> str:
    """Return a lens by its name and focal length, each once.

    Parameters
    ----------
    name
        Name, as stored or shown.
    focal_35mm
        35 mm equivalent focal length, mm.

    Returns
    -------
    str
        A lens by its name and focal length, each once.

    Examples
    --------
    >>> lens_title("26 mm", 26.0), lens_title("wide", 15.0)
    ('26 mm', 'wide (15 mm)')
    """
    length = tr("{focal_35mm:.0f} mm", focal_35mm=focal_35mm)
    return length if name == length else f"{name} ({length})"


def _other_lens(shot: Shot, intent: Intent, card: PhoneCard, found: list[Finding]) -> None:
    """Note a silent change of lens: the view was taken with another one than was asked for."""
    seen = shot.seen
    assert seen is not None
    lens = card.lens_of(seen.focal_mm)
    got = lens.focal_35mm if lens is not None else seen.focal_35mm
    if not intent.focal_35mm or not got or abs(got / intent.focal_35mm - 1) < SAME_LENS:
        return
    wanted = next((q.name for q in card.lenses if abs(q.focal_35mm / intent.focal_35mm - 1) < SAME_LENS), "")
    name = (
        tr("the {lens_title} lens", lens_title=lens_title(lens.name, got))
        if lens is not None
        else tr("a {got:.0f} mm lens", got=got)
    )
    asked_for = (
        tr("the {lens_title} one", lens_title=lens_title(wanted, intent.focal_35mm))
        if wanted
        else tr("{focal_35mm:.0f} mm", focal_35mm=intent.focal_35mm)
    )
    found.append(Finding("lens", tr("Taken with {name}; you intended {asked_for}.", name=name, asked_for=asked_for)))


def _zoom(shot: Shot, card: PhoneCard, found: list[Finding]) -> None:
    seen = shot.seen
    assert seen is not None
    if seen.zoom and seen.zoom > CROP_RATIO:
        found.append(
            Finding("zoom", tr("Digital zoom {zoom:.1f}×: only a crop of the lens's own view.", zoom=seen.zoom))
        )
        return
    lens = card.lens_of(seen.focal_mm)
    if lens is None or not seen.focal_35mm:
        return
    ratio = seen.focal_35mm / lens.focal_35mm
    if ratio <= CROP_RATIO:
        return
    real = [q for q in card.lenses if abs(q.focal_35mm / seen.focal_35mm - 1) < SAME_LENS and q is not lens]
    if real:
        text = tr(
            "The {focal_35mm:.0f} mm view comes from the {name} lens, not from the {name2} lens: a {ratio:.1f}× crop.",
            focal_35mm=seen.focal_35mm,
            name=lens.name,
            name2=real[0].name,
            ratio=ratio,
        )
        found.append(Finding("lens", text))
    else:
        found.append(
            Finding(
                "zoom", tr("Digital zoom {ratio:.1f}×: only a crop of the {name} lens.", ratio=ratio, name=lens.name)
            )
        )
