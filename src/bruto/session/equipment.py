"""What there is to shoot with, gathered from a phone's card and from the logbook, each with where it is from."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from bruto.catalog import tr, trn
from bruto.errors import BrutoError
from bruto.logbook import estimates
from bruto.logbook.records import LogRecord
from bruto.logbook.store import Logbook
from bruto.phones.card import PhoneCard, load_card
from bruto.plan.equipment import Equipment, EquipmentLens, ranges_of
from bruto.sensor.noise_model import NoiseSource, model_of

MOST = 4000
"""Shots of a phone that are learnt from, the newest."""


def _shots(count: int, until: str = "") -> str:
    return trn("learnt from {count} shot", "learnt from {count} shots", count=count) + (
        tr(" until {until}", until=until) if until else ""
    )


def _lenses(card: PhoneCard) -> tuple[EquipmentLens, ...]:
    found = []
    for lens in card.lenses:
        sizes = [
            (m.width, m.height) for m in card.modes if m.kind == "mosaic" and abs(m.focal_mm / lens.focal_mm - 1) < 0.03
        ]
        # the usual raw of a lens is the smallest that is not a test: full resolution is the exception
        size = min((s for s in sizes if s[0] * s[1] > 6e6), default=(4032, 3024), key=lambda s: s[0] * s[1])
        found.append(EquipmentLens(lens.focal_35mm, lens.focal_mm, lens.f_number, size))
    return tuple(found)


def _of_card(card: PhoneCard) -> tuple[dict[str, Any], dict[str, str]]:
    """Find what a card tells."""
    values: dict[str, Any] = {}
    known: dict[str, str] = {}
    if card.lenses:
        values["lenses"] = _lenses(card)
    values["ranges"] = ranges_of(card)
    if card.pace_s is not None:
        values["pace_s"], known["pace_s"] = card.pace_s, tr("from the phone's card")
    by_iso: dict[float, tuple[float, float]] = {}
    for key, noise in (card.noise or {}).items():
        _, megapixels, iso = key.split("|")
        if int(megapixels) <= 16 and float(iso) > 0:
            by_iso[float(iso)] = noise
    if by_iso:
        values["noise"], known["noise"] = (
            model_of(by_iso, NoiseSource.CARD),
            tr("learnt at {by_iso_count} ISO settings", by_iso_count=len(by_iso)),
        )
    return values, known


def _of_records(records: Sequence[LogRecord]) -> tuple[dict[str, Any], dict[str, str]]:
    """Find what the logbook tells."""
    values: dict[str, Any] = {}
    known: dict[str, str] = {}
    kinds: dict[tuple[Any, ...], list[LogRecord]] = {}
    for r in records:
        kinds.setdefault((r.focal_35mm, r.kind, r.width), []).append(r)
    for some in sorted(kinds.values(), key=len, reverse=True):
        if some[0].kind == "mosaic":
            try:
                noise = estimates.noise(some)
            except BrutoError:
                continue
            values["noise"], known["noise"] = noise.model, _shots(noise.count, noise.until)
            break
    try:
        hand = estimates.hand(records)
        values["limit_35mm"], values["spread"] = hand.limit_35mm, hand.spread
        known["hand"] = _shots(hand.count, hand.until)
    except BrutoError:
        pass
    pace = estimates.pace([r for r in records if (r.exposure_s or 0) >= 1]) or estimates.pace(records)
    if pace:
        usual = max(pace.values(), key=lambda p: p.count)
        values["pace_s"], known["pace_s"] = usual.value, _shots(usual.count, usual.until)
    size = estimates.storage([r for r in records if r.kind == "mosaic" and (r.width or 0) * (r.height or 0) > 6e6])
    if size:
        usual = max(size.values(), key=lambda p: p.count)
        values["mb_each"], known["mb_each"] = usual.value / 1e6, _shots(usual.count, usual.until)
    viewfinder = estimates.viewfinder(records)
    if viewfinder:
        usual = max(viewfinder.values(), key=lambda p: p.count)
        values["viewfinder_ev"], known["viewfinder_ev"] = usual.value, _shots(usual.count, usual.until)
    return values, known


def equipment_of(make: str, model: str, book: Path, card: PhoneCard | None = None) -> Equipment:
    """Find what is known of a phone, of its card and of a logbook.

    What is learnt from shots goes before the card's, what nobody tells is usual.

    A logbook that is not there or cannot be read tells nothing.

    Parameters
    ----------
    make
        Maker of the phone, as in its files.
    model
        Model of the phone, as in its files.
    book
        The logbook's file.
    card
        Card of the phone.

    Returns
    -------
    Equipment
        What is known of a phone, of its card and of a logbook.
    """
    if not model:
        return Equipment()
    card = card or load_card(make, model)
    values, known = _of_card(card)
    names: set[str] = {"noise"} & known.keys()
    if book.exists():
        try:
            with Logbook(book) as opened:
                learnt, learnt_from = _of_records(opened.page(0, MOST, "newest", model=model))
                rate = estimates.battery(opened.batteries())
        except BrutoError:
            learnt, learnt_from, rate = {}, {}, None
        if "pace_s" in card.written:
            learnt.pop("pace_s", None)
            learnt_from.pop("pace_s", None)
        values |= learnt
        known |= learnt_from
        names |= learnt_from.keys()
        if rate is not None:
            values["percent_h"] = rate.value
            known["percent_h"] = trn("learnt from {count} shoot", "learnt from {count} shoots", count=rate.count)
            names.add("percent_h")
    return Equipment(phone=card.title, known=known, learnt=frozenset(names), **values)
