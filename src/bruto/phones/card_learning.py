"""What a phone's files teach of it, and what its card says it offers."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from statistics import median
from typing import Any

from bruto.container.quick_metadata import QuickMetadata, read_quick_metadata
from bruto.container.raw_frame import RawMeta
from bruto.errors import BrutoError
from bruto.phones.card import (
    _MOST_OFFSETS,
    _MOST_SHOTS,
    CROP_RATIO,
    LARGEST,
    PLAIN,
    CardLens,
    Mode,
    PhoneCard,
    _user_place,
    card_from,
    load_card,
)
from bruto.phones.ranges import merged_steps, range_of
from bruto.sensor.advice import Offer
from bruto.sensor.report import SensorReport
from bruto.storage.json_files import read_json


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
        "isos": merged_steps(card.isos, (g.iso for g in mine if g.iso)),
        "seconds": merged_steps(card.seconds, (g.exposure_s for g in mine if g.exposure_s)),
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
    return Offer(range_of(card, "isos").steps, range_of(card, "seconds").steps, binned, full)


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
