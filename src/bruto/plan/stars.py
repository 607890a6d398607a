"""How long the shutter may stay open before stars draw lines, by both schools, and what many short frames give."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.plan.almanac import Spot

SIDEREAL_ARCSEC = 15.041067
"""Arc seconds that the sky turns by in a second (360 degrees in 86164.0905 s)."""
FULL_FRAME_MM = 43.2666
"""Diagonal of 35 mm film, mm: what equivalent focal lengths are given for (CIPA DCG-001)."""
RULE_500 = 500.0
"""Seconds times mm at 35 mm film after which a star's line shows on a print held in the hand."""
SOFT, CORRECTION, PIXELS = 16.856, 0.0997, 13.713
"""Of the rule by aperture, focal length and pixel pitch (F. Michaud, Société Astronomique du Havre): seconds at the
celestial equator are (16.856 N + 0.0997 f + 13.713 p) / f, with f in mm and p in micrometres.
"""
SHARED_EDGE = 2048
"""Long edge of a picture that is shared, pixels."""
TRAIL_SHOWS = 1.5
"""Pixels of a trail beside which a point still looks like a point."""
LEAST_DECLINATION = 1e-3
"""Cosine of the declination at the pole itself, where stars do not move: times are not endless."""


@dataclass(frozen=True)
class StarLens:
    """A lens as far as it matters how long stars stay points."""

    focal_35mm: float
    """Equivalent focal length, mm; and where they are known the f-number, the `pixel_um` pitch in micrometres, the
    true `focal_mm`, and the `width` of the frame in pixels.
    """
    f_number: float | None = None
    pixel_um: float | None = None
    focal_mm: float | None = None
    width: int | None = None

    def __post_init__(self) -> None:
        for name, value, least, most in (
            (tr("The 35 mm equivalent focal length"), self.focal_35mm, 1, 20000),
            (tr("The f-number"), self.f_number, 0.3, 100),
            (tr("The pixel pitch"), self.pixel_um, 0.1, 100),
            (tr("The focal length"), self.focal_mm, 0.1, 5000),
        ):
            if value is not None and not (math.isfinite(value) and least <= value <= most):
                raise BrutoError(
                    tr(
                        "{name} is {least:g} to {most:g}, not {value:g}.",
                        name=name,
                        least=least,
                        most=most,
                        value=value,
                    )
                )


def pixel_pitch(focal_mm: float, focal_35mm: float, width: int, height: int) -> float:
    """Compute the micrometres from pixel to pixel of a sensor whose diagonal follows from its focal lengths.

    Parameters
    ----------
    focal_mm
        Focal length, mm.
    focal_35mm
        35 mm equivalent focal length, mm.
    width
        Width, pixels.
    height
        Height, pixels.

    Returns
    -------
    float
        Micrometres from pixel to pixel of a sensor whose diagonal follows from its focal lengths.

    Examples
    --------
    >>> round(pixel_pitch(5.9, 26.0, 4032, 3024), 2)
    1.95
    """
    return FULL_FRAME_MM * focal_mm / focal_35mm / math.hypot(width, height) * 1000


def _cosine(declination: float) -> float:
    if not (math.isfinite(declination) and -90 <= declination <= 90):
        raise BrutoError(tr("A declination is -90 to 90 degrees, not {declination:g}.", declination=declination))
    return max(math.cos(math.radians(declination)), LEAST_DECLINATION)


def rule_500(focal_35mm: float) -> float:
    """Compute the seconds by the rule of 500, whatever the declination.

    Parameters
    ----------
    focal_35mm
        35 mm equivalent focal length, mm.

    Returns
    -------
    float
        Seconds by the rule of 500, whatever the declination.

    Examples
    --------
    >>> round(rule_500(28), 1)
    17.9
    """
    return RULE_500 / focal_35mm


def aperture_pitch(f_number: float, pixel_um: float, focal_mm: float, declination: float = 0.0) -> float:
    """Compute the seconds by the stricter rule (see `SOFT`).

    Blur of diffraction, of the lens and of pixels against the line.

    Parameters
    ----------
    f_number
        F-number of the lens.
    pixel_um
        Pixel pitch, micrometres.
    focal_mm
        Focal length, mm.
    declination
        Declination, degrees.

    Returns
    -------
    float
        Seconds by the stricter rule (see `SOFT`): blur of diffraction, of the lens and of pixels against the
        line.

    Examples
    --------
    >>> round(aperture_pitch(1.9, 1.95, 5.9), 1)
    10.1
    """
    equator = (SOFT * f_number + CORRECTION * focal_mm + PIXELS * pixel_um) / focal_mm
    return equator / _cosine(declination)


def trail_px(seconds: float, focal_mm: float, pixel_um: float, declination: float = 0.0) -> float:
    """Compute the pixels that a star moves by in the middle of a frame.

    Parameters
    ----------
    seconds
        Exposure time, seconds.
    focal_mm
        Focal length, mm.
    pixel_um
        Pixel pitch, micrometres.
    declination
        Declination, degrees.

    Returns
    -------
    float
        Pixels that a star moves by in the middle of a frame.

    Examples
    --------
    >>> round(trail_px(20, 5.9, 1.95), 2)
    4.41
    """
    radians = math.radians(SIDEREAL_ARCSEC * seconds / 3600)
    cosine = math.cos(math.radians(declination)) if -90 <= declination <= 90 else _cosine(declination)
    return radians * cosine * focal_mm * 1000 / pixel_um


@dataclass(frozen=True)
class Offered:
    """A time that the phone offers.

    The `trail` in pixels (None where pitch and focal length are not known) of frames at full size, binned to a
    quarter of the pixels, and shared at 2048 px; and the rules that it is `within`.
    """

    seconds: float
    trail: float | None
    binned: float | None
    shared: float | None
    within: tuple[str, ...]


@dataclass(frozen=True)
class Stars:
    """`offered` times; `advice` by aim."""

    rules: dict[str, float]
    """Seconds by name."""
    offered: tuple[Offered, ...]
    stack: tuple[int, float]
    """Frames and their seconds that gather `total` seconds without a line."""
    total: float
    advice: dict[str, str]

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""

        def rounded(value: float | None) -> float | None:
            return None if value is None else round(value, 3)

        return {
            "rules": [{"name": k, "seconds": round(v, 3)} for k, v in self.rules.items()],
            "offered": [
                {
                    "seconds": o.seconds, "trail_px": rounded(o.trail), "trail_binned_px": rounded(o.binned),
                    "trail_shared_px": rounded(o.shared), "within": list(o.within),
                }
                for o in self.offered
            ],
            "stack": {"frames": self.stack[0], "seconds": round(self.stack[1], 6), "total_s": round(self.total, 3)},
            "advice": self.advice,
        }  # fmt: skip


def stars(lens: StarLens, offered: Sequence[float] = (), declination: float = 0.0, total: float = 120.0) -> Stars:
    """Find how long the shutter may stay open under stars of a declination (degrees; 0 moves most).

    Parameters
    ----------
    lens
        The lens.
    offered
        Times that the phone offers, seconds.
    declination
        Declination, degrees.
    total
        Exposure that a stack shall gather, seconds.

    Returns
    -------
    Stars
        Times by each rule, those on offer, and what a stack of them gathers.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    _cosine(declination)
    if not (math.isfinite(total) and 0 < total <= 1e6):
        raise BrutoError(tr("The total exposure of a stack must be more than 0 s, not {total:g}.", total=total))
    if any(not (math.isfinite(s) and 0 < s <= 1e6) for s in offered):
        raise BrutoError(tr("Every time must be more than 0 s."))
    rules = {"500": rule_500(lens.focal_35mm)}
    known = lens.focal_mm is not None and lens.pixel_um is not None
    if lens.f_number is not None and lens.focal_mm is not None and lens.pixel_um is not None:
        rules["aperture-pitch"] = aperture_pitch(lens.f_number, lens.pixel_um, lens.focal_mm, declination)
    found = []
    for seconds in sorted(set(offered)):
        trail = trail_px(seconds, lens.focal_mm or 1, lens.pixel_um or 1, declination) if known else None
        shared = None if trail is None or not lens.width else trail * min(1.0, SHARED_EDGE / lens.width)
        within = tuple(name for name, limit in rules.items() if seconds <= limit * (1 + 1e-9))
        found.append(Offered(seconds, trail, None if trail is None else trail / 2, shared, within))
    strict = min(rules.values())
    points = [o.seconds for o in found if o.seconds <= strict * (1 + 1e-9)]
    one = max(points) if points else (min(o.seconds for o in found) if found else strict)
    stack = (max(1, math.ceil(total / one - 1e-9)), one)
    return Stars(rules, tuple(found), stack, total, _advice(rules, found, stack))


def _advice(rules: dict[str, float], offered: Sequence[Offered], stack: tuple[int, float]) -> dict[str, str]:
    """One sentence for each aim, in times that are offered."""
    if not offered:
        strict = min(rules, key=lambda k: rules[k])
        return {
            "stack": tr(
                "{stack} frames of {stack2:.3g} s each, within the rule '{strict}'.",
                stack=stack[0],
                stack2=stack[1],
                strict=strict,
            )
        }
    shared = [o for o in offered if (o.shared if o.shared is not None else 0) <= 2 * TRAIL_SHOWS and "500" in o.within]
    usable = [o for o in offered if len(o.within) == len(rules)]
    found = {}
    if shared:
        found["share"] = tr(
            "{seconds:g} s: the longest within 500 / focal length, points at {SHARED_EDGE} px.",
            seconds=shared[-1].seconds,
            SHARED_EDGE=SHARED_EDGE,
        )
    else:
        found["share"] = tr(
            "{seconds:g} s is the shortest time, and stars are lines already.", seconds=offered[0].seconds
        )
    if usable:
        line = "" if usable[-1].trail is None else tr(", a line of {trail:.1f} px", trail=usable[-1].trail)
        found["print"] = tr("{seconds:g} s: the longest within all rules{line}.", seconds=usable[-1].seconds, line=line)
    else:
        found["print"] = tr(
            "No time on offer keeps stars as points; {seconds:g} s comes closest.", seconds=offered[0].seconds
        )
    gain = math.sqrt(stack[0])
    found["stack"] = tr(
        "{stack} frames of {stack2:g} s: points, and {gain:.1f} × less noise than one frame.",
        stack=stack[0],
        stack2=stack[1],
        gain=gain,
    )
    return found


@dataclass(frozen=True)
class StarArc:
    """What a star draws at a place of the frame (shares of width and height).

    `pixels`, and the direction in which it goes, `degrees` from the right over the top; `declination` in degrees.
    """

    x: float
    y: float
    pixels: float
    degrees: float
    declination: float


def _axes(aim: Spot, roll: float) -> NDArray[np.float64]:
    """Compute the unit vectors right, down and ahead of a camera in east, north, up."""
    h, a, r = (math.radians(v) for v in (aim.altitude, aim.azimuth, roll))
    ahead = np.array([math.cos(h) * math.sin(a), math.cos(h) * math.cos(a), math.sin(h)])
    right = np.array([math.cos(a), -math.sin(a), 0.0])
    down = np.cross(ahead, right)
    return np.stack([math.cos(r) * right + math.sin(r) * down, math.cos(r) * down - math.sin(r) * right, ahead])


def arcs(
    aim: Spot, latitude: float, focal_px: float, size: tuple[int, int], seconds: float, roll: float = 0.0,
    grid: tuple[int, int] = (3, 3),
    bend: float = 0.0,
) -> list[StarArc]:  # fmt: skip
    """Arcs that stars draw in a time in a frame that is pointed somewhere.

    Parameters
    ----------
    aim
        Where the middle of the frame looks, degrees.
    latitude
        Of the place, degrees, north positive.
    focal_px
        Focal length in pixels.
    size
        Width and height of the frame, pixels.
    seconds
        Exposure time, seconds.
    roll
        Degrees that the camera is turned by, clockwise.
    grid
        Places across and down that are looked at.
    bend
        By what share the lens bends the frame's corners outwards.

    Returns
    -------
    Arcs that begin at these places, along the way (not from end to end).
    """
    axes = _axes(aim, roll)
    to_pole = np.array([0.0, math.cos(math.radians(latitude)), math.sin(math.radians(latitude))])
    w, h = size
    steps = max(2, math.ceil(seconds / 240))
    turn = -math.radians(SIDEREAL_ARCSEC / 3600) * np.linspace(0, seconds, steps + 1)  # the sky turns to the west
    found = []
    for v in (np.arange(grid[1]) + 0.5) / grid[1]:
        for u in (np.arange(grid[0]) + 0.5) / grid[0]:
            ray = np.array([(u - 0.5) * w, (v - 0.5) * h, focal_px]) @ axes
            ray /= np.linalg.norm(ray)
            along, across = to_pole * (ray @ to_pole), np.cross(to_pole, ray)
            alternatives = along + np.outer(np.cos(turn), ray - along) + np.outer(np.sin(turn), across)
            seen = alternatives @ axes.T
            places = focal_px * seen[:, :2] / np.maximum(seen[:, 2:], 1e-6)
            places = places * (1 + bend * (places**2).sum(axis=1, keepdims=True) / (w * w / 4 + h * h / 4))
            moved = np.diff(places, axis=0)
            first = moved[0]
            found.append(StarArc(
                float(u), float(v), float(np.hypot(*moved.T).sum()),
                math.degrees(math.atan2(-first[1], first[0])) % 360,
                math.degrees(math.asin(min(max(float(ray @ to_pole), -1.0), 1.0))),
            ))  # fmt: skip
    return found
