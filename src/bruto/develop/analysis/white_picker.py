"""White from a place of the picture whose surface is known: grey, white, leaves or pavement.

The light's colour in the sensor is what was recorded, divided by how the surface reflects in the sensor's channels. The
file's own matrices say that, and they depend on the light a little; a few rounds settle it.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.adaptation import bradford
from bruto.color.spaces import D65_XYZ, space, working_to_xyz, xy_to_xyz
from bruto.color.temperature import KELVIN_RANGE, kelvin_duv_of, xy_of
from bruto.container.color_model import camera_to_working, neutral_to_xy, xy_to_neutral
from bruto.container.raw_frame import RawMeta
from bruto.develop.pipeline import Developer
from bruto.errors import BrutoError

SIDES = (5, 25, 101)
"""Sides of the square that is averaged, full-size pixels."""
_C_XY = (0.3101, 0.3162)
"""Chromaticity of CIE illuminant C."""


def _foliage() -> NDArray[np.float64]:
    """Linear Rec. 2020 of leaves under white light.

    "Foliage" of the colour rendition chart, xyY 0.337, 0.422, 13.3 under CIE C
    (McCamy, Marcus, Davidson, J. Appl. Photogr. Eng. 2-3, 1976).
    """
    xyz = bradford(xy_to_xyz(*_C_XY), D65_XYZ) @ (xy_to_xyz(0.337, 0.422) * 0.133)
    return np.linalg.inv(working_to_xyz()) @ xyz


def _pavement() -> NDArray[np.float64]:
    """Linear Rec. 2020 of weathered asphalt and concrete.

    Their reflectance rises by about a third from 450 to 650 nm (Herold,
    Roberts, "Spectral characteristics of asphalt road aging", Applied Optics 44-20, 2005).
    """
    return np.linalg.inv(working_to_xyz()) @ space("srgb").to_xyz() @ np.array([0.115, 0.103, 0.086])


class Surface(NamedTuple):
    """2020 under white light."""

    color: NDArray[np.float64]
    """Linear Rec. 2020 of the surface under white light, green = 1."""
    spread: float
    """How far surfaces of the kind differ in red or blue against green, %."""
    says: str
    """What it is for."""
    title: str
    """As users read it."""


SURFACES: dict[str, Surface] = {
    "grey": Surface(np.ones(3), 1.0, tr("a grey card, weathered wood, rock"), tr("grey")),
    "white": Surface(
        np.ones(3), 2.0, tr("paper, salt, snow, cloud: the brighter half that is not clipped"), tr("white")
    ),
    "leaves": Surface(_foliage(), 8.0, tr("green leaves and grass in even light"), tr("leaves")),
    "pavement": Surface(_pavement(), 5.0, tr("weathered asphalt or concrete"), tr("pavement")),
}


class WhitePick(NamedTuple):
    """Temperature (K) and Duv of the light; `neutral` (green = 1) where no temperature can say it (infrared)."""

    kelvin: float
    duv: float
    neutral: tuple[float, float, float] | None


def neutral_from(meta: RawMeta, seen: NDArray[Any], color: NDArray[Any]) -> NDArray[np.float64]:
    """Compute the camera neutral of the light on a surface from what was recorded of it.

    The surface has a `color` (linear Rec. 2020 under white) and was recorded as `seen` (camera RGB, any scale).

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    seen
        Mean sensor colour of the place.
    color
        Sensor colour, green = 1.

    Returns
    -------
    NDArray[np.float64]
        Camera neutral (green = 1) of the light.
    """
    seen = np.asarray(seen, float)
    neutral = seen / seen[1]
    if np.ptp(color) == 0:
        return neutral
    for _ in range(8):
        reflected = np.linalg.inv(camera_to_working(meta, neutral)) @ color / neutral
        new = seen / np.maximum(reflected, 1e-6)
        neutral = np.clip(new / new[1], 1e-3, 1e3)
    return neutral


def _averaged(developer: Developer, x: float, y: float, side: int, kind: str) -> NDArray[np.float64]:
    """Balanced camera RGB of a square, without quads that are clipped in a channel."""
    rgb = developer.level(2)
    h, w = rgb.shape[:2]
    cx, cy, r = min(int(x * w), w - 1), min(int(y * h), h - 1), side // 4
    place = (slice(max(0, cy - r), cy + r + 1), slice(max(0, cx - r), cx + r + 1))
    patch = rgb[place].reshape(-1, 3).astype(float)
    full = developer.source.linear.clipped[place].ravel()
    good = patch[full == 0] if full.size == len(patch) else patch
    if not len(good):
        raise BrutoError(tr("A channel is clipped here, so this place has no colour of its own. Click a darker one."))
    if kind == "white":
        light = good.sum(axis=1)
        good = good[light >= np.median(light)]
    return np.maximum(np.median(good, axis=0), 1e-5)


def white_at(developer: Developer, x: float, y: float, kind: str = "grey", side: int = SIDES[1]) -> WhitePick:
    """Return the light at a relative place of the recorded frame where a known surface lies.

    The place is (x, y), the surface a `kind` of `SURFACES`.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    x
        Share of the width, 0..1.
    y
        Share of the height, 0..1.
    kind
        Surface that was clicked: grey, white, leaves or pavement.
    side
        Of the square that is averaged, full-size pixels.

    Returns
    -------
    WhitePick
        The light at a relative place (x, y) of the recorded frame where a surface of a `kind` of `SURFACES`
        lies.

    Raises
    ------
    BrutoError
        Where nothing of it can be used.
    """
    meta = developer.source.meta
    seen = _averaged(developer, x, y, side, kind) / developer.balance
    neutral = neutral_from(meta, seen, SURFACES[kind].color)
    kelvin, duv = kelvin_duv_of(*neutral_to_xy(meta, neutral))
    limited = (float(np.clip(kelvin, *KELVIN_RANGE)), float(np.clip(duv, -0.08, 0.08)))
    again = xy_to_neutral(meta, *xy_of(*limited))
    if np.abs(np.log2(again / neutral)).max() > 0.03:
        r, g, b = (round(float(v), 5) for v in neutral)
        return WhitePick(kelvin, duv, (r, g, b))
    return WhitePick(*limited, None)
