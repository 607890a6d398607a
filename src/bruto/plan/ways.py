"""Other ways to take what a wish is for, each with what it costs: three of stars, three of low light."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from bruto.plan.almanac import Spot
from bruto.plan.kinds import kind_of
from bruto.plan.means import Means
from bruto.plan.noise import GREY, low_light, time_of_chance
from bruto.plan.pricing import Price, price_of
from bruto.plan.proposing import Facts, aim_of, declination_of, light_of, moment_of, proposed, rate_at
from bruto.plan.stars import Lens, stars
from bruto.plan.wishes import Plan, Wish
from bruto.sensor.advice import time_text

BURST = 8
"""Frames of a burst that is merged."""
STACK_S = 120.0
"""Exposure that a stack of stars gathers."""


@dataclass(frozen=True)
class Way:
    """`name`, what it is `said` to cost and give, and the `fields` of the wish that take it."""

    name: str
    said: str
    fields: dict[str, Any] = field(default_factory=dict)

    def taken_by(self, wish: Wish) -> bool:
        """Whether a wish is so already."""
        return all(getattr(wish, k) == v for k, v in self.fields.items())


def _stars_said(price: Price) -> str:
    trail = "" if price.trail is None else f"stars {price.trail:.1f} px long, "
    return f"{trail}the sky {price.snr:.1f} × its noise"


def _of_stars(wish: Wish, plan: Plan, means: Means, facts: Facts) -> list[Way]:
    got = proposed(wish, plan, means, facts)
    lens = means.lens(wish.focal_35mm or got["focal_35mm"].value)
    declination = declination_of(aim_of(wish, got), plan.latitude)
    found = stars(
        Lens(lens.focal_35mm, lens.f_number, lens.pixel_um, lens.focal_mm, lens.size[0]), means.seconds, declination,
        STACK_S,
    )  # fmt: skip
    within = [o.seconds for o in found.offered if "500" in o.within]
    strict = [o.seconds for o in found.offered if len(o.within) == len(found.rules)]
    ways: list[tuple[str, dict[str, Any]]] = []
    if within:
        ways.append(("To share", {"kind": "stars", "seconds": within[-1], "frames": 1, "interval_s": None}))
    if strict and strict[-1] != (within[-1] if within else None):
        ways.append(("To print", {"kind": "stars", "seconds": strict[-1], "frames": 1, "interval_s": None}))
    count, seconds = found.stack
    if count > 1:
        every = math.ceil(10 * (seconds + means.pace_s * 1.1 + 0.2)) / 10
        ways.append(("To merge", {"kind": "field", "seconds": seconds, "frames": count, "interval_s": every}))
    made = []
    for name, fields in ways:
        other = replace(wish, **fields, iso=None)
        fields["iso"] = proposed(other, plan, means, facts)["iso"].value
        price = price_of(replace(other, iso=fields["iso"]), plan, means, facts)
        times = f"{time_text(fields['seconds'])}" + (f" × {fields['frames']}" if fields["frames"] > 1 else "")
        made.append(Way(name, f"{times}, ISO {fields['iso']:.0f}: {_stars_said(price)}", fields))
    return made


def _of_low_light(wish: Wish, plan: Plan, means: Means, facts: Facts) -> list[Way]:
    got = proposed(wish, plan, means, facts)
    lens = means.lens(wish.focal_35mm or got["focal_35mm"].value)
    moment = moment_of(wish, plan.where) or datetime.fromtimestamp(got["at"].value, UTC)
    rate = rate_at(lens, light_of(wish, plan, moment, Spot(0.0, 0.0)))
    hand = time_of_chance(0.1, means.limit_35mm / lens.focal_35mm, means.spread)
    if rate * min(means.isos) * hand >= GREY:
        return []  # there is light enough for the lowest ISO in the hand
    answers = low_light(
        means.noise, rate, means.isos, means.seconds, means.limit_35mm / lens.focal_35mm, means.pace_s, BURST
    )
    held = ("tripod", "hand", "hand")
    found = []
    for answer, hold in zip(answers, held, strict=True):
        times = time_text(answer.step.seconds) + (f" × {answer.frames}" if answer.frames > 1 else "")
        blur = f", {100 * answer.blur_chance:.0f} of 100 blurred" if hold == "hand" else ""
        said = f"{times}, ISO {answer.step.iso:.0f}: grey {answer.snr_grey:.0f} × its noise{blur}"
        fields = {"seconds": answer.step.seconds, "iso": answer.step.iso, "frames": answer.frames, "held": hold}
        found.append(Way(answer.name[:1].upper() + answer.name[1:], said, fields))
    return found


def ways_of(wish: Wish, plan: Plan, means: Means, facts: Facts) -> list[Way]:
    """Other ways, empty where there is one only. Raises `BrutoError`."""
    if wish.kind in ("stars", "field"):
        return _of_stars(wish, plan, means, facts)
    kind = kind_of(wish.kind)
    if wish.kind in ("dusk", "window", "other", "close") and kind.light != "sky":
        return _of_low_light(wish, plan, means, facts)
    return []
