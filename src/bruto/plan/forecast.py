"""Forecast what a planned shot costs and gives: noise, blur, trails, storage, time and battery."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, datetime

from bruto.catalog import clauses, items, tr, trn
from bruto.plan.almanac import Spot
from bruto.plan.equipment import Equipment, EquipmentLens, saturation_per
from bruto.plan.noise import ENOUGH_SNR, SHADOW_EV, blur_chance
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.recommendations import Facts, light_of, moment_of, recommended
from bruto.plan.shot_kinds import kind_of
from bruto.plan.sky_recommendations import aim_of, declination_of, rate_at
from bruto.plan.stars import SHARED_EDGE, SIDEREAL_ARCSEC, arcs, trail_px
from bruto.plan.storage_need import KEEP_FREE
from bruto.sensor.advice import time_text

MAGNITUDE_0_LUX = 2.54e-6
"""Illuminance of a star of magnitude 0 above the air (Allen, Astrophysical Quantities)."""
EXTINCTION = 0.28
"""Magnitudes lost for each air mass (Schaefer 1993)."""
STAR_PIXELS = 8.0
"""That hold most of a point of light behind a phone's lens."""
STAR = 4.0
"""Magnitude of the star whose signal is reported: the faintest that is easily seen by eye under a village's sky."""
LIGHTEN = 0.45
"""Of a frame's noise that is left in the lightest of many: the spread of the greatest of about a hundred normal
values (Gumbel 1958).
"""


@dataclass(frozen=True)
class ShotForecast:
    """Of the result, in one pixel of the usual raw: `level` of grey, or of the sky, in shares of saturation.

    `snr` of it and `snr_shadow` 3 EV under it (of a star of magnitude `STAR` for the sky); `blur` chance of a
    frame, None on a tripod; `trail` of a frame in pixels, `arc` of the sequence in degrees about the pole, `gap`
    between two frames in pixels, None where stars are not taken; `seconds` it takes, `megabytes`, `percent` of
    the battery.
    """

    of_sky: bool
    level: float
    snr: float
    snr_shadow: float
    blur: float | None
    trail: float | None
    trail_shared: float | None
    arc: float | None
    gap: float | None
    frames: int
    seconds: float
    megabytes: float
    free_mb: float | None
    percent: float | None

    @property
    def full(self) -> bool:
        """Whether grey, or the sky, is lost in white."""
        return self.level >= 1

    @property
    def fits(self) -> bool | None:
        """Whether it fits the free storage; None where that is unknown."""
        return None if self.free_mb is None else self.megabytes <= (1 - KEEP_FREE) * self.free_mb

    def lines(self) -> list[tuple[str, str, bool]]:
        """Name, what is reported, and whether it is something to mind."""
        what = tr("the sky") if self.of_sky else tr("grey")
        light = tr("{what} at {level:.2g} % of saturation", what=what, level=100 * self.level)
        if not self.full:
            light = items(light, tr("{stops:.1f} EV below it", stops=math.log2(1 / max(self.level, 1e-09))))
        found = [(tr("Light"), light, self.full)]
        if self.of_sky:
            found.append(
                (
                    tr("Noise"),
                    tr(
                        "sky {snr:.1f} ×, star of magnitude {STAR:g}: {snr_shadow:.0f} × its noise",
                        snr=self.snr,
                        STAR=STAR,
                        snr_shadow=self.snr_shadow,
                    ),
                    self.snr_shadow < ENOUGH_SNR,
                )
            )
        else:
            text = tr(
                "grey {snr:.0f} ×, a shadow {SHADOW_EV:.0f} EV below it {snr_shadow:.1f} × its noise",
                snr=self.snr,
                SHADOW_EV=-SHADOW_EV,
                snr_shadow=self.snr_shadow,
            )
            found.append((tr("Noise"), text, self.snr_shadow < ENOUGH_SNR))
        if self.blur is not None:
            found.append((tr("Blur"), tr("{blur:.0f} of 100 handheld frames", blur=100 * self.blur), self.blur > 0.25))
        if self.trail is not None:
            shared = (
                ""
                if self.trail_shared is None
                else tr(
                    ", {trail_shared:.1f} px at {SHARED_EDGE}", trail_shared=self.trail_shared, SHARED_EDGE=SHARED_EDGE
                )
            )
            found.append(
                (tr("Stars"), tr("move {trail:.1f} px in a frame{shared}", trail=self.trail, shared=shared), False)
            )
        if self.arc is not None:
            gap = "" if self.gap is None else tr(", gaps of {gap:.1f} px", gap=self.gap)
            found.append((tr("Arcs"), tr("{arc:.1f}° around the pole{gap}", arc=self.arc, gap=gap), False))
        size = (
            tr("{megabytes:.1f} GB", megabytes=self.megabytes / 1000)
            if self.megabytes >= 1000
            else tr("{megabytes:.0f} MB", megabytes=self.megabytes)
        )
        if self.free_mb is not None:
            size = tr("{size} of {free_gb:.1f} GB free", size=size, free_gb=self.free_mb / 1000)
        found.append(
            (
                tr("Storage"),
                trn("{size}, {frames} frame", "{size}, {frames} frames", frames=self.frames, size=size),
                self.fits is False,
            )
        )
        found.append((tr("Time"), lasting(self.seconds), False))
        if self.percent is not None:
            found.append((tr("Battery"), tr("about {percent:.0f} %", percent=self.percent), self.percent > 70))
        return found

    def text(self) -> str:
        """Say all of it in one line, for the list."""
        return clauses(*(tr("{name}: {text}", name=name.lower(), text=text) for name, text, _ in self.lines()[1:]))


def lasting(seconds: float) -> str:
    """Say how long something lasts.

    Parameters
    ----------
    seconds
        Exposure time, seconds.

    Returns
    -------
    str
        How long something lasts.

    Examples
    --------
    >>> lasting(0.02), lasting(95), lasting(6840)
    ('1/50 s', '1 min 35 s', '1 h 54 min')
    """
    if seconds < 60:
        return time_text(round(seconds, 1) if seconds >= 1 else seconds)
    minutes, rest = divmod(round(seconds), 60)
    if minutes < 60:
        return tr("{minutes} min", minutes=minutes) + (f" {rest} s" if rest else "")
    return tr("{minutes} h {minutes2} min", minutes=minutes // 60, minutes2=minutes % 60)


def star_light(lens: EquipmentLens, magnitude: float, altitude: float) -> float:
    """Compute the light of a star, in shares of saturation and summed over its pixels, in one second at ISO 1.

    Its illuminance is gathered by the lens's opening and falls on one pixel's area; the air takes its part. 0 where
    the lens's true focal length or opening is not known.

    Parameters
    ----------
    lens
        Lens of the phone.
    magnitude
        Apparent magnitude.
    altitude
        Altitude above the horizon, degrees.

    Returns
    -------
    float
        Light of a star, in shares of saturation and summed over its pixels, in one second at ISO 1.
    """
    pitch = lens.pixel_um
    if pitch is None or lens.focal_mm is None or lens.f_number is None:
        return 0.0
    air = 1 / max(math.sin(math.radians(max(altitude, 2.0))), 0.03)
    lux = MAGNITUDE_0_LUX * 10 ** (-0.4 * (magnitude + EXTINCTION * (air - 1)))
    # as a luminance over one pixel's angle, so that transmission and geometry are those of `saturation_per`
    angle = (pitch / 1000 / lens.focal_mm) ** 2
    return lux / angle * saturation_per(lens.f_number)


def star_snr(means: Equipment, iso: float, seconds: float, sky: float, trail: float, light: float) -> float:
    """Compute the signal over noise of a star.

    Its `light` (of `star_light`) lies over the pixels of its point and its `trail`, on a `sky` of some level.

    Parameters
    ----------
    means
        The phone's equipment: lenses, steps, noise, pace, handheld limit.
    iso
        ISO speed.
    seconds
        Exposure time, seconds.
    sky
        Light of the sky, share of saturation.
    trail
        Length of a star's trail, pixels.
    light
        Light relative to saturation, 0 to 1.

    Returns
    -------
    float
        Signal over noise of a star whose `light` (of `star_light`) lies over the pixels of its point and its
        `trail`, on a `sky` of some level.
    """
    a, b = means.noise.at(iso)
    pixels = STAR_PIXELS * (1 + max(trail, 0.0) / 3)
    signal = light * iso * seconds
    return signal / math.sqrt(max(a * signal + pixels * (a * sky + b), 1e-30))


def forecast_of(planned: PlannedShot, plan: Plan, means: Equipment, facts: Facts) -> ShotForecast:
    """Find what a planned shot costs and gives; what is not set is taken as it is proposed.

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
    ShotForecast
        What a planned shot costs and gives.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    kind = kind_of(planned.kind)
    got = recommended(planned, plan, means, facts)

    def of(name: str) -> float:
        value = getattr(planned, name)
        return float(got[name].value if value is None else value)

    moment = moment_of(planned, plan.where) or datetime.fromtimestamp(got["at"].value, UTC)
    lens, iso, seconds = means.lens(of("focal_35mm")), of("iso"), of("seconds")
    sky = kind.light == "sky"
    aim = aim_of(planned, got) if sky else None
    light = light_of(planned, plan, moment, aim or Spot(0.0, 0.0))
    level = rate_at(lens, light) * iso * seconds
    better = 1.0
    if kind.merged == "mean":
        better = math.sqrt(planned.frames)
    elif kind.merged == "lighten" and planned.frames > 1:
        better = 1 / LIGHTEN
    snr = means.noise.snr(min(level, 1.0), iso) * better
    shadow = means.noise.snr(min(level, 1.0) * 2**SHADOW_EV, iso) * better
    trail = shared = arc = gap = None
    every = of("interval_s") if "interval_s" in got or planned.interval_s else seconds + means.pace_s
    lasts = (planned.frames - 1) * every + seconds
    if aim is not None:
        declination = declination_of(aim, plan.where.latitude)
        pitch = lens.pixel_um
        if pitch is not None and lens.focal_mm is not None:
            trail = trail_px(seconds, lens.focal_mm, pitch, declination)
            shared = trail * min(1.0, SHARED_EDGE / lens.size[0])
            if planned.kind == "trail":
                gap = trail_px(max(every - seconds, 0.0), lens.focal_mm, pitch, 0.0)
        if planned.kind == "trail":
            arc = SIDEREAL_ARCSEC * lasts / 3600
        star = star_light(lens, STAR, aim.altitude)
        shadow = star_snr(means, iso, seconds, min(level, 1.0), trail or 0.0, star)
        shadow *= better if kind.merged == "mean" else 1.0
    support = planned.support or kind.support
    blur = None if support == "tripod" else blur_chance(seconds, means.limit_35mm / lens.focal_35mm, means.spread)
    return ShotForecast(
        sky, level, snr, shadow, blur, trail, shared, arc, gap, planned.frames, lasts, planned.frames * means.mb_each,
        plan.free_mb, None if means.percent_h is None else means.percent_h * lasts / 3600,
    )  # fmt: skip


def longest_arc(planned: PlannedShot, plan: Plan, means: Equipment, facts: Facts) -> tuple[float, str]:
    """Compute the longest arc of a sequence in the frame, pixels, and where it goes: "" where nothing is aimed.

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
    tuple[float, str]
        The longest arc of a sequence in the frame, pixels, and where it goes.
    """
    got = recommended(planned, plan, means, facts)
    if "altitude" not in got:
        return 0.0, ""
    lens = means.lens(planned.focal_35mm or got["focal_35mm"].value)
    every = planned.interval_s or (got["interval_s"].value if "interval_s" in got else 0.0)
    lasts = (planned.frames - 1) * every + (planned.seconds or got["seconds"].value)
    longest = max(
        arcs(aim_of(planned, got), plan.where.latitude, lens.focal_px, lens.size, lasts),
        key=lambda a: a.pixels,
        default=None,
    )
    if longest is None:
        return 0.0, ""
    alternatives = (
        "right",
        tr("up to the right"),
        "up",
        tr("up to the left"),
        "left",
        tr("down to the left"),
        "down",
        tr("down to the right"),
    )
    return longest.pixels, alternatives[round(longest.degrees / 45) % 8]
