"""What a phone's lens can and cannot do: depth of field, blur of the background, add-on lenses, filters, prints."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.plan.stars import FULL_FRAME_MM

CIRCLE_SHARE = 1 / 1500
"""Blur, as a share of the frame's diagonal, that still counts as sharp in a print held in the hand."""
EYE_DEG = 1 / 60
"""Detail that an eye sees, degrees (visual acuity 1.0, ISO 8596)."""
THREADS_MM = (25, 28, 30, 37, 40.5, 43, 46, 49, 52, 55, 58, 62, 67, 72, 77, 82, 86, 95)
"""Filter threads that are made, mm (ISO 6611 and what is sold)."""
RIM_MM = 2.0
"""Mm of a thread that a filter's rim takes of its width, on each side."""


def _positive(name: str, value: float, most: float = 1e9) -> None:
    if not (math.isfinite(value) and 0 < value <= most):
        raise BrutoError(tr("{name} must be more than 0, not {value:g}.", name=name, value=value))


@dataclass(frozen=True)
class Depth:
    """Distances in metres: from `near` to `far` (None: without end) it is sharp; `hyperfocal`."""

    near: float
    far: float | None
    hyperfocal: float
    disc_px: float | None
    """Diameter of the blur of a point in the background, and its `disc_share` of the frame's width; None without a
    background.
    """
    disc_share: float | None
    focal_mm: float

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""

        def rounded(value: float | None, digits: int = 4) -> float | None:
            return None if value is None else round(value, digits)

        return {
            "near_m": rounded(self.near), "far_m": rounded(self.far), "hyperfocal_m": rounded(self.hyperfocal),
            "background_disc_px": rounded(self.disc_px, 2), "background_disc_share": rounded(self.disc_share, 5),
            "focal_mm": rounded(self.focal_mm, 3),
        }  # fmt: skip


def depth(
    focal_mm: float, focal_35mm: float, f_number: float, distance_m: float, background_m: float | None = None,
    width: int = 4032, height: int = 3024, add_on: float = 1.0,
) -> Depth:  # fmt: skip
    """Return the depth of field of a thin lens, and the blur of what lies behind.

    Parameters
    ----------
    focal_mm
        Focal length, mm.
    focal_35mm
        35 mm equivalent focal length, mm.
    f_number
        F-number of the lens.
    distance_m
        Where it is focused.
    background_m
        Of what lies behind (math.inf for the sky).
    width
        Width, pixels.
    height
        Height, pixels.
    add_on
        Factor of an add-on lens, which makes the focal length longer and, as it has no stop of its own, keeps
        the f-number.

    Returns
    -------
    Depth
        Depth of field of a thin lens, and the blur of what lies behind.
    """
    for name, value in (
        (tr("The focal length"), focal_mm),
        (tr("The 35 mm equivalent focal length"), focal_35mm),
        (tr("The f-number"), f_number),
        (tr("The distance"), distance_m),
        (tr("The factor"), add_on),
    ):
        _positive(name, value)
    f = focal_mm * add_on
    diagonal = FULL_FRAME_MM * focal_mm / focal_35mm
    circle = diagonal * CIRCLE_SHARE
    s, h = distance_m * 1000, f * f / (f_number * circle) + f
    if s <= f:
        raise BrutoError(tr("This lens cannot focus nearer than {f:.4f} m.", f=f / 1000))
    near = s * (h - f) / (h + s - 2 * f)
    far = None if s >= h else s * (h - f) / (h - s)
    disc = share = None
    if background_m is not None:
        if not background_m > 0:
            raise BrutoError(tr("The background must be farther than 0 m."))
        behind = 1.0 if math.isinf(background_m) else abs(background_m * 1000 - s) / (background_m * 1000)
        blur = f * f / (f_number * (s - f)) * behind  # mm on the sensor
        pitch = diagonal / math.hypot(width, height)
        disc, share = blur / pitch, blur / (pitch * width)
    return Depth(near / 1000, None if far is None else far / 1000, h / 1000, disc, share, f)


def print_width_m(pixels: int, distance_m: float) -> float:
    """Compute the widest print, metres, of which an eye at a distance sees no pixels.

    Parameters
    ----------
    pixels
        Number of pixels.
    distance_m
        Viewing distance, metres.

    Returns
    -------
    float
        Widest print, metres, of which an eye at a distance sees no pixels.

    Examples
    --------
    >>> round(print_width_m(4032, 0.5), 2)
    0.59
    """
    _positive(tr("The number of pixels"), pixels)
    _positive(tr("The distance"), distance_m)
    return pixels * distance_m * math.tan(math.radians(EYE_DEG))


def pixels_left(zoom: float, width: int, height: int) -> tuple[int, int]:
    """Return the width and height that a crop leaves of a lens's own frame.

    Parameters
    ----------
    zoom
        Magnification.
    width
        Width, pixels.
    height
        Height, pixels.

    Returns
    -------
    tuple[int, int]
        Width and height that a crop leaves of a lens's own frame.

    Examples
    --------
    >>> pixels_left(2.0, 4032, 3024)
    (2016, 1512)
    """
    if not zoom >= 1:
        raise BrutoError(tr("A zoom is 1 or more, not {zoom:g}.", zoom=zoom))
    return round(width / zoom), round(height / zoom)


@dataclass(frozen=True)
class Filter:
    """`seconds` behind a grey filter; `frames` of it that gather the same when they are averaged.

    Without any filter `bare_frames` of the `bare` time.
    """

    stops: float
    bare: float
    seconds: float
    offered: float | None
    """The longest time offered up to that."""
    frames: int | None
    bare_frames: int


def grey_filter(seconds: float, stops: float, offered: Sequence[float] = ()) -> Filter:
    """Find what a grey filter of so many stops asks for, and the same by averaging frames (noise and movement alike).

    Parameters
    ----------
    seconds
        Exposure time, seconds.
    stops
        Strength of the filter, stops.
    offered
        Values on offer.

    Returns
    -------
    Filter
        What a grey filter of so many stops asks for, and the same by averaging frames (noise and movement
        alike).

    Examples
    --------
    >>> grey_filter(1 / 50, 10).bare_frames
    1024
    """
    _positive(tr("The exposure time"), seconds)
    if not (math.isfinite(stops) and 0 <= stops <= 30):
        raise BrutoError(tr("A filter has 0 to 30 stops, not {stops:g}.", stops=stops))
    wanted = seconds * 2**stops
    fitting = [s for s in offered if s <= wanted * 1.02]
    longest = max(fitting) if fitting else None
    frames = None if longest is None else max(1, round(wanted / longest))
    return Filter(stops, seconds, wanted, longest, frames, max(1, math.ceil(2**stops - 1e-9)))


def rings(holder_mm: float, filter_mm: float, offered: Sequence[float] = THREADS_MM) -> list[tuple[float, float]]:
    """Return the thread rings from a holder to a filter, in order.

    One where it is made, else by the fewest threads between (rings are sold over up to `MOST_STEPS` threads).

    Parameters
    ----------
    holder_mm
        Thread of the holder, mm.
    filter_mm
        Thread of the filter, mm.
    offered
        Values on offer.

    Returns
    -------
    list[tuple[float, float]]
        Thread rings from a holder to a filter, in order.
    """
    _positive(tr("The thread"), holder_mm, 300)
    _positive(tr("The thread"), filter_mm, 300)
    if holder_mm == filter_mm:
        return []
    between = [t for t in offered if min(holder_mm, filter_mm) < t < max(holder_mm, filter_mm)]
    alternative = [holder_mm, *(between if holder_mm < filter_mm else between[::-1]), filter_mm]
    found, at = [], 0
    while at < len(alternative) - 1:
        to = min(at + MOST_STEPS, len(alternative) - 1)
        found.append((alternative[at], alternative[to]))
        at = to
    return found


MOST_STEPS = 4
"""Threads that one ring passes over at most."""


def shades(
    filter_mm: float, distance_mm: float, focal_35mm: float, lens_mm: float = 6.0, rim_mm: float = RIM_MM
) -> float:
    """Compute the mm by which a filter's opening is too narrow for the corners of a lens.

    Negative: clearance that is left.

    Parameters
    ----------
    filter_mm
        Its thread.
    distance_mm
        From the lens's front to the filter's front edge.
    focal_35mm
        35 mm equivalent focal length, mm.
    lens_mm
        Width of the lens's own opening.
    rim_mm
        Distance from the lens to the front of the filter, mm.

    Returns
    -------
    float
        Millimetres it is too narrow by; negative: clearance that is left.
    """
    for name, value in (
        (tr("The thread"), filter_mm),
        (tr("The focal length"), focal_35mm),
        (tr("The aperture"), lens_mm),
    ):
        _positive(name, value)
    if not distance_mm >= 0:
        raise BrutoError(tr("A filter sits 0 mm or more in front of the lens."))
    corner = FULL_FRAME_MM / 2 / focal_35mm  # tangent of half the angle over the diagonal
    return lens_mm / 2 + distance_mm * corner - (filter_mm / 2 - rim_mm)


def stops_lost(level: float, gathered: float, filtered_level: float, filtered_gathered: float) -> float:
    """Compute the stops that a filter takes, from two frames of one scene.

    From their light (above black, below saturation) and their exposures (ISO times seconds).

    Parameters
    ----------
    level
        Light level, share of saturation, 0 to 1.
    gathered
        Light gathered without the filter.
    filtered_level
        Light level with the filter.
    filtered_gathered
        Light gathered with the filter.

    Returns
    -------
    float
        Stops that a filter takes, of the light (above black, below saturation) in two frames of one scene and of what
        they gathered (ISO times seconds).

    Examples
    --------
    >>> stops_lost(0.2, 100 * 0.01, 0.2, 100 * 0.64)
    6.0
    """
    for value in (level, gathered, filtered_level, filtered_gathered):
        _positive(tr("The light"), value)
    return math.log2(level / gathered / (filtered_level / filtered_gathered))
