"""The card of a phone: what it offers, learnt from its files, completed by hand.

A card is JSON: shipped with the program for phones that are known, in the user's data folder for those that were seen.
What the user wrote is never overwritten by what is learnt.
"""

from __future__ import annotations

import hashlib
import re
from dataclasses import asdict, dataclass, replace
from importlib.resources import files
from pathlib import Path
from statistics import median
from typing import Annotated, Any

import platformdirs
from pydantic import Field

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.storage.atomic_write import own_folder, write_own
from bruto.storage.documents import read_as
from bruto.storage.file_names import free_names
from bruto.storage.json_files import json_bytes, parse_json, read_json
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


Limit = Annotated[float, Field(ge=1e-7, le=1e7)]
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
    limits: dict[str, tuple[Limit | None, Limit | None]] | None = None
    """Least and most of "seconds" and "isos" where the user says how far they go, see `ranges`."""
    written: tuple[str, ...] = ()
    """Fields that the user wrote, or that a card which Bruto brings lists whole."""
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
    write_own(place, json_bytes(asdict(card)))
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
