"""Other ways to take what a planned shot is for, each with what it costs: three of stars, three of low light."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from bruto.catalog import tr
from bruto.plan.almanac import Spot
from bruto.plan.equipment import Equipment
from bruto.plan.forecast import ShotForecast, forecast_of
from bruto.plan.noise import GREY, low_light, time_of_chance
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.recommendations import Facts, light_of, moment_of, recommended
from bruto.plan.shot_kinds import kind_of
from bruto.plan.sky_recommendations import aim_of, declination_of, rate_at
from bruto.plan.stars import StarLens, stars
from bruto.sensor.advice import time_text

BURST = 8
"""Frames of a burst that is merged."""
STACK_S = 120.0
"""Exposure that a stack of stars gathers."""


@dataclass(frozen=True)
class Alternative:
    """`name`, what it costs and gives (`text`), and the `fields` of the planned shot that take it."""

    name: str
    text: str
    fields: dict[str, Any] = field(default_factory=dict)

    def taken_by(self, planned: PlannedShot) -> bool:
        """Check whether a planned shot has these values already.

        Parameters
        ----------
        planned
            The planned shot.

        Returns
        -------
        bool
            True where a planned shot has these values already.
        """
        return all(getattr(planned, k) == v for k, v in self.fields.items())


def _stars_text(forecast: ShotForecast) -> str:
    trail = "" if forecast.trail is None else tr("stars {trail:.1f} px long, ", trail=forecast.trail)
    return tr("{trail}the sky {snr:.1f} × its noise", trail=trail, snr=forecast.snr)


def _of_stars(planned: PlannedShot, plan: Plan, means: Equipment, facts: Facts) -> list[Alternative]:
    got = recommended(planned, plan, means, facts)
    lens = means.lens(planned.focal_35mm or got["focal_35mm"].value)
    declination = declination_of(aim_of(planned, got), plan.where.latitude)
    found = stars(
        StarLens(lens.focal_35mm, lens.f_number, lens.pixel_um, lens.focal_mm, lens.size[0]), means.seconds,
        declination,
        STACK_S,
    )  # fmt: skip
    within = [o.seconds for o in found.offered if "500" in o.within]
    strict = [o.seconds for o in found.offered if len(o.within) == len(found.rules)]
    alternatives: list[tuple[str, dict[str, Any]]] = []
    if within:
        alternatives.append((tr("To share"), {"kind": "stars", "seconds": within[-1], "frames": 1, "interval_s": None}))
    if strict and strict[-1] != (within[-1] if within else None):
        alternatives.append((tr("To print"), {"kind": "stars", "seconds": strict[-1], "frames": 1, "interval_s": None}))
    count, seconds = found.stack
    if count > 1:
        every = math.ceil(10 * (seconds + means.pace_s * 1.1 + 0.2)) / 10
        alternatives.append(
            (tr("To merge"), {"kind": "field", "seconds": seconds, "frames": count, "interval_s": every})
        )
    made = []
    for name, fields in alternatives:
        other = replace(planned, **fields, iso=None)
        fields["iso"] = recommended(other, plan, means, facts)["iso"].value
        forecast = forecast_of(replace(other, iso=fields["iso"]), plan, means, facts)
        times = f"{time_text(fields['seconds'])}" + (f" × {fields['frames']}" if fields["frames"] > 1 else "")
        made.append(
            Alternative(
                name,
                tr("{times}, ISO {iso:.0f}: {stars}", times=times, iso=fields["iso"], stars=_stars_text(forecast)),
                fields,
            )
        )
    return made


def _of_low_light(planned: PlannedShot, plan: Plan, means: Equipment, facts: Facts) -> list[Alternative]:
    got = recommended(planned, plan, means, facts)
    lens = means.lens(planned.focal_35mm or got["focal_35mm"].value)
    moment = moment_of(planned, plan.where) or datetime.fromtimestamp(got["at"].value, UTC)
    rate = rate_at(lens, light_of(planned, plan, moment, Spot(0.0, 0.0)))
    hand = time_of_chance(0.1, means.limit_35mm / lens.focal_35mm, means.spread)
    if rate * min(means.isos) * hand >= GREY:
        return []  # there is light enough for the lowest ISO in the hand
    answers = low_light(
        means.noise, rate, means.isos, means.seconds, means.limit_35mm / lens.focal_35mm, means.pace_s, BURST
    )
    supports = ("tripod", "hand", "hand")
    found = []
    for answer, hold in zip(answers, supports, strict=True):
        times = time_text(answer.step.seconds) + (f" × {answer.frames}" if answer.frames > 1 else "")
        blur = tr(", {blur_chance:.0f} of 100 blurred", blur_chance=100 * answer.blur_chance) if hold == "hand" else ""
        text = tr(
            "{times}, ISO {iso:.0f}: grey {snr_grey:.0f} × its noise{blur}",
            times=times,
            iso=answer.step.iso,
            snr_grey=answer.snr_grey,
            blur=blur,
        )
        fields = {"seconds": answer.step.seconds, "iso": answer.step.iso, "frames": answer.frames, "support": hold}
        found.append(Alternative(answer.name[:1].upper() + answer.name[1:], text, fields))
    return found


def alternatives_of(planned: PlannedShot, plan: Plan, means: Equipment, facts: Facts) -> list[Alternative]:
    """Return other ways, empty where there is one only.

    Parameters
    ----------
    planned
        The planned shot.
    plan
        The plan.
    means
        The phone's equipment: lenses, steps, noise, pace, handheld limit.
    facts
        Sun, moon and target of the place and date.

    Returns
    -------
    list[Alternative]
        Other ways, empty where there is one only.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    if planned.kind in ("stars", "field"):
        return _of_stars(planned, plan, means, facts)
    kind = kind_of(planned.kind)
    if planned.kind in ("dusk", "window", "other", "close") and kind.light != "sky":
        return _of_low_light(planned, plan, means, facts)
    return []
