"""What a logbook answers: its shoots, what is learnt of a phone, and answers to ready questions."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from bruto.catalog import items, sentences, tr, trn
from bruto.errors import BrutoError
from bruto.logbook import estimates
from bruto.logbook.records import LogRecord
from bruto.logbook.store import Logbook, ShootRow

MOST_SHOTS = 500
"""Shots of a list at most."""


MOST_LEARNT = 4000
"""Shots of a phone that are learnt from, the newest."""


STARS_S = 1.0
"""Seconds from which a shot at night may be one of stars."""


QUESTIONS = {
    "stars": tr("What worked for stars?"),
    "place": tr("At this place before?"),
    "clean": tr("Which ISO is clean?"),
}


@dataclass(frozen=True)
class NoiseGroup:
    """Shots of one lens, kind and size with what is learnt of their noise."""

    title: str
    noise: estimates.LearntNoise
    shots: tuple[LogRecord, ...]


@dataclass(frozen=True)
class LogbookContent:
    """What is shown.

    `title` and `answer` of the `shots`.
    """

    made_up: bool = False
    """The shots are those of the simulated phone."""
    problem: str = ""
    count: int = 0
    shoots: tuple[ShootRow, ...] = ()
    phones: tuple[str, ...] = ()
    phone: str = ""
    groups: tuple[NoiseGroup, ...] = ()
    hand: estimates.HandheldLimit | None = None
    hand_shots: tuple[LogRecord, ...] = ()
    hand_text: str = ""
    viewfinder: dict[str, estimates.Learnt] | None = None
    pace: dict[str, estimates.Learnt] | None = None
    storage: dict[str, estimates.Learnt] | None = None
    battery: estimates.Learnt | None = None
    charges: dict[str, tuple[float, float, float]] | None = None
    """The battery before and after, percent, and hours, of shoots of which that was noted."""
    shoot: str = ""
    title: str = ""
    answer: str = ""
    shots: tuple[LogRecord, ...] = ()


def _span(values: Sequence[float], unit: str) -> str:
    """Least and greatest of values as words."""
    low, high = min(values), max(values)
    return f"{low:g}{unit}" if low == high else tr("{low:g} to {high:g}{unit}", low=low, high=high, unit=unit)


def plain_iso(iso: float) -> str:
    """Return an ISO in two figures, rounded down.

    Parameters
    ----------
    iso
        ISO speed.

    Returns
    -------
    str
        An ISO in two figures, rounded down.

    Examples
    --------
    >>> plain_iso(452.3), plain_iso(1290.0)
    ('450', '1200')
    """
    step = 10 ** max(math.floor(math.log10(max(iso, 1.0))) - 1, 0)
    return f"{math.floor(iso / step) * step:.0f}"


def _of_phone(book: Logbook, phone: str) -> dict[str, Any]:
    """Find what is learnt of a phone."""
    mine = book.page(0, MOST_LEARNT, "newest", model=phone)
    by: dict[tuple[Any, ...], list[LogRecord]] = {}
    for r in mine:
        by.setdefault((r.focal_35mm or 0.0, r.kind, round((r.width or 0) * (r.height or 0) / 1e6)), []).append(r)
    groups = []
    for (focal, kind, megapixels), some in sorted(by.items(), key=lambda g: -len(g[1])):
        try:
            groups.append(
                NoiseGroup(
                    tr("{focal:.0f} mm, {kind}, {megapixels} MP", focal=focal, kind=kind, megapixels=megapixels),
                    estimates.noise(some),
                    tuple(some),
                )
            )
        except BrutoError:
            continue
    found: dict[str, Any] = {
        "groups": tuple(groups), "viewfinder": estimates.viewfinder(mine), "pace": estimates.pace(mine),
        "storage": estimates.storage(mine), "hand": None, "hand_text": "",
        "hand_shots": tuple(r for r in mine if r.support == "hand" and r.blur_px is not None and r.exposure_s),
    }  # fmt: skip
    try:
        found["hand"] = estimates.hand(mine)
    except BrutoError as error:
        found["hand_text"] = str(error)
    return found


def _stars(book: Logbook, phone: str, kept: Collection[str]) -> tuple[str, list[LogRecord]]:
    """Long exposures, those that were kept first."""
    night = [r for r in book.page(0, MOST_LEARNT, model=phone) if (r.exposure_s or 0) >= STARS_S]
    selected = [r for r in night if r.verdict in kept]
    if not night:
        return tr("The logbook holds no shot of a second or longer yet."), []
    use = selected or night
    isos, times = [r.iso for r in use if r.iso], [r.exposure_s for r in use if r.exposure_s]
    how = (
        tr("{selected_count} of {night_count} are Keep or Best", selected_count=len(selected), night_count=len(night))
        if selected
        else trn("{night_count} shot, no verdict yet", "{night_count} shots, no verdicts yet", night_count=len(night))
    )
    text = items(
        tr("{how}: {times}", how=how, times=_span(times, " s")),
        tr("ISO {span}", span=_span(isos, "")) if isos else "",
        tr("among the newest {count} shots", count=MOST_LEARNT) if book.count(model=phone) > MOST_LEARNT else "",
    )
    return tr("{text}.", text=text), [*selected, *(r for r in night if r.verdict not in kept)]


def _clean(groups: Sequence[NoiseGroup]) -> str:
    if not groups:
        return tr("No shot here shows its noise. Open some mosaic raws of this phone.")
    notice = []
    for g in groups[:3]:
        iso = g.noise.ceiling_iso
        top = tr("not even the lowest ISO") if iso is None else tr("up to ISO {plain_iso}", plain_iso=plain_iso(iso))
        notice.append(
            trn(
                "{title}: {top} ({count} shot)",
                "{title}: {top} ({count} shots)",
                count=g.noise.count,
                title=g.title,
                top=top,
            )
        )
    return tr("A shadow 3 EV below grey has 4 × its noise: ") + "; ".join(notice) + "."


def answered(
    place: Path, kept: Collection[str], question: str = "", shoot: str = "", phone: str = "", made_up: bool = False
) -> LogbookContent:
    """Read what a logbook holds and answer a question.

    Parameters
    ----------
    place
        The logbook's file.
    kept
        Verdicts of shots that were kept.
    question
        Identifier of `QUESTIONS`; "" for the shots of a shoot.
    shoot
        Name of the shoot that is meant; where it has none, the newest.
    phone
        Model of the phone that is meant; where it has none, the one with most shots.
    made_up
        Whether its shots are those of the simulated phone.

    Returns
    -------
    LogbookContent
        Shoots, what is learnt of the phone, and the shots of the answer.
    """
    with Logbook(place) as book:
        count, shoots = book.count(), tuple(book.shoots())
        base = LogbookContent(made_up, book.problem, count, shoots)
        if not count:
            return base
        phones = Counter({m: book.count(model=m) for m in book.phones()})
        chosen = phone if phone in phones else phones.most_common(1)[0][0]
        found = replace(
            base, phones=tuple(m for m, _ in phones.most_common()), phone=chosen,
            battery=estimates.battery(book.batteries()),
            charges={name: (a, b, h) for name, a, b, h in book.batteries()}, **_of_phone(book, chosen),
        )  # fmt: skip
        of_shoot = shoot if any(s.name == shoot for s in shoots) else shoots[0].name
        if question == "stars":
            answer, some = _stars(book, chosen, kept)
            return replace(found, title=QUESTIONS[question], answer=answer, shots=tuple(some[:MOST_SHOTS]))
        if question == "clean":
            by_iso = [r for g in found.groups[:1] for r in sorted(g.shots, key=lambda r: r.iso or 0)]
            answer = _clean(found.groups)
            return replace(found, title=QUESTIONS[question], answer=answer, shots=tuple(by_iso[:MOST_SHOTS]))
        some = book.page(0, MOST_SHOTS, "taken", shoot=of_shoot)
        if question == "place":
            places = Counter(r.place for r in some if r.place)
            if not places:
                sentence = tr(
                    "Type on the right where {of_shoot} was; then its other shoots are listed.", of_shoot=of_shoot
                )
                return replace(found, shoot=of_shoot, title=QUESTIONS[question], answer=sentence, shots=tuple(some))
            where = places.most_common(1)[0][0]
            there = book.page(0, MOST_SHOTS, place=where)
            visits = book.visits(where)
            sentence = trn(
                "{where}: {count} shots in {visits} shoot.",
                "{where}: {count} shots in {visits} shoots.",
                visits=visits,
                where=where,
                count=book.count(place=where),
            )
            return replace(found, title=QUESTIONS[question], answer=sentence, shots=tuple(there))
        row = next(r for r in shoots if r.name == of_shoot)
        notice = trn(
            "{shots} shot, {picked} Keep or Best.",
            "{shots} shots, {picked} Keep or Best.",
            shots=row.shots,
            picked=row.picked,
        )
        if row.shots > len(some):
            notice = sentences(notice, tr("The first {some_count} are listed.", some_count=len(some)))
        return replace(found, shoot=of_shoot, title=of_shoot, answer=notice, shots=tuple(some))
