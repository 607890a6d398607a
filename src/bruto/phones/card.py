"""The card of a phone: what it offers, learnt from its files, completed by hand.

A card is JSON: shipped with the program for phones that are known, in the user's data folder for those that were seen.
What the user wrote is never overwritten by what is learnt.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Iterable
from dataclasses import asdict, dataclass, replace
from importlib.resources import files
from itertools import pairwise
from pathlib import Path
from statistics import median
from typing import Annotated, Any

import platformdirs
from pydantic import Field

from bruto.catalog import tr
from bruto.container.quick_metadata import QuickMetadata, read_quick_metadata
from bruto.container.raw_frame import RawMeta
from bruto.errors import BrutoError
from bruto.sensor.advice import Offer
from bruto.sensor.report import SensorReport
from bruto.storage.atomic_write import own_folder, write_own
from bruto.storage.documents import read_as
from bruto.storage.file_names import free_names
from bruto.storage.json_files import parse_json, read_json
from bruto.storage.safe_read import FileAction, explain

PLAIN = 0.75
"""Least factor on a measured noise from which a picture has flat places enough to tell it (see
`sensor.noise.NoiseEstimate`).
"""
CROP_RATIO = 1.05
"""Angle of view tighter than a lens's own by this factor is a crop of it."""
_MOST_OFFSETS = 50
_MOST_SHOTS = 1000
LARGEST = 4 << 20
"""Bytes of a card's file at most."""


NoisePart = Annotated[float, Field(ge=0, le=10)]


@dataclass(frozen=True)
class CardLens:
    """A real lens: real focal length and that at 35 mm film, mm; f-number."""

    name: Annotated[str, Field(max_length=100)]
    focal_mm: Annotated[float, Field(ge=0.1, le=5000)]
    focal_35mm: Annotated[float, Field(ge=1, le=20000)]
    f_number: Annotated[float, Field(ge=0.3, le=100)] | None = None


@dataclass(frozen=True)
class Mode:
    """A kind of raw that a lens gives at a size in pixels."""

    focal_mm: Annotated[float, Field(ge=0, le=5000)]
    kind: Annotated[str, Field(max_length=20)]
    width: Annotated[int, Field(ge=1, le=65500)]
    height: Annotated[int, Field(ge=1, le=65500)]


@dataclass(frozen=True)
class PhoneCard:
    """What a phone offers."""

    make: Annotated[str, Field(max_length=200)]
    model: Annotated[str, Field(max_length=200)]
    lenses: Annotated[tuple[CardLens, ...], Field(max_length=50)] = ()
    isos: Annotated[tuple[Annotated[float, Field(ge=1, le=1e7)], ...], Field(max_length=500)] = ()
    seconds: Annotated[tuple[Annotated[float, Field(ge=1e-7, le=1e6)], ...], Field(max_length=5000)] = ()
    modes: Annotated[tuple[Mode, ...], Field(max_length=200)] = ()
    pace_s: Annotated[float, Field(ge=0, le=1e5)] | None = None
    """From the end of one exposure to the next shot in a sequence, seconds."""
    viewfinder_ev: dict[str, list[Annotated[float, Field(ge=-20, le=20)]]] | None = None
    """For each camera program, how early (+) or late (-) its preview warned on shots so far."""
    noise: dict[str, tuple[NoisePart, NoisePart]] | None = None
    """A, b of green by "focal|megapixels|ISO"."""
    written: tuple[str, ...] = ()
    """Fields that the user wrote."""
    shots_seen: Annotated[int, Field(ge=0, le=1_000_000_000)] = 0
    learnt_from: tuple[str, ...] = ()
    """Shots whose viewfinder offset is counted already."""

    @property
    def title(self) -> str:
        """Make and model, the make once."""
        return self.model if self.model.startswith(self.make) else f"{self.make} {self.model}".strip()

    def lens_of(self, focal_mm: float | None) -> CardLens | None:
        """Return the real lens of a focal length.

        Parameters
        ----------
        focal_mm
            Focal length, mm.

        Returns
        -------
        CardLens | None
            The real lens of a focal length.
        """
        near = [q for q in self.lenses if focal_mm and abs(q.focal_mm / focal_mm - 1) < 0.03]
        return near[0] if near else None

    def viewfinder(self, program: str) -> float | None:
        """Find what is learnt of a camera program's warning: the median offset, EV, from three shots on.

        Parameters
        ----------
        program
            Software of the camera app.

        Returns
        -------
        float | None
            What is learnt of a camera program's warning.
        """
        seen = (self.viewfinder_ev or {}).get(program, [])
        return median(seen) if len(seen) >= 3 else None


def _slug(make: str, model: str) -> str:
    name = model if model.lower().startswith(make.lower()) else f"{make} {model}"
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:100] or "unknown"


def _user_place(make: str, model: str) -> Path:
    """Where the card of a phone lies; two phones whose names differ only in signs have two places."""
    folder = Path(platformdirs.user_data_dir("bruto")) / "phones"
    plain = folder / f"{_slug(make, model)}.json"
    try:
        known = card_from(read_json(plain, LARGEST))
    except BrutoError:
        return plain
    if (known.make, known.model) == (make, model):
        return plain
    mark = hashlib.sha256(f"{make}|{model}".encode("utf-8", "surrogatepass")).hexdigest()[:8]
    return folder / f"{_slug(make, model)}-{mark}.json"


def card_from(data: dict[str, Any]) -> PhoneCard:
    """Return a card from JSON data.

    Parameters
    ----------
    data
        Decoded JSON.

    Returns
    -------
    PhoneCard
        A card from JSON data.

    Raises
    ------
    BrutoError
        Where a value cannot be real.
    """
    try:
        return read_as(PhoneCard, data, "it")
    except BrutoError as error:
        raise BrutoError(tr("The phone's card cannot be read ({error}). Delete or correct it.", error=error)) from error


def load_card(make: str, model: str) -> PhoneCard:
    """Read the card of a phone: the user's, else the shipped one, else an empty one.

    A damaged user card is passed over.

    Parameters
    ----------
    make
        Maker of the phone, as in its files.
    model
        Model of the phone, as in its files.

    Returns
    -------
    PhoneCard
        The card of a phone.
    """
    shipped = files("bruto.phones") / f"data/{_slug(make, model)}.json"
    try:
        return card_from(read_json(_user_place(make, model), LARGEST))
    except BrutoError:
        pass
    try:
        if shipped.is_file():
            card = card_from(parse_json(shipped.read_bytes(), "the card that Bruto brings"))
            if (card.make, card.model) == (make, model):
                return card
    except (OSError, BrutoError):
        pass
    return PhoneCard(make, model)


def known_phones(most: int = 50) -> list[tuple[str, str]]:
    """Make and model of phones that the user's files came from, those that were seen last first.

    Parameters
    ----------
    most
        Upper limit.

    Returns
    -------
    list[tuple[str, str]]
        What was found, in order.
    """
    folder = Path(platformdirs.user_data_dir("bruto")) / "phones"
    try:
        files_there = sorted(folder.glob("*.json"), key=lambda p: -p.stat().st_mtime)[:most]
    except OSError:
        return []
    found = []
    for path in files_there:
        try:
            card = card_from(read_json(path, LARGEST))
        except BrutoError:
            continue
        if card.model:
            found.append((card.make, card.model))
    return found


def save_card(card: PhoneCard, base: PhoneCard | None = None) -> Path:
    """Keep a card in the user's data folder, joined with what another window changed since `base`.

    A damaged card that is there is put aside under another name.

    Parameters
    ----------
    card
        Card of the phone.
    base
        What it starts from.

    Returns
    -------
    Path
        Path of the file.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    place = _user_place(card.make, card.model)
    own_folder(place.parent)
    try:
        there = card_from(read_json(place, LARGEST))
        if base is not None and there != base:
            card = _joined(card, base, there)
    except BrutoError as error:
        if place.exists() or place.is_symlink():
            try:
                aside = free_names(place.parent, lambda n: [f"{place.name}.damaged-{n}"])[0]
                place.rename(aside)
            except OSError as failed:
                raise explain(failed, place, FileAction.SET_ASIDE) from error
    write_own(place, json.dumps(asdict(card), indent=1).encode() + b"\n")
    return place


def _joined(mine: PhoneCard, base: PhoneCard, theirs: PhoneCard) -> PhoneCard:
    """Find what two windows learnt of one phone; what was written by hand goes before what was learnt."""
    changed: dict[str, Any] = {}
    for name in PhoneCard.__dataclass_fields__:
        own, was, other = (getattr(c, name) for c in (mine, base, theirs))
        if own == was or (name in theirs.written and name not in mine.written):
            changed[name] = other
    changed["written"] = tuple(sorted({*mine.written, *theirs.written}))
    return replace(mine, **changed)


def written(card: PhoneCard, **fields: Any) -> PhoneCard:
    """Return a card with fields written by hand, which learning leaves alone.

    Parameters
    ----------
    card
        Card of the phone.
    **fields
        Fields of the card with their values.

    Returns
    -------
    PhoneCard
        A card with fields written by hand, which learning leaves alone.
    """
    return replace(card, **fields, written=tuple(sorted({*card.written, *fields})))


def _merged(known: Iterable[float], new: Iterable[float]) -> tuple[float, ...]:
    """Values in ascending order, those within 2 % of each other once."""
    result: list[float] = []
    for value in sorted({*known, *new}):
        if not result or value / result[-1] > 1.02:
            result.append(value)
    return tuple(result)


def learn(card: PhoneCard, seen: Iterable[QuickMetadata]) -> PhoneCard:
    """Find what files of this phone add to its card: lenses, speeds, times, kinds of raw by lens and size.

    Parameters
    ----------
    card
        Card of the phone.
    seen
        Quick metadata of the file.

    Returns
    -------
    PhoneCard
        What files of this phone add to its card.
    """
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


def learn_report(card: PhoneCard, seen: QuickMetadata, report: SensorReport) -> PhoneCard:
    """Find what one measured raw adds: the viewfinder's offset and the noise at its ISO.

    Parameters
    ----------
    card
        Card of the phone.
    seen
        Quick metadata of the file.
    report
        What was measured.

    Returns
    -------
    PhoneCard
        What one measured raw adds.
    """
    offsets = {k: list(v) for k, v in (card.viewfinder_ev or {}).items()}
    shot, learnt_from = f"{seen.taken} {seen.exposure_s or 0:g} {seen.length}", card.learnt_from
    if report.preview_offset_ev is not None and seen.kind == "mosaic":
        row = offsets.setdefault(seen.software, [])
        if shot not in card.learnt_from:  # a shot that is opened again tells nothing new
            row.append(round(report.preview_offset_ev, 3))
            learnt_from = (*card.learnt_from, shot)[-_MOST_SHOTS:]
        del row[:-_MOST_OFFSETS]
    noise = dict(card.noise or {})
    if seen.kind == "mosaic" and seen.iso:
        key = _noise_key(seen.focal_mm, *seen.size, seen.iso)
        if key not in noise or report.noise_interval[0] >= PLAIN:  # a busy picture tells little
            noise[key] = report.noise_measured
    return replace(card, viewfinder_ev=offsets, noise=noise, learnt_from=learnt_from)


def learn_pace(card: PhoneCard, starts: list[float], exposures: list[float]) -> PhoneCard:
    """Return the pause between the frames of a sequence: `starts` and `exposures` in seconds, in order.

    Parameters
    ----------
    card
        Card of the phone.
    starts
        Start times, seconds.
    exposures
        Exposure times or relative exposures.

    Returns
    -------
    PhoneCard
        Pause between the frames of a sequence.
    """
    gaps = [b - a for a, b in pairwise(starts)]
    pauses = [g - e for g, e in zip(gaps, exposures, strict=False) if g >= 0]
    if len(pauses) < 2 or "pace_s" in card.written:
        return card
    middle = median(pauses)
    if middle < 2:  # stamps of whole seconds tell a quick pace only over the whole sequence
        middle = sum(pauses) / len(pauses)
    return replace(card, pace_s=round(max(0.0, middle), 2))


def learnt_noise(meta: RawMeta) -> tuple[float, float] | None:
    """Compute a, b of green of a phone's raws like one of which these are the facts, learnt from others.

    None where none tells.

    The user's own card is asked only: what the program ships is of no phone of his.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Returns
    -------
    tuple[float, float] | None
        a, b of green of a phone's raws like one of which these are the facts, learnt from others.
    """
    if not (meta.model and meta.iso):
        return None
    try:
        card = card_from(read_json(_user_place(meta.make, meta.model), LARGEST))
    except BrutoError:
        return None
    height, width = meta.default_crop[3], meta.default_crop[2]
    return (card.noise or {}).get(_noise_key(meta.focal_mm, width, height, meta.iso))


def noise_by_iso(card: PhoneCard, seen: QuickMetadata) -> dict[float, tuple[float, float]]:
    """Return a, b of green by ISO, as they were measured in raws of a lens and size.

    Parameters
    ----------
    card
        Card of the phone.
    seen
        Quick metadata of the file.

    Returns
    -------
    dict[float, tuple[float, float]]
        a, b of green by ISO, as they were measured in raws of a lens and size.
    """
    begin = _noise_key(seen.focal_mm, *seen.size, 0).rpartition("|")[0] + "|"
    return {float(k.rpartition("|")[2]): v for k, v in (card.noise or {}).items() if k.startswith(begin)}


def offer(card: PhoneCard, seen: QuickMetadata) -> Offer:
    """Find what the card offers for the next shot like this one.

    Parameters
    ----------
    card
        Card of the phone.
    seen
        Quick metadata of the file.

    Returns
    -------
    Offer
        What the card offers for the next shot like this one.
    """
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
    """Find what the phone that took a file offers; an empty offer where the file tells no phone.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    Offer
        What the phone that took a file offers.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    seen = read_quick_metadata(path)
    return offer(load_card(seen.make, seen.model), seen) if seen.model else Offer()
