"""The card of a phone: what it offers, learnt from its files, completed by hand.

A card is JSON: shipped with the program for phones that are known, in the user's data folder for those that were seen.
What the user wrote is never overwritten by what is learnt.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from dataclasses import asdict, dataclass, replace
from importlib.resources import files
from itertools import pairwise
from pathlib import Path
from statistics import median
from typing import Any

import platformdirs

from bruto.container.glance import Glance, glance
from bruto.errors import BrutoError
from bruto.files import write_bytes
from bruto.sensor.advice import Offer
from bruto.sensor.report import SensorReport

CROP_RATIO = 1.05
"""Angle of view tighter than a lens's own by this factor is a crop of it."""
_OFFSETS_KEPT = 50
_SHOTS_KEPT = 1000


@dataclass(frozen=True)
class CardLens:
    """A real lens: real focal length and that at 35 mm film, mm; f-number."""

    name: str
    focal_mm: float
    focal_35mm: float
    f_number: float | None = None


@dataclass(frozen=True)
class Mode:
    """A kind of raw that a lens gives at a size in pixels."""

    focal_mm: float
    kind: str
    width: int
    height: int


@dataclass(frozen=True)
class PhoneCard:
    """What a phone offers. `pace_s`: from the end of one exposure to the next shot in a sequence, seconds;
    `viewfinder_ev`: for each camera program, how early (+) or late (-) its preview warned on shots so far; `noise`:
    a, b of green by "focal|megapixels|ISO"; `written`: fields that the user wrote; `learnt_from`: shots whose
    viewfinder offset is counted already.
    """

    make: str
    model: str
    lenses: tuple[CardLens, ...] = ()
    isos: tuple[float, ...] = ()
    seconds: tuple[float, ...] = ()
    modes: tuple[Mode, ...] = ()
    pace_s: float | None = None
    viewfinder_ev: dict[str, list[float]] | None = None
    noise: dict[str, tuple[float, float]] | None = None
    written: tuple[str, ...] = ()
    shots_seen: int = 0
    learnt_from: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        """Make and model, the make once."""
        return self.model if self.model.startswith(self.make) else f"{self.make} {self.model}".strip()

    def lens_of(self, focal_mm: float | None) -> CardLens | None:
        """The real lens of a focal length."""
        near = [q for q in self.lenses if focal_mm and abs(q.focal_mm / focal_mm - 1) < 0.03]
        return near[0] if near else None

    def viewfinder(self, program: str) -> float | None:
        """What is learnt of a camera program's warning: the median offset, EV, from three shots on."""
        seen = (self.viewfinder_ev or {}).get(program, [])
        return median(seen) if len(seen) >= 3 else None


def _slug(make: str, model: str) -> str:
    name = model if model.lower().startswith(make.lower()) else f"{make} {model}"
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "unknown"


def _user_place(make: str, model: str) -> Path:
    return Path(platformdirs.user_data_dir("bruto")) / "phones" / f"{_slug(make, model)}.json"


def card_from(data: dict[str, Any]) -> PhoneCard:
    """A card from JSON data; raises `BrutoError`."""
    try:
        return PhoneCard(
            str(data["make"]),
            str(data["model"]),
            tuple(CardLens(**q) for q in data.get("lenses", [])),
            tuple(float(v) for v in data.get("isos", [])),
            tuple(float(v) for v in data.get("seconds", [])),
            tuple(Mode(**q) for q in data.get("modes", [])),
            data.get("pace_s"),
            {str(k): [float(x) for x in v] for k, v in (data.get("viewfinder_ev") or {}).items()},
            {str(k): (float(v[0]), float(v[1])) for k, v in (data.get("noise") or {}).items()},
            tuple(data.get("written", [])),
            int(data.get("shots_seen", 0)),
            tuple(str(v) for v in data.get("learnt_from", [])),
        )
    except (KeyError, TypeError, ValueError, AttributeError, IndexError) as error:
        raise BrutoError(f"The phone's card cannot be read ({error}); delete or mend it.") from error


def load_card(make: str, model: str) -> PhoneCard:
    """The card of a phone: the user's, else the shipped one, else an empty one. A damaged user card is passed over."""
    place = _user_place(make, model)
    shipped = files("bruto.phones") / f"data/{_slug(make, model)}.json"
    for source in (place, shipped):
        try:
            if source.is_file():
                return card_from(json.loads(source.read_text("utf-8")))
        except (OSError, ValueError, BrutoError):
            continue
    return PhoneCard(make, model)


def save_card(card: PhoneCard) -> Path:
    """Keep a card in the user's data folder; raises `FileProblem`."""
    place = _user_place(card.make, card.model)
    place.parent.mkdir(parents=True, exist_ok=True)
    write_bytes(place, json.dumps(asdict(card), indent=1).encode() + b"\n")
    return place


def written(card: PhoneCard, **fields: Any) -> PhoneCard:
    """A card with fields written by hand, which learning leaves alone."""
    return replace(card, **fields, written=tuple(sorted({*card.written, *fields})))


def _merged(known: Iterable[float], new: Iterable[float]) -> tuple[float, ...]:
    """Values in ascending order, those within 2 % of each other once."""
    result: list[float] = []
    for value in sorted({*known, *new}):
        if not result or value / result[-1] > 1.02:
            result.append(value)
    return tuple(result)


def learn(card: PhoneCard, seen: Iterable[Glance]) -> PhoneCard:
    """What files of this phone add to its card: lenses, speeds, times, kinds of raw by lens and size."""
    mine = [g for g in seen if (g.make, g.model) == (card.make, card.model)]
    if not mine:
        return card
    lenses = {q.focal_mm: q for q in card.lenses}
    for g in mine:
        if not g.focal_mm or not g.focal_35mm:
            continue
        own = next((f for f in lenses if abs(f / g.focal_mm - 1) < 0.03), None)
        if own is None:
            lenses[g.focal_mm] = CardLens(f"{g.focal_35mm:.0f} mm", g.focal_mm, g.focal_35mm, g.f_number)
        elif g.focal_35mm < lenses[own].focal_35mm / CROP_RATIO:  # the widest view of a lens is its own
            lenses[own] = replace(lenses[own], name=f"{g.focal_35mm:.0f} mm", focal_35mm=g.focal_35mm)
    raws = [g for g in mine if g.kind != "picture" and g.focal_mm]
    modes = {*card.modes, *(Mode(g.focal_mm or 0.0, g.kind, *g.size) for g in raws)}
    learnt: dict[str, Any] = {
        "lenses": tuple(sorted(lenses.values(), key=lambda q: q.focal_35mm)),
        "isos": _merged(card.isos, (g.iso for g in mine if g.iso)),
        "seconds": _merged(card.seconds, (g.exposure_s for g in mine if g.exposure_s)),
        "modes": tuple(sorted(modes, key=lambda m: (m.focal_mm, m.kind, m.width))),
    }
    return replace(card, shots_seen=len(mine), **{k: v for k, v in learnt.items() if k not in card.written})


def _noise_key(focal_mm: float | None, width: int, height: int, iso: float | None) -> str:
    return f"{focal_mm or 0:g}|{round(width * height / 1e6)}|{iso or 0:g}"


def learn_report(card: PhoneCard, seen: Glance, report: SensorReport) -> PhoneCard:
    """What one measured raw adds: the viewfinder's offset and the noise at its ISO."""
    offsets = {k: list(v) for k, v in (card.viewfinder_ev or {}).items()}
    shot, learnt_from = f"{seen.taken} {seen.exposure_s or 0:g} {seen.length}", card.learnt_from
    if report.preview_offset_ev is not None and seen.kind == "mosaic":
        row = offsets.setdefault(seen.software, [])
        if shot not in card.learnt_from:  # a shot that is opened again tells nothing new
            row.append(round(report.preview_offset_ev, 3))
            learnt_from = (*card.learnt_from, shot)[-_SHOTS_KEPT:]
        del row[:-_OFFSETS_KEPT]
    noise = dict(card.noise or {})
    if seen.kind == "mosaic" and seen.iso:
        noise[_noise_key(seen.focal_mm, *seen.size, seen.iso)] = report.noise_measured
    return replace(card, viewfinder_ev=offsets, noise=noise, learnt_from=learnt_from)


def learn_pace(card: PhoneCard, starts: list[float], exposures: list[float]) -> PhoneCard:
    """Pause between the frames of a sequence: `starts` and `exposures` in seconds, in order."""
    gaps = [b - a for a, b in pairwise(starts)]
    pauses = [g - e for g, e in zip(gaps, exposures, strict=False) if g >= 0]
    if len(pauses) < 2 or "pace_s" in card.written:
        return card
    middle = median(pauses)
    if middle < 2:  # stamps of whole seconds tell a quick pace only over the whole sequence
        middle = sum(pauses) / len(pauses)
    return replace(card, pace_s=round(max(0.0, middle), 2))


def offer(card: PhoneCard, seen: Glance) -> Offer:
    """What the card offers for the next shot like this one."""
    lens = seen.focal_mm
    sizes = sorted(
        {m.width * m.height for m in card.modes if m.kind == "mosaic" and lens and abs(m.focal_mm / lens - 1) < 0.03}
    )
    binned = full = None
    if len(sizes) > 1 and card.noise:
        found = {
            n: card.noise.get(f"{lens or 0:g}|{round(n / 1e6)}|{seen.iso or 0:g}") for n in (sizes[0], sizes[-1])
        }  # fmt: skip
        if sizes[-1] / sizes[0] > 3:
            binned, full = found[sizes[0]], found[sizes[-1]]
    return Offer(card.isos, card.seconds, binned, full)


def offer_for(path: str | Path) -> Offer:
    """What the phone that took a file offers; an empty offer where the file tells no phone. Raises `FileProblem`."""
    seen = glance(path)
    return offer(load_card(seen.make, seen.model), seen) if seen.model else Offer()
