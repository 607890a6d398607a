"""A plan: what is to be shot where and when, as a list that can be printed, and what became of it.

A plan is a JSON file beside the shoots. Nothing of it is sent anywhere.
"""

from __future__ import annotations

import html
import json
import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Annotated, Any

from pydantic import Field

from bruto.plan.place import Place, parsed_date
from bruto.storage.documents import read_as
from bruto.storage.reading import read_json

Text = Annotated[str, Field(max_length=400)]
Number = Annotated[float, Field(ge=0, le=1e7)]
MOST_ITEMS = 200
LARGEST = 1 << 20
"""Bytes of a plan's file at most."""
SAME, NEAR = 0.2, 3.0
"""Distance in stops (of time and of ISO) up to which a shot is what was asked, and beyond which it is another one."""
LENS_SAME = 0.06
"""Share by which focal lengths of one lens may differ."""
ENOUGH = 0.9
"""Share of the frames that have to be there."""

CAUTIONS: dict[str, str] = {
    "sun": "Never look at the sun through a lens or a filter; do not point the phone at it for long.",
    "night": "Tell somebody where you are and when you come back; look at paths and water by day.",
    "water": "Mind tides, waves and slippery ground; keep away from the edge in the dark.",
    "battery": "Cold empties batteries; keep a power bank warm, dry and away from what can press it.",
    "ground": "Ask before you enter private ground; local rules go before any picture.",
    "road": "Do not stand on a road or beside rails; be seen in the dark.",
    "drone": "Fly only where local rules allow it, in sight, and not over people.",
}
"""What is said where it applies; local rules and people who know the place go before it."""
KINDS: dict[str, tuple[str, tuple[str, ...]]] = {
    "stars": ("Stars, one frame", ("night", "battery")), "trail": ("Star trail", ("night", "battery")),
    "field": ("Star field, to be merged", ("night", "battery")), "window": ("Bright window inside", ()),
    "dusk": ("Dusk, in the hand", ()), "infrared": ("Infrared", ("sun",)), "close": ("Close up", ()),
    "water": ("Moving water", ("water",)), "sun": ("Towards the sun", ("sun",)), "other": ("A shot", ()),
}  # fmt: skip
"""Kinds of wish: their title, and the cautions that apply."""


@dataclass(frozen=True)
class Wish:
    """One line of a plan. `kind`: see `KINDS`; `at`: when it begins, ISO 8601, "" where that does not matter; `frames`
    of `seconds` at `iso` with a lens of `focal_35mm`, every `interval_s` seconds; `reason`: why so; `price`: what it
    costs; `dismissed`: cautions that are not to be said of it.
    """

    title: Text
    kind: Annotated[str, Field(max_length=20)] = "other"
    at: Annotated[str, Field(max_length=40)] = ""
    iso: Number | None = None
    seconds: Number | None = None
    focal_35mm: Number | None = None
    frames: Annotated[int, Field(ge=1, le=100_000)] = 1
    interval_s: Number | None = None
    gear: Text = ""
    note: Text = ""
    reason: Text = ""
    price: Text = ""
    dismissed: Annotated[tuple[str, ...], Field(max_length=20)] = ()

    @property
    def cautions(self) -> list[str]:
        """What is said with it."""
        named = KINDS.get(self.kind, KINDS["other"])[1]
        return [CAUTIONS[c] for c in named if c not in self.dismissed]


@dataclass(frozen=True)
class Plan:
    """A shoot as a list, at a place on a date (YYYY-MM-DD) with a phone."""

    name: Text
    date: Annotated[str, Field(max_length=10)]
    latitude: float = 0.0
    longitude: float = 0.0
    height_m: float = 0.0
    zone: Annotated[str, Field(max_length=60)] = ""
    place: Text = ""
    make: Text = ""
    model: Text = ""
    wishes: Annotated[tuple[Wish, ...], Field(max_length=MOST_ITEMS)] = ()
    note: Text = ""

    @property
    def where(self) -> Place:
        """The place. Raises `BrutoError` where there is no such one."""
        return Place(self.latitude, self.longitude, self.height_m, self.zone, self.place)


def plan_from(data: dict[str, Any]) -> Plan:
    """A plan from JSON data. Raises `BrutoError` where a value cannot be real."""
    plan = read_as(Plan, data, "The plan")
    parsed_date(plan.date)
    _ = plan.where.clock
    return plan


def load_plan(path: str | Path) -> Plan:
    """A plan from its file. Raises `BrutoError`."""
    return plan_from(read_json(path, LARGEST))


def as_bytes(plan: Plan) -> bytes:
    """A plan as its file holds it."""
    return json.dumps(asdict(plan), ensure_ascii=False, indent=1).encode("utf-8", "surrogatepass") + b"\n"


# -- what became of it


@dataclass(frozen=True)
class Shot:
    """What is known of a shot that was taken."""

    name: str
    iso: float | None
    seconds: float | None
    focal_35mm: float | None


@dataclass(frozen=True)
class Became:
    """`state`: "done", "differently" or "missing"; `shots` that belong to it; `said` where it is not just done."""

    wish: Wish
    state: str
    shots: tuple[Shot, ...] = ()
    said: str = ""


def _stops(a: float | None, b: float | None) -> float:
    """How many stops apart two values are; 0 where one is not told."""
    return abs(math.log2(a / b)) if a and b else 0.0


def _apart(wish: Wish, shot: Shot) -> float:
    """How far a shot is from a wish, stops; infinite of another lens."""
    if wish.focal_35mm and shot.focal_35mm and abs(shot.focal_35mm / wish.focal_35mm - 1) > LENS_SAME:
        return math.inf
    return math.hypot(_stops(wish.seconds, shot.seconds), _stops(wish.iso, shot.iso))


def _time(seconds: float | None) -> str:
    if not seconds:
        return "–"
    return f"1/{1 / seconds:.0f} s" if seconds < 0.4 else f"{seconds:g} s"


def matched(plan: Plan, shots: Sequence[Shot]) -> list[Became]:
    """Shots that were taken laid on what was wished: each shot belongs to the nearest wish, if any is near.

    A wish is done where enough of its frames are as asked; else it is told what was got instead, or that it is missing.
    """
    of: list[list[tuple[float, Shot]]] = [[] for _ in plan.wishes]
    for shot in shots:
        near = [(_apart(w, shot), k) for k, w in enumerate(plan.wishes)]
        far, k = min(near, default=(math.inf, 0))
        if far <= NEAR:
            of[k].append((far, shot))
    found = []
    for wish, some in zip(plan.wishes, of, strict=True):
        exact = [s for far, s in some if far <= SAME]
        every = tuple(s for _, s in some)
        if len(exact) >= ENOUGH * wish.frames:
            found.append(Became(wish, "done", tuple(exact)))
        elif exact:
            said = f"asked {wish.frames} frames, got {len(exact)}"
            found.append(Became(wish, "differently", every, said))
        elif some:
            near_shot = min(some, key=lambda each: each[0])[1]
            parts = []
            if _stops(wish.seconds, near_shot.seconds) > SAME:
                parts.append(f"asked {_time(wish.seconds)}, got {_time(near_shot.seconds)}")
            if _stops(wish.iso, near_shot.iso) > SAME:
                parts.append(f"asked ISO {wish.iso:.0f}, got ISO {near_shot.iso:.0f}")
            found.append(Became(wish, "differently", every, "; ".join(parts)))
        else:
            found.append(Became(wish, "missing", (), "no shot is near to it"))
    return found


# -- on paper


def _row(wish: Wish) -> str:
    settings = []
    if wish.focal_35mm:
        settings.append(f"{wish.focal_35mm:.0f} mm")
    if wish.iso:
        settings.append(f"ISO {wish.iso:.0f}")
    if wish.seconds:
        settings.append(_time(wish.seconds))
    if wish.frames > 1:
        settings.append(f"× {wish.frames}")
    if wish.interval_s:
        settings.append(f"every {wish.interval_s:g} s")
    more = [f"Take along: {wish.gear}" if wish.gear else "", wish.price, wish.reason, wish.note]
    small = "".join(f"<p class=small>{html.escape(m)}</p>" for m in more if m)
    at = wish.at[11:16] if len(wish.at) >= 16 else ""
    return (
        f"<tr><td class=tick>☐</td><td class=at>{html.escape(at)}</td><td><b>{html.escape(wish.title)}</b>"
        f"<p class=set>{html.escape(' · '.join(settings))}</p>{small}</td></tr>"
    )


def shot_list(plan: Plan, facts: Sequence[str] = (), night: bool = False) -> str:
    """The plan as a page that prints on one sheet: large, with boxes to tick; `facts`: of the night or the day, above
    the list; `night`: red on black, which leaves eyes used to the dark.
    """
    ink, ground = ("#d03020", "#000000") if night else ("#111111", "#ffffff")
    rows = "".join(_row(w) for w in sorted(plan.wishes, key=lambda w: w.at or "~"))
    phone = plan.model if plan.model.startswith(plan.make) else f"{plan.make} {plan.model}".strip()
    head = " · ".join(p for p in (plan.date, plan.place, phone) if p)
    mind = "".join(f"<li>{html.escape(c)}</li>" for c in dict.fromkeys(c for w in plan.wishes for c in w.cautions))
    mind = f"<p><b>Mind</b></p><ul>{mind}</ul>" if mind else ""
    told = "".join(f"<li>{html.escape(f)}</li>" for f in facts)
    note = f"<p>{html.escape(plan.note)}</p>" if plan.note else ""
    return (
        '<!DOCTYPE html><html lang="en"><head><meta charset="utf-8">'
        f"<title>{html.escape(plan.name)}</title><style>"
        f"body{{font-family:sans-serif;color:{ink};background:{ground};font-size:15pt;margin:24px}}"
        "h1{font-size:22pt;margin:0} p{margin:2px 0} table{border-collapse:collapse;width:100%}"
        f"td{{border-top:1px solid {ink};padding:6px;vertical-align:top}} .tick{{font-size:22pt;width:32px}}"
        ".at{width:64px} .set{font-size:17pt} .small{font-size:11pt} li{font-size:12pt}"
        f"</style></head><body><h1>{html.escape(plan.name)}</h1><p>{html.escape(head)}</p><ul>{told}</ul>"
        f"<table>{rows}</table>{note}{mind}</body></html>"
    )


def example() -> Plan:
    """A plan for a night at the invented Orrin Saltern, as a beginning to be changed."""
    return Plan(
        "Pump under the stars", "2026-08-12", 41.0, 8.5, 3.0, "CET", "Orrin Saltern", "Vessar", "Vessar Tide 4",
        (
            Wish("Stars over the pump", "stars", "2026-08-12T23:10", 1600, 13, 26, gear="tripod, clamp",
                 reason="the longest within 500 / focal length that the phone offers"),
            Wish("Trail over the works", "trail", "2026-08-12T23:30", 1600, 13, 26, 480, 14.2,
                 gear="tripod, power bank", price="480 frames, 12 GB, 1 h 54 min"),
            Wish("Pans at first light", "dusk", "2026-08-13T05:50", 100, 1 / 60, 15),
        ),
    )  # fmt: skip


@dataclass(frozen=True)
class Summary:
    """How many wishes are done, done differently and missing."""

    done: int
    differently: int
    missing: int
    names: dict[str, list[str]] = field(default_factory=dict)


def summary(became: Sequence[Became]) -> Summary:
    """The sum of what became of a plan."""
    states = [b.state for b in became]
    names = {s: [b.wish.title for b in became if b.state == s] for s in ("done", "differently", "missing")}
    return Summary(states.count("done"), states.count("differently"), states.count("missing"), names)
